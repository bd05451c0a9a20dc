"""runs on the practice bench, and what hands sent and received"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("practice", sa.Boolean(), nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("pins", sa.Text(), nullable=False, server_default=""))
    op.create_table(
        "exchanges",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_exchanges_run_id_runs")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_exchanges")),
    )
    op.create_index(op.f("ix_exchanges_run_id"), "exchanges", ["run_id"], unique=False)


def downgrade() -> None:
    op.drop_table("exchanges")
    with op.batch_alter_table("runs") as table:
        table.drop_column("pins")
        table.drop_column("practice")
