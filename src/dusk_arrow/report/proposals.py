"""How a figure would be read in print: the narrowest of the usual widths, across or down, with items or without."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.sizes import ONE_COLUMN, READABLE, SIDEWAYS, TWO_COLUMNS, largest
from dusk_arrow.report.options import NamedFigure
from dusk_arrow.results.document import Results


@dataclass(frozen=True)
class Proposal:
    """A width in mm and the choices that go with it, and the smallest type in points that comes of them."""

    width: float
    direction: Literal["across", "down"]
    parts: Literal["both", "structure", "measurement"]
    smallest: float


def proposal(figure: NamedFigure, results: Results) -> Proposal:
    """What is proposed for a figure of the whole model in the notation that was chosen: the first that can be read of one column, two
    columns and a page on its side, as it runs or the other way; then without items; else what is read best."""
    chosen = figure.options
    other: Literal["across", "down"] = "down" if chosen.direction == "across" else "across"
    found: list[Proposal] = []
    drawn = diagram(results, chosen, None, False)
    kinds = [drawn.parts or "both"]
    if kinds[0] == "both" and results.parameters and any(p.kind == "path" for p in results.parameters):
        kinds.append("structure")
    for parts in kinds:
        own = {chosen.direction: drawn} if parts == kinds[0] else {}
        for direction in (chosen.direction, other):
            if direction not in own:
                own[direction] = diagram(results, _with(chosen, direction, parts), None, False)
        for width in (ONE_COLUMN, TWO_COLUMNS, SIDEWAYS):
            for direction, drawing in own.items():
                smallest = drawing.smallest / drawing.scale * largest(drawing, width)
                found.append(Proposal(width, direction, parts, smallest))
                if smallest >= READABLE:
                    return found[-1]
    return max(found, key=lambda one: one.smallest)


def _with(
    options: FigureOptions, direction: Literal["across", "down"], parts: Literal["both", "structure", "measurement"]
) -> FigureOptions:
    turned = direction != options.direction
    changed = {"direction": direction, "parts": parts, "width": None}
    return options.model_copy(update=changed | ({"places": {}, "label_places": {}} if turned else {}))
