"""Models: their state with results and board, changes, undo and redo, what-ifs, and downloads."""

from __future__ import annotations

import logging
from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, FiniteFloat, TypeAdapter, ValidationError
from sqlalchemy.orm import Session

from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import Change, words
from dusk_arrow.core.specification.model import Mode, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.figure.board import Board, board
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, RevisionRow, RunRow, now
from dusk_arrow.results.cache import result_key
from dusk_arrow.results.comparison import difference
from dusk_arrow.results.document import Part, Results
from dusk_arrow.results.readout import ReadoutFigure, readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.context import context, reply, version_data
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "models", __name__, url_prefix="/api/models", abp_tags=[Tag(name="models")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip

log = logging.getLogger(__name__)
AnyChange = Annotated[Change, Field(discriminator="type")]
CHANGE: TypeAdapter[Change] = TypeAdapter(AnyChange)
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
    data_version_id: int


class ModelState(BaseModel):
    """Everything about a model at its head. `last_good` are the numbers to show, greyed, while it cannot be estimated."""

    id: int
    project_id: int
    name: str
    revision: RevisionLine
    sentences: str
    settings: Settings
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
    changes: list[AnyChange] = Field(min_length=1, max_length=500)
    reason: str | None = Field(default=None, max_length=2000)


class Pin(BaseModel):
    """Where a card was put by hand."""

    x: FiniteFloat
    y: FiniteFloat


class Pins(BaseModel):
    """Cards put by hand; an empty set lets all of them arrange themselves."""

    pins: dict[str, Pin]


class WhatIf(BaseModel):
    """Changes to try without making them."""

    changes: list[AnyChange] = Field(min_length=1, max_length=500)


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
    found = store.find(session, ModelRow, model_id, lock)
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


def core_settings(settings: Settings) -> dict[str, object]:
    """The settings without those of the bootstrap."""
    return settings.model_dump(mode="json", exclude={"bootstrap", "seed", "level", "interval", "bollen_stine"})


def fit_revision(session: Session, revision: RevisionRow, specification: str | None = None) -> Results:
    """The document of a revision: with its bootstrap where one was run, else the plain fit. Another specification can
    be tried on the revision's data with its settings."""
    text = revision.specification if specification is None else specification
    version = store.version_of(session, revision)
    settings = Settings.model_validate(revision.settings)
    run = store.latest_run(session, revision.model_id, text, version.fingerprint, core_settings(settings))
    kept = stored_results(run)
    if kept is not None:
        return kept
    return context().cache.document(text, version.fingerprint, settings, lambda: version_data(version.id))


def _last_good(session: Session, head: RevisionRow) -> Results | None:
    revision: RevisionRow | None = head
    for _ in range(FAR_BACK):
        if revision is None or revision.parent_id is None:
            return None
        revision = session.get(RevisionRow, revision.parent_id)
        if revision is not None and revision.specification:
            found = fit_revision(session, revision)
            if found.converged:
                return found
    return None


def _for_screens(results: Results) -> Results:
    """Without the large tables that only downloads need."""
    return results.model_copy(update={"scores": None, "estimates": None})


def _pins(model: ModelRow) -> dict[str, tuple[float, float]]:
    return {name: (pin["x"], pin["y"]) for name, pin in model.pins.items()}


def state_of(session: Session, model: ModelRow) -> ModelState:
    """The state of a model at its head."""
    head = store.head_of(session, model)
    said = read(parse(head.specification))
    results = fit_revision(session, head)
    last_good = None if results.converged else _last_good(session, head)
    previous = None
    if head.parent_id is not None and results.converged:
        parent = session.get_one(RevisionRow, head.parent_id)
        previous = fit_revision(session, parent) if parent.specification else None
    return ModelState(
        id=model.id,
        project_id=model.project_id,
        name=model.name,
        revision=RevisionLine(
            id=head.id, words=head.words, reason=head.reason, created=head.created.isoformat(),
            data_version_id=head.data_version_id,
        ),
        sentences=head.specification,
        settings=Settings.model_validate(head.settings),
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
        results=_for_screens(results),
        last_good=None if last_good is None else _for_screens(last_good),
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
        model = _at_head(session, path.model_id, body.parent)
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


class Step(BaseModel):
    """A step along the trail, from the revision that was being looked at."""

    parent: int


def _at_head(session: Session, model_id: int, parent: int) -> ModelRow:
    """The model, held until the session ends. Answers 409 where its head is no longer the revision looked at."""
    model = find_model(session, model_id, lock=True)
    if model.head_id != parent:
        raise refuse(409, "not_the_head", "The model was changed elsewhere meanwhile; it is shown as it is now.")
    return model


@api.post("/<int:model_id>/undo", operation_id="undo", responses={200: ModelState})
def undo(path: ModelPath, body: Step) -> Response:
    """Back to the revision before."""
    with context().sessions.begin() as session:
        model = _at_head(session, path.model_id, body.parent)
        if not store.undo(session, model):
            raise refuse(409, "nothing_to_undo", "There is nothing to undo.")
        return reply(state_of(session, model))


@api.post("/<int:model_id>/redo", operation_id="redo", responses={200: ModelState})
def redo(path: ModelPath, body: Step) -> Response:
    """Forward again to the revision that was undone."""
    with context().sessions.begin() as session:
        model = _at_head(session, path.model_id, body.parent)
        if not store.redo(model):
            raise refuse(409, "nothing_to_redo", "There is nothing to redo.")
        return reply(state_of(session, model))


class NewSettings(BaseModel):
    """How the model is to be estimated from now on, and the revision that was being looked at."""

    parent: int
    settings: Settings


class ModelEdit(BaseModel):
    """What of a model can be changed without a revision."""

    name: str | None = Field(default=None, min_length=1, max_length=120)
    removed: bool | None = None


@api.put("/<int:model_id>/settings", operation_id="setSettings", responses={200: ModelState})
def set_settings(path: ModelPath, body: NewSettings) -> Response:
    """Estimates the model another way; this is a revision, so it can be undone."""
    with context().sessions.begin() as session:
        model = _at_head(session, path.model_id, body.parent)
        if body.settings.errors == "bootstrap":
            message = "Errors by bootstrap come with a bootstrap: choose the number of resamples on Effects."
            raise refuse(422, "errors_by_run", message)
        head = store.head_of(session, model)
        before = core_settings(Settings.model_validate(head.settings))
        after = core_settings(body.settings)
        changed = [f"{name.replace('_', ' ')} {value}" for name, value in after.items() if before[name] != value]
        if changed:
            said = f"estimated with {', '.join(changed)}"
            store.add_revision(session, model, head.specification, [], said, None, after)
        return reply(state_of(session, model))


@api.patch("/<int:model_id>", operation_id="editModel", responses={200: ModelState})
def edit_model(path: ModelPath, body: ModelEdit) -> Response:
    """Renames a model, puts it away, or brings it back; a project keeps at least one."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        others = [other for other in store.models_of(session, model.project_id) if other.id != model.id]
        if body.name is not None:
            if body.name.strip() in {other.name for other in others} or not body.name.strip():
                raise refuse(422, "name_taken", f"There is a model called {body.name.strip()} already.")
            model.name = body.name.strip()
        if body.removed is not None:
            if body.removed and not others:
                raise refuse(422, "last_model", "A project keeps at least one model.")
            model.removed = now() if body.removed else None
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
        now = fit_revision(session, head)
        then = fit_revision(session, head, write(apply_all(parse(head.specification), body.changes)))
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


def run_key(model: ModelRow, fingerprint: str, specification: str, settings: Settings) -> str:
    """What makes two runs the same: model record, data, specification, settings and seed."""
    return f"{model.id}:{result_key(fingerprint, specification, settings)}"
