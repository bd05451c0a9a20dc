"""links for whoever installs on site, and what is answered there"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "site_links",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("by", sa.String(length=200), nullable=False),
        sa.Column("ends", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_site_links_site_id_sites")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site_links")),
        sa.UniqueConstraint("digest", name=op.f("uq_site_links_digest")),
    )
    op.create_index(op.f("ix_site_links_site_id"), "site_links", ["site_id"], unique=False)
    op.create_table(
        "site_answers",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.Integer(), nullable=False),
        sa.Column("link_id", sa.Integer(), nullable=False),
        sa.Column("test", sa.String(length=16), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("works", sa.Boolean(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["link_id"], ["site_links.id"], name=op.f("fk_site_answers_link_id_site_links")),
        sa.ForeignKeyConstraint(["site_id"], ["sites.id"], name=op.f("fk_site_answers_site_id_sites")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site_answers")),
    )
    op.create_index(op.f("ix_site_answers_site_id"), "site_answers", ["site_id"], unique=False)


def downgrade() -> None:
    op.drop_table("site_answers")
    op.drop_table("site_links")
