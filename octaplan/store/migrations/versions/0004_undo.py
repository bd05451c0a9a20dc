"""undo, names of revisions, changes of many sites at once; runs of addresses are found without looking at hosts"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "batches",
        sa.Column("id", sa.String(length=20), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_batches")),
    )
    op.add_column("revisions", sa.Column("kind", sa.String(length=8), nullable=False, server_default="change"))
    op.add_column("revisions", sa.Column("name", sa.String(length=80), nullable=True))
    op.add_column("revisions", sa.Column("batch", sa.String(length=20), nullable=True))
    op.create_index(op.f("ix_revisions_batch"), "revisions", ["batch"])
    op.create_index("ix_claims_runs", "claims", ["family", "first", "last"], sqlite_where=sa.text("first < last"))


def downgrade() -> None:
    op.drop_index("ix_claims_runs", "claims")
    op.drop_index(op.f("ix_revisions_batch"), "revisions")
    for column in ("batch", "name", "kind"):
        op.drop_column("revisions", column)
    op.drop_table("batches")
