"""Projects, data sets, models, revisions and runs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None

MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    """Creates the first tables."""
    op.create_table(
        "projects",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("created", MOMENT, nullable=False),
        sa.Column("removed", MOMENT),
        sa.Column("demo", sa.Text, unique=True),
    )
    op.create_table(
        "data_sets",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "project_id", sa.Integer, sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
        sa.Column("columns", JSONB, nullable=False),
        sa.Column("problems", JSONB, nullable=False),
        sa.Column("n_cases", sa.Integer, nullable=False),
        sa.Column("fingerprint", sa.Text, nullable=False),
        sa.Column("created", MOMENT, nullable=False),
    )
    op.create_table(
        "models",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "project_id", sa.Integer, sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("data_set_id", sa.Integer, sa.ForeignKey("data_sets.id"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("settings", JSONB, nullable=False),
        sa.Column("pins", JSONB, nullable=False),
        sa.Column("onward", JSONB, nullable=False),
        sa.Column("head_id", sa.Integer),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("model_id", sa.Integer, sa.ForeignKey("models.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("revisions.id")),
        sa.Column("specification", sa.Text, nullable=False),
        sa.Column("changes", JSONB, nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.Column("reason", sa.Text),
        sa.Column("created", MOMENT, nullable=False),
    )
    op.create_foreign_key("models_head_id_fkey", "models", "revisions", ["head_id"], ["id"])
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("model_id", sa.Integer, sa.ForeignKey("models.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column(
            "revision_id", sa.Integer, sa.ForeignKey("revisions.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("key", sa.Text, nullable=False, index=True),
        sa.Column("settings", JSONB, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("requested", sa.Integer, nullable=False),
        sa.Column("results", JSONB),
        sa.Column("message", sa.Text),
        sa.Column("created", MOMENT, nullable=False),
        sa.Column("finished", MOMENT),
    )


def downgrade() -> None:
    """Removes everything."""
    op.drop_constraint("models_head_id_fkey", "models", type_="foreignkey")
    for table in ("runs", "revisions", "models", "data_sets", "projects"):
        op.drop_table(table)
