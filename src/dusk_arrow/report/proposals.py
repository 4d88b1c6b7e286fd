"""How a figure would be read in print: the narrowest of the usual widths, across or down, in either notation, with items or without."""

from __future__ import annotations

from collections.abc import Iterator
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
    notation: Literal["literature", "cards"]
    smallest: float


def proposal(figure: NamedFigure, results: Results) -> Proposal:
    """What is proposed for a figure of the whole model: the first that can be read of one column, two columns and a page on its side,
    as it runs or the other way; then the same in the other notation; then without items; else what is read best."""
    found: list[Proposal] = []
    for kind in _kinds(figure.options, results):
        if found and (kind[0].parts, kind[0].notation) == (found[0].parts, found[0].notation):
            continue  # so many items are not drawn in the first place
        drawn = [(options, diagram(results, options, None, False)) for options in kind]
        for width in (ONE_COLUMN, TWO_COLUMNS, SIDEWAYS):
            for options, drawing in drawn:
                smallest = drawing.smallest / drawing.scale * largest(drawing, width)
                parts = drawing.parts or "both"
                found.append(Proposal(width, options.direction, parts, options.notation, smallest))
                if smallest >= READABLE:
                    return found[-1]
    return max(found, key=lambda one: one.smallest)


def _kinds(chosen: FigureOptions, results: Results) -> Iterator[list[FigureOptions]]:
    """The choices to try, each as it runs and the other way, in the order in which they are preferred."""
    turned: dict[str, object] = {
        "direction": "down" if chosen.direction == "across" else "across",
        "places": {},
        "label_places": {},
    }
    kinds: list[dict[str, object]] = [{}]
    if chosen.parts in (None, "both"):
        kinds.append(
            {"notation": "cards" if chosen.notation == "literature" else "literature", "places": {}, "label_places": {}}
        )
        if any(parameter.kind == "path" for parameter in results.parameters):
            kinds.append({"parts": "structure"})
    for kind in kinds:
        yield [chosen.model_copy(update={"width": None, **kind, **way}) for way in ({}, turned)]
