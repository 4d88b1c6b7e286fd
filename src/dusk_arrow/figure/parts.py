"""What a layout is made of: cards, arrows and arcs, before they have a place."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.figure.geometry import Box, Curve


@dataclass(frozen=True)
class Card:
    """Something to place. `core` is the part that arrows touch, relative to the card; `round` if it is an ellipse."""

    name: str
    width: float
    height: float
    core: Box | None = None
    round: bool = False

    @property
    def touch(self) -> Box:
        """The part that arrows touch, relative to the card."""
        return self.core or Box(0, 0, self.width, self.height)


@dataclass(frozen=True)
class Arrow:
    """An arrow to route, with the size of its label."""

    source: str
    target: str
    label_width: float
    label_height: float


@dataclass(frozen=True)
class Arc:
    """A covariance to route, with the size of its label; `rows` are heights below the top of each card where it ends, None
    for the middle of the cards."""

    first: str
    second: str
    label_width: float
    label_height: float
    rows: tuple[float, float] | None = None


Way = tuple[Arrow | Arc, list[Curve]]
