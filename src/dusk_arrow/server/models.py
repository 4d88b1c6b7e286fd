"""Models: their state with results and board, changes, undo and redo, what-ifs, and downloads."""

from __future__ import annotations

import logging
from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.orm import Session

from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import Change, words
from dusk_arrow.core.specification.model import Mode, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.figure.board import Board, board
from dusk_arrow.figure.paper import paper_figure
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, RevisionRow, RunRow
from dusk_arrow.results.cache import result_key
from dusk_arrow.results.comparison import difference
from dusk_arrow.results.convert import CHANGE
from dusk_arrow.results.document import Part, Results
from dusk_arrow.results.readout import ReadoutFigure, readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "models", __name__, url_prefix="/api/models", abp_tags=[Tag(name="models")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip

log = logging.getLogger(__name__)
AnyChange = Annotated[Change, Field(discriminator="type")]
FAR_BACK = 12


class ModelPath(BaseModel):
    """The model of an address."""

    model_id: int


class ConstructLine(BaseModel):
    """A construct as the shelf and the cards need it."""

    name: str
    mode: Mode
    indicators: list[str]
    aside: list[AsideLine]


class AsideLine(BaseModel):
    """An indicator set aside, with the reason."""

    indicator: str
    reason: str | None


class PathLine(BaseModel):
    """A path of the model."""

    source: str
    target: str
    fixed: float | None


class RevisionLine(BaseModel):
    """The revision a model stands at."""

    id: int
    words: str
    reason: str | None
    created: str


class ModelState(BaseModel):
    """Everything about a model at its head. `last_good` are the numbers to show, greyed, while it cannot be estimated."""

    id: int
    project_id: int
    name: str
    revision: RevisionLine
    sentences: str
    constructs: list[ConstructLine]
    observed: list[str]
    paths: list[PathLine]
    results: Results
    last_good: Results | None
    readout: list[ReadoutFigure]
    board: Board
    can_undo: bool
    can_redo: bool


class NewRevision(BaseModel):
    """A finished gesture: the revision it was made on, and what it changes."""

    parent: int
    changes: list[AnyChange] = Field(min_length=1)
    reason: str | None = None


class Pin(BaseModel):
    """Where a card was put by hand."""

    x: float
    y: float


class Pins(BaseModel):
    """Cards put by hand; an empty set lets all of them arrange themselves."""

    pins: dict[str, Pin]


class WhatIf(BaseModel):
    """Changes to try without making them."""

    changes: list[AnyChange] = Field(min_length=1)


class WhatIfResult(BaseModel):
    """The readout as it would be, beside the one that is, and the quality of the constructs touched."""

    estimated: bool
    message: str | None
    readout: list[ReadoutFigure]
    n_used: int | None
    quality: list[QualityChange]
    chi_square_difference: float | None
    df_difference: int | None
    p_value: float | None


class QualityChange(Part):
    """A construct's AVE and composite reliability now and then."""

    construct_: str = Field(alias="construct")
    ave_now: float | None
    ave_then: float | None
    composite_reliability_now: float | None
    composite_reliability_then: float | None


ConstructLine.model_rebuild()
WhatIfResult.model_rebuild()


def find_model(session: Session, model_id: int, lock: bool = False) -> ModelRow:
    """The model of an address, or the answer that there is none."""
    found = store.lock_model(session, model_id) if lock else session.get(ModelRow, model_id)
    if found is None:
        raise refuse(404, "unknown_model", "There is no such model.")
    return found


def stored_results(run: RunRow | None) -> Results | None:
    """The document of a finished run; None where there is none, or one of another version that no longer fits."""
    if run is None or run.results is None:
        return None
    try:
        return Results.model_validate(run.results)
    except ValidationError:
        log.warning("run %s was stored by another version and is passed over", run.id)
        return None


def fit(session: Session, model: ModelRow, specification: str) -> Results:
    """The document of a specification on the model's data: with its bootstrap where one was run, else the plain fit."""
    data = store.data_set_of(session, model)
    settings = Settings.model_validate(model.settings)
    run = store.latest_run(session, model.id, specification, data.fingerprint)
    kept = stored_results(run)
    if kept is not None:
        return kept
    return context().cache.document(specification, data.fingerprint, settings, lambda: store.load_data(data))


def _last_good(session: Session, model: ModelRow, head: RevisionRow) -> Results | None:
    revision: RevisionRow | None = head
    for _ in range(FAR_BACK):
        if revision is None or revision.parent_id is None:
            return None
        revision = session.get(RevisionRow, revision.parent_id)
        if revision is not None and revision.specification:
            found = fit(session, model, revision.specification)
            if found.converged:
                return found
    return None


def _pins(model: ModelRow) -> dict[str, tuple[float, float]]:
    return {name: (pin["x"], pin["y"]) for name, pin in model.pins.items()}


def state_of(session: Session, model: ModelRow) -> ModelState:
    """The state of a model at its head."""
    head = store.head_of(session, model)
    said = read(parse(head.specification))
    results = fit(session, model, head.specification)
    last_good = None if results.converged else _last_good(session, model, head)
    previous = None
    if head.parent_id is not None and results.converged:
        parent = session.get_one(RevisionRow, head.parent_id)
        previous = fit(session, model, parent.specification) if parent.specification else None
    return ModelState(
        id=model.id,
        project_id=model.project_id,
        name=model.name,
        revision=RevisionLine(
            id=head.id, words=head.words, reason=head.reason, created=head.created.isoformat()
        ),
        sentences=head.specification,
        constructs=[
            ConstructLine(
                name=c.name,
                mode=c.mode,
                indicators=list(c.indicators),
                aside=[AsideLine(indicator=name, reason=reason) for name, reason in c.aside],
            )
            for c in said.constructs
        ],
        observed=list(said.observed),
        paths=[
            PathLine(
                source=a, target=b, fixed=next((p.estimate for p in results.parameters
                if p.kind == "path" and (p.from_, p.to) == (a, b) and not p.free), None),
            )
            for a, b in said.paths
        ],
        results=results,
        last_good=last_good,
        readout=readout(results if results.converged else last_good or results, previous),
        board=board(said, results if results.converged else last_good, _pins(model)),
        can_undo=head.parent_id is not None,
        can_redo=str(head.id) in model.onward,
    )  # fmt: skip


@api.get("/<int:model_id>", operation_id="getModel", responses={200: ModelState})
def get_model(path: ModelPath) -> Response:
    """A model at its head, with results and board."""
    with context().sessions() as session:
        return reply(state_of(session, find_model(session, path.model_id)))


@api.post("/<int:model_id>/revisions", operation_id="addRevision", responses={200: ModelState})
def add_revision(path: ModelPath, body: NewRevision) -> Response:
    """Applies changes as one revision, saves it and answers with the new state."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        if model.head_id != body.parent:
            raise refuse(409, "not_the_head", "The model was changed elsewhere meanwhile; it is shown as it is now.")
        before = parse(store.head_of(session, model).specification)
        after = apply_all(before, body.changes)
        if after != before:
            said = "; ".join(words(change) for change in body.changes)
            dumped = [CHANGE.dump_python(change, mode="json") for change in body.changes]
            store.add_revision(session, model, write(after), dumped, said, body.reason)
            _rename_pins(model, body.changes)
        return reply(state_of(session, model))


def _rename_pins(model: ModelRow, changes: list[Change]) -> None:
    for change in changes:
        if change.type == "rename" and change.name in model.pins:
            model.pins = {change.to if name == change.name else name: pin for name, pin in model.pins.items()}


@api.post("/<int:model_id>/undo", operation_id="undo", responses={200: ModelState})
def undo(path: ModelPath) -> Response:
    """Back to the revision before."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        if not store.undo(session, model):
            raise refuse(409, "nothing_to_undo", "There is nothing to undo.")
        return reply(state_of(session, model))


@api.post("/<int:model_id>/redo", operation_id="redo", responses={200: ModelState})
def redo(path: ModelPath) -> Response:
    """Forward again to the revision that was undone."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        if not store.redo(model):
            raise refuse(409, "nothing_to_redo", "There is nothing to redo.")
        return reply(state_of(session, model))


@api.put("/<int:model_id>/pins", operation_id="setPins", responses={200: Board})
def set_pins(path: ModelPath, body: Pins) -> Response:
    """Puts cards where the user dropped them, or lets all arrange themselves; makes no revision."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        model.pins = {name: pin.model_dump() for name, pin in body.pins.items()}
        state = state_of(session, model)
    return reply(state.board)


@api.post("/<int:model_id>/what-ifs", operation_id="whatIf", responses={200: WhatIfResult})
def what_if(path: ModelPath, body: WhatIf) -> Response:
    """What changes would do, by refitting; nothing is stored."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        now = fit(session, model, head.specification)
        then = fit(session, model, write(apply_all(parse(head.specification), body.changes)))
    return reply(_compare(now, then))


def _compare(now: Results, then: Results) -> WhatIfResult:
    message = next((p.message for p in then.problems if p.severity == "error"), None)
    nested = difference(now, then)
    before = {c.name: c for c in now.quality.constructs} if now.quality else {}
    after = {c.name: c for c in then.quality.constructs} if then.quality else {}
    quality = [
        QualityChange(
            construct_=name,
            ave_now=before[name].ave,
            ave_then=after[name].ave,
            composite_reliability_now=before[name].composite_reliability,
            composite_reliability_then=after[name].composite_reliability,
        )
        for name in before
        if name in after and _differ(before[name].ave, after[name].ave)
    ]
    return WhatIfResult(
        estimated=then.converged,
        message=message,
        readout=readout(then, now) if then.converged else [],
        n_used=then.data.n_used if then.data else None,
        quality=quality,
        chi_square_difference=nested.chi_square if nested else None,
        df_difference=nested.df if nested else None,
        p_value=nested.p_value if nested else None,
    )


def _differ(first: float | None, second: float | None) -> bool:
    """Whether two figures differ by something a reader would see."""
    return first is not None and second is not None and abs(first - second) >= 0.005


def _estimated(model_id: int) -> tuple[Results, str]:
    with context().sessions() as session:
        model = find_model(session, model_id)
        data = store.data_set_of(session, model)
        return fit(session, model, store.head_of(session, model).specification), data.name


def _attachment(content: str, name: str, mimetype: str) -> Response:
    response = Response(content, mimetype=mimetype)
    response.headers.set("Content-Disposition", "attachment", filename=name)
    return response


@api.get("/<int:model_id>/figure.svg", operation_id="getFigure", responses={200: None})
def get_figure(path: ModelPath) -> Response:
    """The figure for a paper as SVG."""
    results, name = _estimated(path.model_id)
    if not results.converged:
        raise refuse(422, "nothing_to_draw", "The model is not estimated yet, so there is no figure.")
    return _attachment(paper_figure(results), f"{name}.svg", "image/svg+xml")


@api.get("/<int:model_id>/results.json", operation_id="getResults", responses={200: Results})
def get_results(path: ModelPath) -> Response:
    """The results document."""
    results, name = _estimated(path.model_id)
    return _attachment(results.model_dump_json(indent=1), f"{name}.json", "application/json")


def run_key(model: ModelRow, fingerprint: str, specification: str, settings: Settings) -> str:
    """What makes two runs the same: model record, data, specification, settings and seed."""
    return f"{model.id}:{result_key(fingerprint, specification, settings)}"
