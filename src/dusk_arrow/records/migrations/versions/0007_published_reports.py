"""Finished reports at addresses of their own."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Nothing was published before."""
    op.create_table(
        "published_reports",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("address", sa.Text(), nullable=False, unique=True),
        sa.Column("model_id", sa.Integer(), sa.ForeignKey("models.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("page", sa.LargeBinary(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
