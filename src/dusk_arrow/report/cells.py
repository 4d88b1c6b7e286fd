"""Tables as values: what stands in their cells, and how it is printed. Rounding happens on printing, so a workbook gets whole numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from dusk_arrow.core.assessment.criteria import Criterion
from dusk_arrow.core.wording import MOST_DECIMALS, coefficient, p_text, plain, telling

Kind = Literal["share", "plain", "p", "count"]


@dataclass(frozen=True)
class Number:
    """A figure: `share` cannot usually exceed 1 and may lose its leading zero, `plain` is in its own units, `p` a probability,
    `count` a whole number; decimals are the table's unless given. `mark` follows it (stars, a verdict); `empty` stands where there is none.
    A p of so many `resamples` is not said to be smaller than they can tell; a figure that is judged by a `criterion` gets the decimals
    that show its verdict."""

    value: float | None
    kind: Kind = "share"
    decimals: int | None = None
    mark: str = ""
    empty: str = "–"
    resamples: int | None = None
    criterion: Criterion | None = None
    reliability: float | None = None


@dataclass(frozen=True)
class Range:
    """An interval; None where there is none."""

    bounds: tuple[float, float] | None
    kind: Kind = "share"
    decimals: int | None = None


Cell = str | Number | Range
Align = Literal["text", "number", "range"]


@dataclass(frozen=True)
class Column:
    """A column: its heading and what stands in it."""

    words: str
    holds: Align = "number"


@dataclass(frozen=True)
class Row:
    """A row; a `heading` opens a group, as a construct does over its items."""

    cells: tuple[Cell, ...]
    heading: bool = False


@dataclass(frozen=True)
class Table:
    """A table for a paper: its title, columns, rows and the notes below it."""

    key: str
    title: str
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    notes: tuple[str, ...] = ()

    def titled(self, title: str | None) -> Table:
        """The same under another title, where one is given."""
        return replace(self, title=title) if title else self


@dataclass(frozen=True)
class Style:
    """How numbers are written: decimals of coefficients, and .43 or 0.43."""

    decimals: int = 2
    leading_zero: bool = False

    def number(
        self, value: float | None, kind: Kind = "share", decimals: int | None = None, resamples: int | None = None
    ) -> str:
        """A number as text."""
        places = self.decimals if decimals is None else decimals
        if value is None:
            return "–"
        if kind == "count":
            return f"{value:,.0f}"
        if kind == "p":
            text = p_text(value, resamples)
            return text.replace(" .", " 0.") if self.leading_zero and text[0] in "<≤" else self._zero(text)
        if kind == "plain":
            return plain(value, places)
        return plain(value, places) if self.leading_zero else coefficient(value, places)

    def _zero(self, text: str) -> str:
        return f"0{text}" if self.leading_zero and text.startswith(".") else text

    def range(self, bounds: tuple[float, float] | None, kind: Kind = "share", decimals: int | None = None) -> str:
        """An interval as text, empty where there is none."""
        if bounds is None:
            return ""
        places = telling(bounds, self.decimals if decimals is None else decimals)
        return f"[{self.number(bounds[0], kind, places)}, {self.number(bounds[1], kind, places)}]"

    def judged(
        self, value: float, criterion: Criterion, decimals: int | None = None, reliability: float | None = None
    ) -> str:
        """A figure with as many decimals as show its verdict: an AVE of .4996 that misses .50 is no .50."""
        places = self.decimals if decimals is None else decimals
        kind: Kind = "plain" if criterion.good is not None and criterion.good > 1 else "share"
        verdict = criterion.judge(value, reliability)
        while places < MOST_DECIMALS and criterion.judge(round(value, places), reliability) != verdict:
            places += 1
        return self.number(value, kind, places)

    def p(self, value: float | None, resamples: int | None = None) -> str:
        """`p = .021`, `p < .001`; at the floor of so many resamples `p ≤ .004 (500 resamples)`."""
        text = self.number(value, "p", resamples=resamples)
        if text[0] == "≤":
            return f"p {text} ({resamples:,} resamples)"
        return f"p {text}" if text[0] in "<–" else f"p = {text}"

    def printed(self, cell: Cell) -> str:
        """What stands in a cell."""
        if isinstance(cell, str):
            return cell
        if isinstance(cell, Range):
            return self.range(cell.bounds, cell.kind, cell.decimals)
        if cell.value is None:
            return cell.empty
        if cell.criterion is not None:
            return self.judged(cell.value, cell.criterion, cell.decimals, cell.reliability) + cell.mark
        return self.number(cell.value, cell.kind, cell.decimals, cell.resamples) + cell.mark


def spread(table: Table) -> tuple[list[str], list[list[str | float | None]]]:
    """Headings and cells of a table in which every cell is one value, as spreadsheets want it: an interval takes two columns,
    a number stays a number, and what is not there is empty."""
    heads: list[str] = []
    for column in table.columns:
        heads += [f"{column.words}, from", "to"] if column.holds == "range" else [column.words]
    rows = []
    for row in table.rows:
        cells: list[str | float | None] = []
        for column, cell in zip(table.columns, row.cells, strict=True):
            if isinstance(cell, Range):
                cells += list(cell.bounds) if cell.bounds else [None, None]
            elif isinstance(cell, Number):
                missing = None if cell.empty == "–" else cell.empty
                cells.append(missing if cell.value is None else cell.value)
                cells += [None] * (column.holds == "range")
            else:
                cells.append(cell or None)
                cells += [None] * (column.holds == "range")
        rows.append(cells)
    return heads, rows
