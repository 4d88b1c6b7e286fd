"""The trail: names, notes, what prompted a revision, and its key figures; how a model is looked at; which part was run."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """New columns; runs of before were of the whole model."""
    op.add_column("revisions", sa.Column("name", sa.Text))
    op.add_column("revisions", sa.Column("note", sa.Text))
    op.add_column("revisions", sa.Column("prompted", sa.Text, nullable=False, server_default="own"))
    op.add_column("revisions", sa.Column("figures", JSONB))
    op.add_column("models", sa.Column("view", JSONB, nullable=False, server_default="{}"))
    op.execute("""UPDATE runs SET settings = settings || '{"part": "whole"}' WHERE NOT settings ? 'part'""")
