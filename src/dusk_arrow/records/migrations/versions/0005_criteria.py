"""Whose cut-offs a project follows."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Projects of before follow the usual ones."""
    op.add_column("projects", sa.Column("criteria", JSONB, nullable=False, server_default="{}"))
