"""Sentences say hold … at and begin … at; revisions and results of runs that were written before are carried over."""

import re

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

NAME = r'(?:[\w.]+|"(?:[^"]|"")*")'
TARGET = rf"(?:{NAME}\s*[>&]\s*{NAME}|variance\s+of\s+{NAME}|intercept\s+of\s+{NAME})"
HELD = re.compile(rf"^(\s*)fix(\s+{TARGET}\s+)to(\s+[-+\d.])", re.IGNORECASE | re.MULTILINE)
BEGUN = re.compile(rf"^(\s*)start(\s+{TARGET}\s+)from(\s+[-+\d.])", re.IGNORECASE | re.MULTILINE)


def said_anew(text: str) -> str:
    """A text with its sentences as they are written now."""
    return BEGUN.sub(r"\1begin\2at\3", HELD.sub(r"\1hold\2at\3", text))


def upgrade() -> None:
    """Every text that says it the old way."""
    connection = op.get_bind()
    texts = connection.execute(sa.text("SELECT id, specification FROM revisions WHERE specification ~* '(fix|start) '"))
    for number, text in texts.all():
        connection.execute(
            sa.text("UPDATE revisions SET specification = :text WHERE id = :number"),
            {"text": said_anew(text), "number": number},
        )
    models = connection.execute(
        sa.text("SELECT id, results->>'model' FROM runs WHERE results->>'model' ~* '(fix|start) '")
    )
    for number, text in models.all():
        connection.execute(
            sa.text(
                "UPDATE runs SET results = jsonb_set(results, '{model}', to_jsonb(CAST(:text AS text))) WHERE id = :number"
            ),
            {"text": said_anew(text), "number": number},
        )
