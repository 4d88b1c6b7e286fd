"""Importance and performance of the constructs that lead to an outcome, as a picture of points."""

from __future__ import annotations

import math

from dusk_arrow.figure.drawing import Drawing, Ellipse, Item, Label, Line, Words
from dusk_arrow.figure.framing import framed
from dusk_arrow.figure.geometry import Box, Curve, straight
from dusk_arrow.figure.inks import INKS, PAPER
from dusk_arrow.figure.labels import Labels
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Arrow
from dusk_arrow.results.document import Results

ACROSS, DOWN = 380.0, 250.0
NAME, SMALL, DOT = 11.5, 10.2, 8.0
RISE, BESIDE = 17.0, 11.5  # of a name from its dot, above or below it and at its sides
STEPS = (0.05, 0.1, 0.2, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0)


def importance_picture(
    results: Results, outcome: str, options: FigureOptions | None = None, inside: bool = True
) -> Drawing:
    """Total effects on an outcome across, mean scores of 0–100 up. Raises ValueError where none are known."""
    options = options or FigureOptions()
    known = [
        (line.construct_, line.importance, line.performance)
        for line in results.importance
        if line.outcome == outcome and line.importance is not None and line.performance is not None
    ]
    if not known:
        raise ValueError(f"importance and performance for {outcome} are not known")
    ink = INKS[options.ink]
    low, high = min(0.0, *(i for _, i, _ in known)), max(0.0, *(i for _, i, _ in known))
    step = next((s for s in STEPS if (high - low) / s <= 6), STEPS[-1])
    low, high = math.floor(low / step) * step, math.ceil(high / step + 1e-9) * step

    def x(value: float) -> float:
        return (value - low) / (high - low) * ACROSS

    def y(value: float) -> float:
        return DOWN - value / 100 * DOWN

    items: list[Item] = []
    for i in range(round((high - low) / step) + 1):
        value = low + i * step
        items.append(Line((straight((x(value), 0), (x(value), DOWN)),), ink.pale, 0.4))
        items.append(Words((x(value), DOWN + 14), options.number(value), SMALL, ink.quiet))
    for value in (0, 20, 40, 60, 80, 100):
        items.append(Line((straight((0, y(value)), (ACROSS, y(value))),), ink.pale, 0.4))
        items.append(Words((-6, y(value) + 3.5), str(value), SMALL, ink.quiet, anchor="end"))
    middle = sum(i for _, i, _ in known) / len(known), sum(p for _, _, p in known) / len(known)
    items.append(Line((straight((x(middle[0]), 0), (x(middle[0]), DOWN)),), ink.quiet, 0.8, dashed=True))
    items.append(Line((straight((0, y(middle[1])), (ACROSS, y(middle[1]))),), ink.quiet, 0.8, dashed=True))
    dots = [Box(x(i) - DOT / 2, y(p) - DOT / 2, DOT, DOT) for _, i, p in known]
    ways = []
    for (name, _, _), dot in zip(known, dots, strict=True):
        (cx, cy), reach = dot.centre, options.width_of(name, NAME, True) / 2 + BESIDE
        over, under = (cx, cy - RISE), (cx, cy + RISE)
        right, left = cx + 4 / 3 * reach, cx - 4 / 3 * reach
        round_ = [
            Curve(under, (right, under[1]), (right, over[1]), over),
            Curve(over, (left, over[1]), (left, under[1]), under),
            straight(under, (cx, cy)),
        ]
        ways.append((Arrow(name, name, options.width_of(name, NAME, True) + 4, NAME + 3), round_))
    for (name, _, _), dot, place in zip(known, dots, Labels(ways, dots, drawn=False).boxes, strict=True):
        items.append(Ellipse(dot, ink.ink, ink.ink, 0.8, (name,)))
        words = Words((place.centre[0], place.centre[1] + 0.35 * NAME), name, NAME, ink.ink, True)
        items.append(Label(place, PAPER, (words,)))
    items.append(Words((ACROSS / 2, DOWN + 32), f"importance: total effect on {outcome}", NAME, ink.ink))
    items.append(Words((-24, -10), "performance: mean score of 0 to 100", NAME, ink.ink, anchor="start"))
    said = (
        "Note. Dashed: the means. Constructs on the right matter more, those at the top stand higher."
        if options.note
        else ""
    )
    return framed(items, f"Importance and performance for {outcome}", said, options, inside)
