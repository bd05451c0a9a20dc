"""devices, hardware, safe, journal, bench"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "hardware_versions",
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.Column("removed", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("key", "version", name=op.f("pk_hardware_versions")),
    )
    op.create_table(
        "journal",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("act", sa.String(length=40), nullable=False),
        sa.Column("site", sa.String(length=81), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_journal")),
    )
    op.create_table(
        "safe_keys",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key_id", sa.String(length=16), nullable=False),
        sa.Column("since", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_safe_keys")),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("device", sa.String(length=12), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_runs_site_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_runs")),
    )
    with op.batch_alter_table("runs", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_runs_site_id"), ["site_id"], unique=False)

    op.create_table(
        "secrets",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("slot", sa.String(length=100), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(length=300), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("score", sa.Integer(), nullable=False),
        sa.Column("factory", sa.Boolean(), nullable=False),
        sa.Column("typed", sa.Boolean(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_secrets_site_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_secrets")),
        sa.UniqueConstraint("site_id", "slot", "number", name=op.f("uq_secrets_site_id")),
    )
    with op.batch_alter_table("secrets", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_secrets_fingerprint"), ["fingerprint"], unique=False)
        batch_op.create_index(batch_op.f("ix_secrets_site_id"), ["site_id"], unique=False)

    op.create_table(
        "shipments",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("carrier", sa.String(length=200), nullable=False),
        sa.Column("reference", sa.String(length=200), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_shipments_site_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shipments")),
    )
    with op.batch_alter_table("shipments", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_shipments_site_id"), ["site_id"], unique=False)

    op.create_table(
        "backups",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_backups_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_backups")),
    )
    with op.batch_alter_table("backups", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_backups_run_id"), ["run_id"], unique=False)

    op.create_table(
        "ticks",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("outcome", sa.String(length=10), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("measured", sa.Text(), nullable=False),
        sa.Column("digest", sa.String(length=16), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_ticks_run_id")),
        sa.PrimaryKeyConstraint("run_id", "step", name=op.f("pk_ticks")),
    )
    with op.batch_alter_table("accounts", schema=None) as batch_op:
        batch_op.add_column(sa.Column("ends", sa.DateTime(), nullable=True))
        batch_op.add_column(sa.Column("totp", sa.LargeBinary(), nullable=True))
        batch_op.add_column(sa.Column("totp_pending", sa.LargeBinary(), nullable=True))
        batch_op.add_column(sa.Column("totp_used", sa.Integer(), server_default="0", nullable=False))

    with op.batch_alter_table("clearances", schema=None) as batch_op:
        batch_op.add_column(sa.Column("digest", sa.String(length=64), nullable=True))

    op.create_table(
        "settings",
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_settings")),
    )
    for change in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER journal_no_{change.lower()} BEFORE {change} ON journal "
            "BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END"
        )


def downgrade() -> None:
    for table in (
        "ticks",
        "backups",
        "runs",
        "shipments",
        "secrets",
        "safe_keys",
        "journal",
        "hardware_versions",
        "settings",
    ):
        op.drop_table(table)
    with op.batch_alter_table("clearances") as batch_op:
        batch_op.drop_column("digest")
    with op.batch_alter_table("accounts") as batch_op:
        for column in ("totp_used", "totp_pending", "totp", "ends"):
            batch_op.drop_column(column)
