"""How large a figure is printed: the widths of a journal, and the page that it has to fit on."""

from __future__ import annotations

from dusk_arrow.figure.drawing import Drawing

MM = 72 / 25.4
ONE_COLUMN, TWO_COLUMNS, SIDEWAYS = 84.0, 174.0, 257.0  # mm; the last on a page turned on its side
TALLEST, LOW = 225.0, 140.0  # mm that a figure may be high on a page upright, and on its side
READABLE = 6.0  # points


def largest(drawing: Drawing, width: float) -> float:
    """The scale in which a figure is `width` mm wide, or less where the page is not high enough; what is wider than the text goes on
    a page turned on its side, where that is larger."""
    upright = min(min(width, TWO_COLUMNS) * MM / drawing.width, TALLEST * MM / drawing.height)
    turned = min(min(width, SIDEWAYS) * MM / drawing.width, LOW * MM / drawing.height)
    return max(upright, turned)


def page(upright: bool) -> tuple[float, float]:
    """The room that a figure has on a page, upright or on its side: width and height in points."""
    return (TWO_COLUMNS * MM, TALLEST * MM) if upright else (SIDEWAYS * MM, LOW * MM)


def sideways(drawing: Drawing) -> bool:
    """Whether a figure needs a page that is turned on its side."""
    return drawing.width * drawing.scale > TWO_COLUMNS * MM + 1
