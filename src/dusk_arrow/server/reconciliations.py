"""Figures that a paper prints against those of a model."""

from __future__ import annotations

from dataclasses import asdict

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from dusk_arrow.records import store
from dusk_arrow.results.reconciling import Line, read_printed, reconcile
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, reply, version_data
from dusk_arrow.server.documents import fit_revision
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "reconciliations", __name__, url_prefix="/api/models", abp_tags=[Tag(name="comparisons")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class PrintedFigures(BaseModel):
    """Figures as a paper prints them, one a line: what it is, and the number at the end."""

    text: str = Field(min_length=1, max_length=20_000)


class PrintedLine(BaseModel):
    """A printed figure beside one's own: `figure` is what it was taken for (null: not known by that name), `then` the figure under
    the conventions that explain most."""

    label: str
    text: str
    figure: str | None
    value: float | None
    agrees: bool
    then: float | None
    agrees_then: bool


class ReconciliationPart(BaseModel):
    """All lines, the changes of conventions that explain the gaps (empty where none does, or there is none), whether they explain
    all, and how many combinations were tried."""

    lines: list[PrintedLine]
    changes: list[str]
    explained: bool
    tried: int
    of: int


def _line(line: Line) -> PrintedLine:
    values = {key: value for key, value in asdict(line).items() if key != "printed"}
    return PrintedLine(label=line.printed.label, text=line.printed.text, **values)


@api.post("/<int:model_id>/reconciliations", operation_id="reconcile", responses={200: ReconciliationPart})
@computes
def reconcile_figures(path: ModelPath, body: PrintedFigures) -> Response:
    """Which printed digits agree with the model as it is, and which conventions explain those that do not; nothing is stored."""
    if not read_printed(body.text):
        raise refuse(422, "nothing_printed", "There is no line with a number at its end, such as: CFI = .986")
    with context().sessions() as session:
        head = store.head_of(session, find_model(session, path.model_id))
        results = fit_revision(session, head)
        version_id = head.data_version_id
    if not results.converged:
        raise refuse(422, "nothing_to_compare", "The model is not estimated yet, so there is nothing to compare with.")
    found = reconcile(body.text, results, version_data(version_id))
    return reply(
        ReconciliationPart(
            lines=[_line(line) for line in found.lines], changes=list(found.changes), explained=found.explained,
            tried=found.tried, of=found.of,
        )
    )  # fmt: skip
