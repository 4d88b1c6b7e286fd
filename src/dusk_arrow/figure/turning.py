"""The same layout turned: what runs across the page runs down it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dusk_arrow.figure.geometry import Box, Curve, Point
from dusk_arrow.figure.layout import Layout, Routed, Spacing, arrange
from dusk_arrow.figure.parts import Arrow, Card


def turned_point(point: Point) -> Point:
    """Across for down."""
    return point[1], point[0]


def turned_box(box: Box) -> Box:
    """A box, turned."""
    return Box(box.y, box.x, box.height, box.width)


def turned_curve(curve: Curve) -> Curve:
    """A curve, turned."""
    return Curve(*(turned_point(p) for p in (curve.start, curve.first, curve.second, curve.end)))


def turned_card(card: Card) -> Card:
    """A card, turned."""
    core = None if card.core is None else turned_box(card.core)
    return replace(card, width=card.height, height=card.width, core=core)


def arranged(
    cards: Sequence[Card],
    arrows: Sequence[Arrow],
    places: dict[str, Point],
    down: bool,
    spacing: Spacing,
    room: tuple[float, float] | None = None,
) -> Layout:
    """Cards arranged by cause, across the page or down it; some stand where they were put. A `room` is to be filled."""
    if not down:
        return arrange(cards, arrows, places, spacing, room=room)
    flat = [replace(a, label_width=a.label_height, label_height=a.label_width) for a in arrows]
    found = arrange(
        [turned_card(card) for card in cards],
        flat,
        {n: turned_point(p) for n, p in places.items()},
        spacing,
        room=None if room is None else turned_point(room),
    )
    routed = [
        Routed(one.source, one.target, [turned_curve(c) for c in one.curves], turned_box(one.label))
        for one in found.arrows
    ]
    boxes = {name: turned_box(box) for name, box in found.cards.items()}
    return Layout(boxes, routed, found.height, found.width)


def stacked(cards: Sequence[Card], gap: float, down: bool) -> Layout:
    """Cards one under another (or side by side), the shapes that arrows touch in one line."""
    boxes = {}
    at = 0.0
    if down:
        line = max(card.touch.y for card in cards)
        for card in cards:
            boxes[card.name] = Box(at, line - card.touch.y, card.width, card.height)
            at += card.width + gap
        return Layout(boxes, [], at, max(b.y + b.height for b in boxes.values()))
    line = max(card.touch.x + card.touch.width / 2 for card in cards)
    for card in cards:
        boxes[card.name] = Box(line - card.touch.x - card.touch.width / 2, at, card.width, card.height)
        at += card.height + gap
    return Layout(boxes, [], max(b.x + b.width for b in boxes.values()), at)
