"""settings of the organisation, in revisions"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "organisation_revisions",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_organisation_revisions")),
    )


def downgrade() -> None:
    op.drop_table("organisation_revisions")
