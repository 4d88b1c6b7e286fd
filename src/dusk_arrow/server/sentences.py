"""The text form of a model while it is being written: what reads becomes part of the model, what does not is explained."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from dusk_arrow.core.specification.changes import ReplaceText
from dusk_arrow.core.specification.limits import MOST_CHARACTERS, MOST_LINES
from dusk_arrow.core.specification.line_by_line import LineReading, read_lines, what_reads, words_between
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import KEYWORDS, write
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow
from dusk_arrow.server.context import context, reply, version_data
from dusk_arrow.server.model_state import ModelState, find_model, state_of
from dusk_arrow.server.models import CHANGE, ModelPath, at_head
from dusk_arrow.server.problems import ProblemDocument

api = APIBlueprint(
    "sentences", __name__, url_prefix="/api/models/<int:model_id>/sentences", abp_tags=[Tag(name="sentences")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class Rows(BaseModel):
    """The lines of the text as they stand in the editor."""

    rows: list[str] = Field(max_length=MOST_LINES)


class WrittenRows(Rows):
    """The same, to become part of the model: a revision after `parent` of all lines that read."""

    parent: int


class RowPart(BaseModel):
    """A line: whether it reads; if not, what is wrong from which column to which, counted from 0, and what could be meant."""

    reads: bool
    message: str
    begin: int
    end: int
    nearest: list[str]


class ReadRows(BaseModel):
    """Every line as it was read, and the words that a sentence can have."""

    rows: list[RowPart]
    keywords: list[str]


class KeptRows(BaseModel):
    """What came of the lines: the model with those that read, and each line as it was read."""

    state: ModelState
    rows: list[RowPart]


def _parts(readings: list[LineReading]) -> list[RowPart]:
    return [
        RowPart(reads=r.line is not None, message=r.message, begin=r.begin, end=r.end, nearest=list(r.nearest))
        for r in readings
    ]


def _readings(session: Session, model: ModelRow, rows: list[str]) -> list[LineReading]:
    head = store.head_of(session, model)
    return read_lines([row[:MOST_CHARACTERS] for row in rows], version_data(head.data_version_id).names)


@api.post("/readings", operation_id="readSentences", responses={200: ReadRows})
def read_rows(path: ModelPath, body: Rows) -> Response:
    """How each line of a text reads, on the columns of the model's data; nothing is stored."""
    with context().sessions() as session:
        readings = _readings(session, find_model(session, path.model_id), body.rows)
    return reply(ReadRows(rows=_parts(readings), keywords=sorted(KEYWORDS)))


@api.put("", operation_id="writeSentences", responses={200: KeptRows})
def write_rows(path: ModelPath, body: WrittenRows) -> Response:
    """The model becomes what the lines say that read; the others are given back with what is wrong and block nothing."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        readings = _readings(session, model, body.rows)
        before, after = parse(store.head_of(session, model).specification), what_reads(readings)
        if after != before:
            change = CHANGE.dump_python(ReplaceText(write(after)), mode="json")
            store.add_revision(session, model, after, [change], words_between(before, after), None)
    with context().sessions() as session:
        state = state_of(session, find_model(session, path.model_id))
    return reply(KeptRows(state=state, rows=_parts(readings)))
