"""Lines as programs for slides and drawings connect shapes: piece by piece between points where shapes can be held."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from dusk_arrow.figure.drawing import Drawing, Ellipse, Label, Line, Node, Rectangle, Words
from dusk_arrow.figure.geometry import Curve, Point

FLAT = 0.22
Bend = Literal["straight", "across", "down"]
Side = Literal["left", "right", "up", "down"]


@dataclass(frozen=True)
class Piece:
    """One connector: from where to where, which way it bends, on which side of their shapes it leaves and arrives, where it turns,
    across or down the page (None: half way), and whether a head is at its start and at its end."""

    start: Point
    end: Point
    bend: Bend
    leaves: Side
    arrives: Side
    turn: float | None
    head_at_start: bool
    head_at_end: bool


def bend_of(curve: Curve) -> Bend:
    """Whether a curve is straight, or leaves across or down the page."""
    (ax, ay), (bx, by) = curve.start, curve.end
    length = math.dist(curve.start, curve.end) or 1.0
    off = max(abs((bx - ax) * (ay - y) - (ax - x) * (by - ay)) / length for x, y in (curve.first, curve.second))
    if off < 1.0:
        return "straight"
    return "across" if abs(curve.first[0] - ax) >= abs(curve.first[1] - ay) else "down"


def side_of(end: Point, inside: Point, bend: Bend) -> Side:
    """The side of a shape at which a line touches it that comes from `inside`."""
    dx, dy = inside[0] - end[0], inside[1] - end[1]
    if bend == "across" or (bend == "straight" and abs(dx) >= abs(dy)):
        return "right" if dx > 0 else "left"
    return "down" if dy > 0 else "up"


def pieces(line: Line) -> list[Piece]:
    """The connectors that a line is made of."""
    found = []
    last = len(line.full) - 1
    for i, curve in enumerate(line.full):
        bend = bend_of(curve)
        turn = None
        (x, y), mx, my = curve.at(0.5), (curve.start[0] + curve.end[0]) / 2, (curve.start[1] + curve.end[1]) / 2
        bows = line.kind == "covariance"  # both ends leave the same way, unless it is nearly straight
        if bows:
            bulge = math.dist((x, y), (mx, my))
            bent: Bend = "across" if abs(x - mx) >= abs(y - my) else "down"
            bend = "straight" if bulge < FLAT * math.dist(curve.start, curve.end) else bent
        if bend != "straight" and (bows or max(abs(x - mx), abs(y - my)) > 1):
            turn = x if bend == "across" else y
        heads = len(line.heads)
        through = curve.at(0.5) if bows and turn is not None else None
        leaves = side_of(curve.start, through or curve.first, bend)
        arrives = side_of(curve.end, through or curve.second, bend)
        found.append(Piece(curve.start, curve.end, bend, leaves, arrives, turn, heads == 2, heads > 0 and i == last))
    return found


def nodes(drawing: Drawing) -> dict[Node, Rectangle | Ellipse]:
    """The shapes that lines can be connected to."""
    return {item.node: item for item in drawing.items if isinstance(item, Rectangle | Ellipse) and item.node}


def lines(drawing: Drawing) -> list[Line]:
    """Lines that connect shapes, and those that only end at one."""
    return [item for item in drawing.items if isinstance(item, Line) and item.full]


def texts(drawing: Drawing) -> list[tuple[tuple[Words, ...], str | None]]:
    """Words beside shapes and lines: each label's lines together, and the ground that they cover what is below with."""
    return [
        ((item,), None) if isinstance(item, Words) else (item.words, item.fill)
        for item in drawing.items
        if isinstance(item, Words | Label)
    ]


def label_of(drawing: Drawing, line: Line) -> str:
    """What stands at a line."""
    found = next((item for item in drawing.items if isinstance(item, Label) and item.ends == line.ends), None)
    return "" if found is None else " ".join(words.text for words in found.words)
