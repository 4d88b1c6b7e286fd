"""Analyses are known by one identity, which has everything in it that a document reads."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Fingerprints did not know labels, levels and case numbers, nor the means of a matrix: they are made anew. Runs of before
    are kept, but answer for no analysis: which one they were of is not known for certain."""
    op.add_column("runs", sa.Column("estimation", sa.Text(), nullable=False, server_default=""))
    op.alter_column("runs", "estimation", server_default=None)
    op.create_index("ix_runs_estimation", "runs", ["estimation"])
    op.execute("UPDATE data_versions SET fingerprint = ''")
    op.drop_column("data_sets", "fingerprint")
