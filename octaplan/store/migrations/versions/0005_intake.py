"""versions of patterns; revisions that an import was shown on; refused rows that stay until mended or dismissed"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pattern_versions",
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("key", "number", name=op.f("pk_pattern_versions")),
    )
    op.add_column("imports", sa.Column("bases", sa.Text(), nullable=False, server_default="{}"))
    op.drop_column("imports", "fingerprint")
    op.add_column("refused_rows", sa.Column("settled", sa.String(length=20), nullable=True))
    op.add_column("refused_rows", sa.Column("settled_by", sa.String(length=200), nullable=True))


def downgrade() -> None:
    op.drop_column("refused_rows", "settled_by")
    op.drop_column("refused_rows", "settled")
    op.add_column("imports", sa.Column("fingerprint", sa.String(length=64), nullable=False, server_default=""))
    op.drop_column("imports", "bases")
    op.drop_table("pattern_versions")
