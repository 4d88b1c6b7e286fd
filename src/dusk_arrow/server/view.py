"""How a model is looked at: a resource of its own, of which each gesture changes what it is about. Makes no revision."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, ConfigDict, Field

from dusk_arrow.figure.scene import Board
from dusk_arrow.records.view import MOST_PINS, Length, Name, Pinned, ViewPart
from dusk_arrow.report.patching import without_defaults
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.model_state import board_of, find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument

api = APIBlueprint(
    "view", __name__, url_prefix="/api/models", abp_tags=[Tag(name="view")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class ViewPatch(BaseModel):
    """What changes; the rest stays. Cards are folded or kept open by hand, or (null) as they arrange themselves; figures of a readout
    are those of a family, none for its own."""

    model_config = ConfigDict(json_schema_extra=without_defaults)

    room: tuple[Length, Length] | None = None
    cards: dict[Name, Literal["folded", "opened"] | None] = Field(default={}, max_length=MOST_PINS)
    arcs: bool | None = None
    controls: bool | None = None
    effect: tuple[Name, Name] | None = None
    figures: dict[Name, list[Name]] = Field(default={}, max_length=8)


class Seen(BaseModel):
    """How a model is looked at now, how often that has changed, and its board."""

    version: int
    view: ViewPart
    board: Board


def _patched(view: ViewPart, patch: ViewPatch) -> ViewPart:
    given = {name: getattr(patch, name) for name in patch.model_fields_set & {"room", "arcs", "controls", "effect"}}
    folded, opened = dict.fromkeys(view.folded), dict.fromkeys(view.opened)
    for name, how in patch.cards.items():
        folded.pop(name, None)
        opened.pop(name, None)
        if how is not None:
            (folded if how == "folded" else opened)[name] = None
    changed = {
        **given, "folded": list(folded)[-MOST_PINS:], "opened": list(opened)[-MOST_PINS:],
        "figures": {**view.figures, **patch.figures},
    }  # fmt: skip
    return ViewPart.model_validate({**view.model_dump(), **{k: v for k, v in changed.items() if v is not None}})


@api.patch("/<int:model_id>/view", operation_id="changeView", responses={200: Seen})
def change_view(path: ModelPath, body: ViewPatch) -> Response:
    """How the model is looked at from now on."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        model.view = _patched(ViewPart.model_validate(model.view), body).model_dump(mode="json")
        model.view_version += 1
    return _seen(path.model_id)


def _seen(model_id: int) -> Response:
    with context().sessions() as session:
        model = find_model(session, model_id)
        view = ViewPart.model_validate(model.view)
        return reply(Seen(version=model.view_version, view=view, board=board_of(session, model)))


class Pins(BaseModel):
    """Cards put by hand; an empty set lets all of them arrange themselves."""

    pins: Pinned


@api.put("/<int:model_id>/pins", operation_id="setPins", responses={200: Board})
def set_pins(path: ModelPath, body: Pins) -> Response:
    """Puts cards where the user dropped them, or lets all arrange themselves."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        model.pins = {name: pin.model_dump() for name, pin in body.pins.items()}
    with context().sessions() as session:
        return reply(board_of(session, find_model(session, path.model_id)))
