"""Recorded steps on imported data, settings with every revision, matrices as data, models put away."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Every import gets a first version without steps, which the revisions of its models refer to."""
    op.add_column("data_sets", sa.Column("kind", sa.Text, nullable=False, server_default="cases"))
    op.create_table(
        "data_versions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "data_set_id", sa.Integer, sa.ForeignKey("data_sets.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("steps", JSONB, nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.Column("n_cases", sa.Integer, nullable=False),
        sa.Column("n_columns", sa.Integer, nullable=False),
        sa.Column("fingerprint", sa.Text, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.execute(
        "INSERT INTO data_versions (data_set_id, steps, words, n_cases, n_columns, fingerprint, created) "
        "SELECT id, '[]', 'as imported', n_cases, jsonb_array_length(columns), fingerprint, created FROM data_sets"
    )
    op.add_column("projects", sa.Column("data_version_id", sa.Integer))
    op.create_foreign_key(
        "projects_data_version_id_fkey", "projects", "data_versions", ["data_version_id"], ["id"], use_alter=True
    )
    op.execute(
        "UPDATE projects SET data_version_id = (SELECT max(v.id) FROM data_versions v JOIN data_sets d "
        "ON d.id = v.data_set_id WHERE d.project_id = projects.id)"
    )
    op.add_column("revisions", sa.Column("settings", JSONB, nullable=False, server_default="{}"))
    op.add_column("revisions", sa.Column("data_version_id", sa.Integer, sa.ForeignKey("data_versions.id")))
    op.execute(
        "UPDATE revisions SET settings = m.settings, data_version_id = v.id FROM models m, data_versions v "
        "WHERE m.id = revisions.model_id AND v.data_set_id = m.data_set_id"
    )
    op.alter_column("revisions", "data_version_id", nullable=False)
    op.drop_column("models", "data_set_id")
    op.drop_column("models", "settings")
    op.add_column("models", sa.Column("removed", sa.DateTime(timezone=True)))


def downgrade() -> None:
    """Back to one data set per model; steps are lost."""
    op.drop_column("models", "removed")
    op.add_column("models", sa.Column("settings", JSONB, nullable=False, server_default="{}"))
    op.add_column("models", sa.Column("data_set_id", sa.Integer, sa.ForeignKey("data_sets.id")))
    op.execute(
        "UPDATE models SET data_set_id = v.data_set_id FROM revisions r, data_versions v "
        "WHERE r.id = models.head_id AND v.id = r.data_version_id"
    )
    op.drop_column("revisions", "data_version_id")
    op.drop_column("revisions", "settings")
    op.drop_constraint("projects_data_version_id_fkey", "projects")
    op.drop_column("projects", "data_version_id")
    op.drop_table("data_versions")
    op.drop_column("data_sets", "kind")
