"""How wide the columns of a table are on a page."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.figure.text import text_width
from dusk_arrow.report.cells import Table

BESIDE = 13.0  # points between columns, with what a program adds by itself
INSET = 10.0
NARROWEST = 62.0  # of a column of words that wraps


def column_widths(
    table: Table, texts: Sequence[Sequence[str]], size: float, across: float
) -> tuple[list[float], float]:
    """Widths in points of columns of printed cells, and by how much type has to be smaller for them to fit: columns of words give
    way first, and wrap; heads of numbers wrap too."""
    wanted = []
    for at, column in enumerate(table.columns):
        cells = [text_width(row[at].strip(), size, "sans-bold") + INSET * row[at].startswith(" ") for row in texts]
        words = [text_width(word, size) for word in column.words.split()]
        head = max(words, default=0.0) if column.holds != "text" else text_width(column.words, size)
        wanted.append(max([*cells, head]) * 1.06 + BESIDE)
    over = sum(wanted) - across
    givers = [at for at, column in enumerate(table.columns) if column.holds == "text" and wanted[at] > NARROWEST]
    while over > 0.5 and givers:
        room = sum(wanted[at] for at in givers)
        for at in givers:
            wanted[at] = max(wanted[at] - over * wanted[at] / room, NARROWEST)
        over = sum(wanted) - across
        givers = [at for at in givers if wanted[at] > NARROWEST]
    narrow = min(1.0, across / sum(wanted))
    return [width * narrow for width in wanted], narrow
