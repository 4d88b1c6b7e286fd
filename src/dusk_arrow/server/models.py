"""Models: their state, changes, undo and redo, and settings.

What is written is written under a lock of the model's row; estimation and layout come after, when the lock is let go.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import AfterValidator, BaseModel, Field, TypeAdapter
from sqlalchemy.orm import Session

from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name
from dusk_arrow.core.observations.steps import words as words_of_step
from dusk_arrow.core.options import Option
from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import AddPath, Change, words
from dusk_arrow.core.specification.cleaning import cleaned
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.texts import one_line
from dusk_arrow.exchange.recorded_steps import AnyStep
from dusk_arrow.exchange.texts import Line
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, now
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.data import add_steps, follow_data
from dusk_arrow.server.documents import core_settings
from dusk_arrow.server.model_state import ModelState, find_model, state_of
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "models", __name__, url_prefix="/api/models", abp_tags=[Tag(name="models")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
SAID_AS_THEY_ARE = ("part", "estimator")
AnyChange = Annotated[Change, Field(discriminator="type"), AfterValidator(cleaned)]
CHANGE: TypeAdapter[Change] = TypeAdapter(AnyChange)


class ModelPath(BaseModel):
    """The model of an address."""

    model_id: int


class NewRevision(BaseModel):
    """A finished gesture: the revision it was made on, what it changes, and steps of the data that belong to it."""

    parent: int
    changes: list[AnyChange] = Field(min_length=1, max_length=500)
    steps: list[AnyStep] = Field(default=[], max_length=20)
    reason: Line | None = Field(default=None, max_length=2000)
    prompted: Literal["own", "data"] = "own"


def _state(model_id: int) -> Response:
    with context().sessions() as session:
        return reply(state_of(session, find_model(session, model_id)))


@api.get("/<int:model_id>", operation_id="getModel", responses={200: ModelState})
def get_model(path: ModelPath) -> Response:
    """A model at its head, with board and readout."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        if not store.reads(session, head):
            good = store.last_good(session, model)
            told = (
                f" The last one that can: “{good.words}”, {good.created.day} {good.created:%B %Y, %H:%M}."
                if good
                else ""
            )
            message = f"What was kept last of {model.name}, “{one_line(head.words)}”, cannot be read.{told}"
            raise refuse(422, "revision_unreadable" if good else "model_unreadable", message)
    return _state(path.model_id)


@api.post("/<int:model_id>/last-good", operation_id="goToLastGood", responses={200: ModelState})
def go_to_last_good(path: ModelPath) -> Response:
    """A model whose head cannot be read stands at the last revision that can."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        good = store.last_good(session, model)
        if good is None:
            raise refuse(422, "model_unreadable", f"Nothing that was kept of {model.name} can be read.")
        if not store.reads(session, store.head_of(session, model)):
            store.go_to(session, model, good)
    return _state(path.model_id)


@api.post("/<int:model_id>/revisions", operation_id="addRevision", responses={200: ModelState})
def add_revision(path: ModelPath, body: NewRevision) -> Response:
    """Applies changes as one revision, saves it and answers with the new state."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        before = parse(store.head_of(session, model).specification)
        after = apply_all(before, body.changes)
        if after != before or body.steps:
            said = "; ".join([*(words_of_step(step) for step in body.steps), *(words(c) for c in body.changes)])
            version = add_steps(session, model, list(body.steps)) if body.steps else None
            dumped = [CHANGE.dump_python(change, mode="json") for change in body.changes]
            store.add_revision(
                session,
                model,
                after,
                dumped,
                said,
                body.reason,
                _with_structure(session, model, body.changes),
                None if version is None else version.id,
                prompted=body.prompted,
            )
            _rename_pins(model, body.changes)
    return _state(path.model_id)


def _with_structure(session: Session, model: ModelRow, changes: list[Change]) -> dict[str, Any] | None:
    """Whoever draws a path wants it estimated: the measurement model alone gives way to the whole one."""
    settings = store.head_of(session, model).settings
    drawn = settings.get("part") == "measurement" and any(isinstance(change, AddPath) for change in changes)
    return {**settings, "part": "whole"} if drawn else None


