"""rehearsals of sites, as evidence"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rehearsals",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("agrees", sa.Boolean(), nullable=False),
        sa.Column("result", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_rehearsals_site_id_sites")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rehearsals")),
    )
    op.create_index(op.f("ix_rehearsals_site_id"), "rehearsals", ["site_id"], unique=False)


def downgrade() -> None:
    op.drop_table("rehearsals")
