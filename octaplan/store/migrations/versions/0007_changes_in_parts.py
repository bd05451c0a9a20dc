"""changes of many sites that are written in parts, and the imports that they belong to"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("batches", sa.Column("open", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("imports", sa.Column("batch", sa.String(length=20), nullable=True))


def downgrade() -> None:
    op.drop_column("imports", "batch")
    op.drop_column("batches", "open")
