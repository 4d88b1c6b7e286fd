"""The files that data were read from, and how."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Of what was imported before, only the columns were kept."""
    op.add_column("data_sets", sa.Column("original", sa.LargeBinary(), nullable=True))
    op.add_column("data_sets", sa.Column("reading", postgresql.JSONB(), nullable=True))
