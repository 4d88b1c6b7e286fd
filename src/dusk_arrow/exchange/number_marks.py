"""Decimal and thousands marks of numbers written as text: decided column by column, never for a whole file at once."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

Mark = Literal[".", ","]

PLAIN = re.compile(r"[+-]?\d+(?:[eE][+-]?\d+)?")
POINT = re.compile(r"[+-]?(?:\d+\.\d*|\.\d+)(?:[eE][+-]?\d+)?")
COMMA = re.compile(r"[+-]?(?:\d+,\d*|,\d+)(?:[eE][+-]?\d+)?")
BY_POINT = re.compile(r"[+-]?[1-9]\d{0,2}(?:\.\d{3})+(?:,\d+)?")
BY_COMMA = re.compile(r"[+-]?[1-9]\d{0,2}(?:,\d{3})+(?:\.\d+)?")
CERTAIN = re.compile(r"[+-]?(?:\d*,(?:\d{1,2}|\d{4,})|0?,\d+|\d{4,},\d+)")
FRACTION = re.compile(r",\d+")
QUOTED = re.compile(r'" *([+-]?\d*,\d+) *"')
LOOKED_AT = 200_000


@dataclass(frozen=True)
class Style:
    """How a column writes its numbers. `doubt` says that it could be the other way round, `other` that it differs from
    the rest of the file; `example` is a cell of the kind in question."""

    mark: Mark
    doubt: bool = False
    other: bool = False
    example: str = ""


def guess_mark(text: str, delimiter: str) -> tuple[Mark, bool]:
    """The decimal mark of a file and whether that is certain: a comma where a cell can only be read with one, or where
    semicolons separate the columns and some cells may be."""
    possible = False
    cells = _cells_with_comma(text, delimiter)
    for cell in itertools.islice(cells, LOOKED_AT):
        if CERTAIN.fullmatch(cell):
            return ",", True
        possible = True
    if possible and delimiter == ";":
        return ",", False
    return ".", delimiter == "," or not possible


def _cells_with_comma(text: str, delimiter: str) -> Iterator[str]:
    """Cells that are digits with one comma among or before them; between commas as delimiters only quoted ones."""
    if delimiter == ",":
        yield from (found[1] for found in QUOTED.finditer(text))
        return
    edges = {"\n", "\r", '"', delimiter}
    for found in FRACTION.finditer(text):
        begin, end = found.span()
        while begin > 0 and text[begin - 1].isdigit():
            begin -= 1
        if begin > 0 and text[begin - 1] in "+-":
            begin -= 1
        left, right = begin, end
        while left > 0 and text[left - 1] == " " and delimiter != " ":
            left -= 1
        while right < len(text) and text[right] == " " and delimiter != " ":
            right += 1
        before, after = text[left - 1] if left else "\n", text[right] if right < len(text) else "\n"
        if before in edges and after in edges:
            yield text[begin:end]


def reads(mark: Mark) -> Callable[[str], bool]:
    """Whether a text is a number with that decimal mark; the other one may only stand between groups of three."""
    if mark == ".":
        return lambda text: bool(PLAIN.fullmatch(text) or POINT.fullmatch(text) or BY_COMMA.fullmatch(text))
    return lambda text: bool(PLAIN.fullmatch(text) or COMMA.fullmatch(text) or BY_POINT.fullmatch(text))


def value(text: str, mark: Mark) -> float:
    """The number that a text is with that decimal mark; nan where it is none."""
    if not reads(mark)(text):
        return float("nan")
    return float(text.replace(",", "") if mark == "." else text.replace(".", "").replace(",", "."))


def style_of(texts: Iterable[str], mark: Mark, certain: bool, turned: bool = False, typed: bool = False) -> Style:
    """How a column of texts writes its numbers in a file whose decimal mark is `mark`.

    `turned` asks for the other reading where both are possible; `typed` says that points come from numbers of a
    workbook, so that they are decimal marks.
    """
    odd_ones = [text for text in texts if not PLAIN.fullmatch(text)]
    points = any("." in text for text in odd_ones)
    commas = any("," in text for text in odd_ones)
    if not (points or commas):
        return Style(mark)
    fits: dict[Mark, bool] = {".": all(map(reads("."), odd_ones)), ",": all(map(reads(","), odd_ones))}
    if typed and points:
        fits[","] = False
    rest: Mark = "," if mark == "." else "."
    if not fits[mark]:
        return Style(rest, other=True, example=odd_ones[0]) if fits[rest] else Style(mark)
    if not fits[rest]:
        return Style(mark)
    ordinary = mark == "." and not commas  # 1.234 in a file without a comma in sight
    grouping = (points and not commas) if mark == "," else commas
    doubt = not ordinary and (grouping or not certain)
    return Style(rest if turned and doubt else mark, doubt=doubt, example=odd_ones[0])
