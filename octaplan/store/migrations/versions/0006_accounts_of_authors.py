"""sessions that can be told apart, recovery codes, removed accounts; the accounts behind names; secrets of a change"""

import json

import sqlalchemy as sa
from alembic import op

from octaplan.formats.taken import key_text

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


_TEXTS = (
    ("journal", "account", 80),
    ("journal", "address", 60),
    ("sign_ins", "address", 60),
    ("sign_ins", "agent", 200),
)


def upgrade() -> None:
    for table in ("revisions", "imports"):
        op.add_column(table, sa.Column("account", sa.String(length=80), nullable=False, server_default=""))
    op.add_column("secrets", sa.Column("batch", sa.String(length=20), nullable=True))
    for table, name, length in _TEXTS:
        op.add_column(table, sa.Column(name, sa.String(length=length), nullable=False, server_default=""))
    op.add_column("refused_rows", sa.Column("key", sa.String(length=300), nullable=False, server_default=""))
    op.create_index("ix_refused_rows_key", "refused_rows", ["key"])
    rows = sa.table("refused_rows", *map(sa.column, ("id", "table", "header", "cells", "key")))
    for row in op.get_bind().execute(sa.select(rows.c.id, rows.c.table, rows.c.header, rows.c.cells)).all():
        key = key_text(row.table, json.loads(row.header), json.loads(row.cells))
        op.get_bind().execute(rows.update().where(rows.c.id == row.id).values(key=key))
    op.add_column("accounts", sa.Column("recovery", sa.Text(), nullable=False, server_default="[]"))
    op.add_column("accounts", sa.Column("removed", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_index("ix_refused_rows_key", "refused_rows")
    op.drop_column("refused_rows", "key")
    op.drop_column("accounts", "removed")
    op.drop_column("accounts", "recovery")
    for table, name, _ in reversed(_TEXTS):
        op.drop_column(table, name)
    op.drop_column("secrets", "batch")
    for table in ("imports", "revisions"):
        op.drop_column(table, "account")
