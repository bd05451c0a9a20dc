"""sites that are put away, and codes that sites had before"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("sites", sa.Column("away", sa.DateTime(), nullable=True))
    op.add_column("sites", sa.Column("away_by", sa.String(length=200), nullable=False, server_default=""))
    op.create_table(
        "former_codes",
        sa.Column("key", sa.String(length=81), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name="fk_former_codes_site_id"),
        sa.PrimaryKeyConstraint("key", name="pk_former_codes"),
    )
    op.create_index("ix_former_codes_site_id", "former_codes", ["site_id"])


def downgrade() -> None:
    op.drop_table("former_codes")
    op.drop_column("sites", "away_by")
    op.drop_column("sites", "away")
