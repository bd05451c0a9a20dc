"""what a step asked for when it was recorded, who accepted its skipped checks, all that was ever recorded, and
which box a run was of"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("ticks") as table:
        table.add_column(sa.Column("asked", sa.Text(), nullable=False, server_default="{}"))
        table.add_column(sa.Column("accepted_by", sa.String(length=200), nullable=False, server_default=""))
        table.add_column(sa.Column("accepted_at", sa.DateTime(), nullable=True))
    with op.batch_alter_table("runs") as table:
        table.add_column(sa.Column("box", sa.Text(), nullable=False, server_default="{}"))
    op.create_table(
        "recordings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("outcome", sa.String(length=10), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("measured", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_recordings_run_id_runs")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recordings")),
    )
    op.create_index(op.f("ix_recordings_run_id"), "recordings", ["run_id"], unique=False)


def downgrade() -> None:
    op.drop_table("recordings")
    with op.batch_alter_table("runs") as table:
        table.drop_column("box")
    with op.batch_alter_table("ticks") as table:
        table.drop_column("accepted_at")
        table.drop_column("accepted_by")
        table.drop_column("asked")
