"""more words that a site is found by: they are worked out anew from the plans"""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM names")


def downgrade() -> None:
    op.execute("DELETE FROM names")
