"""A finished drawing: shapes, lines and words with their places, which every format is made from."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from dusk_arrow.figure.geometry import Box, Curve, Point
from dusk_arrow.figure.typefaces import TYPEFACES, Faces, Typeface

Anchor = Literal["start", "middle", "end"]
WIDER, FAR_WIDER = 1.3, 1.6  # frames of text, since other faces are wider than ours
BEFORE: dict[Anchor, float] = {"start": 0.0, "middle": 0.5, "end": 1.0}  # the share of a text before its anchor
Node = tuple[str, ...]  # a construct or observed variable by its name, an item by construct and name
LineKind = Literal["path", "loading", "weight", "covariance", "residual", ""]


@dataclass(frozen=True)
class Handle:
    """Something that can be put elsewhere by hand: its key, and the point that its place is counted from."""

    key: str
    at: Point


def handle_key(ends: tuple[Node, Node]) -> str:
    """What a label is called by the nodes that its line joins."""
    return " → ".join(" · ".join(node) for node in ends)


@dataclass(frozen=True)
class Words:
    """One line of text on its baseline."""

    at: Point
    text: str
    size: float
    fill: str
    bold: bool = False
    anchor: Anchor = "middle"
    handle: Handle | None = None


@dataclass(frozen=True)
class Rectangle:
    """A rectangle with the words in it, and the node that it is where it is one."""

    box: Box
    fill: str
    stroke: str | None = None
    width: float = 1.0
    radius: float = 0.0
    node: Node = ()
    words: tuple[Words, ...] = ()


@dataclass(frozen=True)
class Ellipse:
    """An ellipse in its box, with the words in it and the node that it is."""

    box: Box
    fill: str
    stroke: str
    width: float
    node: Node = ()
    words: tuple[Words, ...] = ()


@dataclass(frozen=True)
class Head:
    """An arrowhead as a filled triangle, which every program draws alike: its tip first."""

    points: tuple[Point, Point, Point]
    fill: str


@dataclass(frozen=True)
class Line:
    """Curves that follow one another up to their heads, dashed or not; `ends` are the nodes that it joins, first and last, and
    `full` the same curves up to the tips."""

    curves: tuple[Curve, ...]
    stroke: str
    width: float
    dashed: bool = False
    heads: tuple[Head, ...] = ()
    ends: tuple[Node, Node] | None = None
    kind: LineKind = ""
    full: tuple[Curve, ...] = ()


@dataclass(frozen=True)
class Label:
    """Words on a ground that covers what lies below, as beside a line; `ends` are the nodes of that line."""

    box: Box
    fill: str
    words: tuple[Words, ...]
    ends: tuple[Node, Node] | None = None
    handle: Handle | None = None


Item = Rectangle | Ellipse | Line | Label | Words


@dataclass(frozen=True)
class Drawing:
    """Everything that is drawn, the lowest first, with what it is called; a unit is `scale` points wide in print. `note` is what
    has to be said below it, and is part of the items where it was asked for inside; `places` are where the pieces of
    constructs stand before they are framed, which is how somebody puts them elsewhere, `parts` what is drawn of the model."""

    width: float
    height: float
    title: str
    items: tuple[Item, ...]
    scale: float = 1.0
    note: str = ""
    places: Mapping[str, Point] = field(default_factory=dict)
    typeface: Typeface = "source"
    parts: Literal["both", "structure", "measurement"] | None = None

    def words(self) -> Iterator[Words]:
        """Every line of text, also inside of shapes."""
        for item in self.items:
            if isinstance(item, Words):
                yield item
            elif isinstance(item, Rectangle | Ellipse | Label):
                yield from item.words

    @property
    def faces(self) -> Faces:
        """The typeface of its words."""
        return TYPEFACES[self.typeface]

    def width_of(self, words: Words) -> float:
        """How wide a line of text is."""
        return self.faces.width_of(words.text, words.size, words.bold)

    def room_of(self, words: Sequence[Words]) -> float:
        """How wide a frame around lines of text is, so that a wider face of another machine does not break them; what begins on the
        left has no more than there is up to the edge."""
        own, first = max(self.width_of(one) for one in words), words[0]
        if first.anchor == "middle":
            return own * WIDER  # no more, as its ground covers what lies below
        rest = self.width - first.at[0] if first.anchor == "start" else first.at[0]
        return max(min(own * FAR_WIDER, rest), own)

    def box_of(self, words: Words) -> Box:
        """The box around a line of text."""
        wide = self.width_of(words)
        x = words.at[0] - wide * BEFORE[words.anchor]
        return Box(x, words.at[1] - 0.35 * words.size - words.size / 2, wide, words.size)

    @property
    def smallest(self) -> float:
        """The size of the smallest type in points, as it is printed; 0 where there is none."""
        return min((words.size for words in self.words()), default=0.0) * self.scale