def _rename_pins(model: ModelRow, changes: list[Change]) -> None:
    for change in changes:
        if change.type == "rename" and change.name in model.pins:
            model.pins = {change.to if name == change.name else name: pin for name, pin in model.pins.items()}


class Step(BaseModel):
    """A step along the trail, from the revision that was being looked at."""

    parent: int


def at_head(session: Session, model_id: int, parent: int) -> ModelRow:
    """The model, held until the session ends. Answers 409 where its head is no longer the revision looked at."""
    model = find_model(session, model_id, lock=True)
    if model.head_id != parent:
        raise refuse(409, "not_the_head", "The model was changed elsewhere meanwhile; it is shown as it is now.")
    return model


@api.post("/<int:model_id>/undo", operation_id="undo", responses={200: ModelState})
def undo(path: ModelPath, body: Step) -> Response:
    """Back to the revision before."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        undone = store.head_of(session, model)
        if not store.undo(session, model):
            raise refuse(409, "nothing_to_undo", "There is nothing to undo.")
        follow_data(session, model, undone, undone)
    return _state(path.model_id)


@api.post("/<int:model_id>/redo", operation_id="redo", responses={200: ModelState})
def redo(path: ModelPath, body: Step) -> Response:
    """Forward again to the revision that was undone."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        before = store.head_of(session, model)
        if not store.redo(model):
            raise refuse(409, "nothing_to_redo", "There is nothing to redo.")
        follow_data(session, model, before, store.head_of(session, model))
    return _state(path.model_id)


class NewSettings(BaseModel):
    """How the model is to be estimated from now on, and the revision that was being looked at."""

    parent: int
    settings: Settings


class ModelEdit(BaseModel):
    """What of a model can be changed without a revision."""

    name: Line | None = Field(default=None, min_length=1, max_length=120)
    removed: bool | None = None


def _chosen(option: Option, value: object) -> str:
    """What was chosen of a setting, in the words of the menu."""
    if not option.choices:
        return f"{'with' if value else 'without'} “{option.hint}”"
    words = option.words(str(value))
    return words if option.name in SAID_AS_THEY_ARE else f"{option.label[0].lower()}{option.label[1:]}: {words}"


def _global_items(before: Any, after: Any) -> list[str]:
    """What changed about the items that sum constructs up, in words."""
    said = [f"{item} sums {construct} up" for construct, item in after.items() if before.get(construct) != item]
    return said + [f"nothing sums {construct} up" for construct in before if construct not in after]


@api.put("/<int:model_id>/settings", operation_id="setSettings", responses={200: ModelState})
def set_settings(path: ModelPath, body: NewSettings) -> Response:
    """Estimates the model another way; this is a revision, so it can be undone."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        if body.settings.errors == "bootstrap":
            message = "Errors by bootstrap come with a bootstrap: choose the number of resamples on Effects."
            raise refuse(422, "errors_by_run", message)
        head = store.head_of(session, model)
        before = core_settings(Settings.model_validate(head.settings))
        after = core_settings(body.settings)
        options = options_by_name()
        families = {family.key: family.words for family in FAMILY_OPTIONS}
        items = _global_items(before.pop("global_items", {}), after.get("global_items", {}))
        changed = [
            families[str(value)] if name == "family" else _chosen(options[name], value)
            for name, value in after.items()
            if name != "global_items" and before[name] != value
        ]
        if changed or items:
            said = "; ".join([*([f"estimated: {', '.join(changed)}"] if changed else []), *items])
            store.add_revision(session, model, parse(head.specification), [], said, None, after)
    return _state(path.model_id)


@api.patch("/<int:model_id>", operation_id="editModel", responses={200: ModelState})
def edit_model(path: ModelPath, body: ModelEdit) -> Response:
    """Renames a model, puts it away, or brings it back; a project keeps at least one."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        others = [other for other in store.models_of(session, model.project_id) if other.id != model.id]
        if body.name is not None:
            if body.name in {other.name for other in others} or not body.name:
                raise refuse(422, "name_taken", f"There is a model called {body.name} already.")
            model.name = body.name
        if body.removed is not None:
            if body.removed and not others:
                raise refuse(422, "last_model", "A project keeps at least one model.")
            model.removed = now() if body.removed else None
    return _state(path.model_id)
