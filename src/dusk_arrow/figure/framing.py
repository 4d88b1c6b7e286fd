"""What is drawn as a whole: how far it reaches, moving it, and text in lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from dusk_arrow.figure.drawing import BEFORE, Drawing, Item, Label, Line, Rectangle, Words
from dusk_arrow.figure.geometry import Box, Point, overlapping, runs_through
from dusk_arrow.figure.inks import INKS, PAPER
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.sizes import MM

MARGIN = 10.0
NOTE, SMALLEST_NOTE = 10.5, 8.0  # type sizes: of a note, and what it is at least in print
WIDER_ELSEWHERE = 1.12  # a note is broken so that it fits in the face of another machine


def framed(items: Sequence[Item], title: str, note: str, options: FigureOptions, inside: bool) -> Drawing:
    """A drawing of everything in its frame, as wide as chosen, with the note below where it is to be `inside`."""
    left, top, right, bottom = bounds(items, options)
    placed = [moved(item, MARGIN - left, MARGIN - top) for item in items]
    width, height = right - left + 2 * MARGIN, bottom - top + 2 * MARGIN
    scale = 1.0 if options.width is None else options.width * MM / width
    if note and inside:
        size = NOTE if options.width is None else min(NOTE, SMALLEST_NOTE / scale)
        lines = wrapped(note, size, (width - 2 * MARGIN) / WIDER_ELSEWHERE, options)
        quiet = INKS[options.ink].quiet
        places = [(MARGIN, height + size + 1.36 * size * i) for i in range(len(lines))]
        words = tuple(Words(at, line, size, quiet, anchor="start") for at, line in zip(places, lines, strict=True))
        below = 1.36 * size * len(lines) + 8
        placed.append(Label(Box(MARGIN, height, width - 2 * MARGIN, below), PAPER, words))
        height += below
    ground = Rectangle(Box(0, 0, width, height), PAPER)
    return Drawing(width, height, title, (ground, *placed), scale, note, typeface=options.typeface)


def covered(items: Sequence[Item], options: FigureOptions) -> int:
    """How often a label, or an R² beside its shape, lies on another or on a line that is not its own; but for what somebody put there."""
    labels = [
        item
        for item in items
        if isinstance(item, Label | Words) and item.handle and item.handle.key not in options.label_places
    ]
    lines = [item for item in items if isinstance(item, Line) and item.ends is not None]
    boxes = np.array([np.ravel(_corners(label, options)) for label in labels]).reshape(-1, 4)
    own = [label.ends if isinstance(label, Label) else None for label in labels]
    among = np.tril(overlapping(boxes, boxes, -0.5), -1)
    crossed = runs_through(boxes, [line.full for line in lines], -1)
    crossed &= np.array([[ends != line.ends for line in lines] for ends in own], dtype=bool).reshape(crossed.shape)
    return int(among.sum() + crossed.sum())


def wrapped(text: str, size: float, width: float, options: FigureOptions) -> list[str]:
    """Text in lines that are no wider than `width` where its words allow it."""
    lines, line = [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and options.width_of(longer, size) > width:
            lines.append(line)
            line = word
        else:
            line = longer
    return [*lines, line] if line else lines


def _corners(item: Item, options: FigureOptions) -> list[Point]:
    if isinstance(item, Line):
        return [p for curve in item.full or item.curves for p in curve.samples(12)]
    if isinstance(item, Words):
        wide = options.width_of(item.text, item.size, item.bold)
        x = item.at[0] - wide * BEFORE[item.anchor]
        return [(x, item.at[1] - item.size), (x + wide, item.at[1] + 0.25 * item.size)]
    box = item.box
    return [(box.x, box.y), (box.x + box.width, box.y + box.height)]


def bounds(items: Sequence[Item], options: FigureOptions) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of everything drawn."""
    points = [point for item in items for point in _corners(item, options)] or [(0.0, 0.0)]
    xs, ys = [x for x, _ in points], [y for _, y in points]
    return min(xs), min(ys), max(xs), max(ys)


def moved(item: Item, dx: float, dy: float) -> Item:
    """An item somewhere else."""

    def at(point: Point) -> Point:
        return point[0] + dx, point[1] + dy

    if isinstance(item, Words | Label) and item.handle is not None:
        item = replace(item, handle=replace(item.handle, at=at(item.handle.at)))
    if isinstance(item, Words):
        return replace(item, at=at(item.at))
    if isinstance(item, Line):
        heads = tuple(replace(h, points=tuple(at(p) for p in h.points)) for h in item.heads)  # type: ignore[arg-type]
        return replace(
            item,
            curves=tuple(c.moved(dx, dy) for c in item.curves),
            heads=heads,
            full=tuple(c.moved(dx, dy) for c in item.full),
        )
    words = tuple(replace(one, at=at(one.at)) for one in item.words)
    return replace(item, box=item.box.moved(dx, dy), words=words)
