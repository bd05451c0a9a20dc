"""whose account made a revision, an import, a line of the journal; with which change of many sites a secret came"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("revisions", "imports"):
        op.add_column(table, sa.Column("account", sa.String(length=80), nullable=False, server_default=""))
    op.add_column("secrets", sa.Column("batch", sa.String(length=20), nullable=True))


def downgrade() -> None:
    op.drop_column("secrets", "batch")
    for table in ("imports", "revisions"):
        op.drop_column(table, "account")
