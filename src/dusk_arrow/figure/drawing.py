"""A finished drawing: shapes and words with their places in points, which every format is made from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dusk_arrow.figure.geometry import Box, Curve, Point

Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True)
class Rectangle:
    """A rectangle; without a stroke it only covers what lies below."""

    box: Box
    fill: str
    stroke: str | None = None
    width: float = 1.0


@dataclass(frozen=True)
class Ellipse:
    """An ellipse in its box."""

    box: Box
    fill: str
    stroke: str
    width: float


@dataclass(frozen=True)
class Line:
    """Curves that follow one another, dashed or not."""

    curves: tuple[Curve, ...]
    stroke: str
    width: float
    dashed: bool = False


@dataclass(frozen=True)
class Head:
    """An arrowhead as a filled triangle, which every program draws alike: its tip first."""

    points: tuple[Point, Point, Point]
    fill: str


@dataclass(frozen=True)
class Words:
    """One line of text on its baseline."""

    at: Point
    text: str
    size: float
    fill: str
    bold: bool = False
    anchor: Anchor = "middle"


Item = Rectangle | Ellipse | Line | Head | Words


@dataclass(frozen=True)
class Drawing:
    """Everything that is drawn, the lowest first, with what it is called."""

    width: float
    height: float
    title: str
    items: tuple[Item, ...]
