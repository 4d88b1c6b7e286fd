"""What stands on the board, as the front end draws it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from dusk_arrow.core.assessment.criteria import Verdict
from dusk_arrow.results.document import Interval


class BoxPart(BaseModel):
    """A rectangle on the board."""

    x: float
    y: float
    width: float
    height: float


class RowPart(BaseModel):
    """An indicator on its construct's card: its standardized loading, or weight of a formative one, judged in the direction
    of its block; `impossible` where it would explain more than all of the indicator, `kept` where it is essential, `held` the
    value that a sentence fixes it at, `equal` the letter of the parameters it is equal to."""

    indicator: str
    value: float | None
    verdict: Verdict
    impossible: bool
    kept: bool = False
    held: float | None = None
    equal: str | None = None


class CardPart(BaseModel):
    """A card on the board; `share` is R², null where it does not apply, `mean` a construct's mean (its intercept where something leads
    to it) where means are modelled, `control` whether it has that role. A `folded` card shows its name and its sun."""

    name: str
    kind: str
    box: BoxPart
    pinned: bool
    share: float | None
    rows: list[RowPart]
    folded: bool
    mean: float | None = None
    control: bool = False


class ArrowPart(BaseModel):
    """A routed arrow: its way, its head, its label, and what is written there: β with the interval that decides. What a
    construct shows in is an arrow too where that is a construct (`kind` loading)."""

    model_config = ConfigDict(populate_by_name=True, serialize_by_alias=True)

    kind: Literal["path", "loading"]
    from_: str = Field(alias="from")
    to: str
    path: str
    head_x: float
    head_y: float
    head_angle: float
    label: BoxPart
    standardized: float | None
    estimate: float | None
    interval: Interval | None
    free: bool
    equal: str | None = None
    control: bool = False


class ArcPart(BaseModel):
    """A covariance: a curve with two heads and its label. `kind` is of constructs and observed variables (node) or of
    residuals; `cards` are those it stands at, `said` whether a sentence says so."""

    model_config = ConfigDict(populate_by_name=True, serialize_by_alias=True)

    kind: Literal["node", "residual"]
    from_: str = Field(alias="from")
    to: str
    cards: tuple[str, str]
    path: str
    heads: tuple[HeadPart, HeadPart]
    label: BoxPart
    standardized: float | None
    estimate: float | None
    interval: Interval | None
    free: bool
    said: bool


class HeadPart(BaseModel):
    """The tip of a line, and the direction in degrees in which it arrives there."""

    x: float
    y: float
    angle: float


class Board(BaseModel):
    """Everything the board needs to draw a model; `hidden_arcs` are covariances that are not asked for, and
    with many paths labels are `brief`: without their intervals."""

    width: float
    height: float
    cards: list[CardPart]
    arrows: list[ArrowPart]
    arcs: list[ArcPart]
    hidden_arcs: int
    brief: bool


ArcPart.model_rebuild()
