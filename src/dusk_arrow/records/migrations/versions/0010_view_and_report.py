"""How a model is looked at and what its report holds are resources of their own, each with a version."""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from dusk_arrow.records.earlier import view_and_report

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    """Reports lived in the view before."""
    op.add_column("models", sa.Column("report", JSONB(), nullable=False, server_default="{}"))
    op.add_column("models", sa.Column("report_version", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("models", sa.Column("view_version", sa.Integer(), nullable=False, server_default="0"))
    for name in ("report", "report_version", "view_version"):
        op.alter_column("models", name, server_default=None)
    connection = op.get_bind()
    for number, view in connection.execute(sa.text("select id, view from models")).all():
        seen, report = view_and_report(view)
        connection.execute(
            sa.text(
                "update models set view = cast(:view as jsonb), report = cast(:report as jsonb) where id = :number"
            ),
            {"view": json.dumps(seen), "report": json.dumps(report), "number": number},
        )
