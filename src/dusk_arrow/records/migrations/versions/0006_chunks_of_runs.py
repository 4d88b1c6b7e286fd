"""Runs that survive: their finished chunks, what was asked of them, and results so far."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Runs of before have no chunks."""
    op.add_column("runs", sa.Column("asked", sa.Text()))
    op.add_column("runs", sa.Column("seconds_left", sa.Float()))
    op.add_column("runs", sa.Column("so_far", sa.Integer(), nullable=False, server_default="0"))
    op.create_table(
        "run_chunks",
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("jackknife", sa.Boolean(), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Text(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
    )
    op.execute("alter table run_chunks alter column content set storage external")  # numbers do not compress
