"""How a model is looked at, as it is kept with it."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

MOST_PINS = 200
FARTHEST = 20_000.0  # points of the board, in each direction
Name = Annotated[str, Field(max_length=200)]
Names = Annotated[list[Name], Field(max_length=MOST_PINS)]
Distance = Annotated[float, Field(ge=-FARTHEST, le=FARTHEST, allow_inf_nan=False)]
Length = Annotated[float, Field(ge=1, le=FARTHEST, allow_inf_nan=False)]


class ViewPart(BaseModel):
    """How a model is looked at, kept with it: the room of its board in points, cards folded and kept open by hand,
    whether all its covariances and its controls show, the pair whose effects are looked at, and the figures of its readout by family,
    where they were chosen."""

    room: tuple[Length, Length] | None = None
    folded: Names = []
    opened: Names = []
    arcs: bool = False
    controls: bool = True
    effect: tuple[Name, Name] | None = None
    figures: dict[Name, Names] = Field(default={}, max_length=8)


class Pin(BaseModel):
    """Where a card was put by hand, in points of the board."""

    x: Distance
    y: Distance


Pinned = Annotated[dict[Name, Pin], Field(max_length=MOST_PINS)]
