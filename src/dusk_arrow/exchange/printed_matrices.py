"""A matrix as papers print it, brought into the shape that files have: names in front of the rows alone or none, numbered rows, means
and SDs in columns, a triangle without its diagonal, dashes, reliabilities or stars in it, notes below."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.problems import Problem
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.number_marks import Mark, value

STATISTICS = {
    **dict.fromkeys(("m", "mean", "means"), "mean"),
    **dict.fromkeys(("sd", "sds", "s.d.", "std. dev."), "sd"),
    "n": "n",
}
DASHES = ("-", "–", "—", "−", "--", "---")
MINUS = re.compile(r"^[–—−](?=[\d.,])")
STARS = re.compile(r"(?<=\d)\s*[*†‡§]+$")
IN_BRACKETS = re.compile(r"^[(\[](.+)[)\]]$")
NUMBERED = re.compile(r"^\d+[.)]?\s+(?=\D)")
NUMBER_ALONE = re.compile(r"^\d+[.)]?$")
CASES = re.compile(r"\bn\s*=\s*([\d,]*\d)", re.IGNORECASE)
DASH, FEWEST = "–", 2
MOST_BESIDE = 1 + len(set(STATISTICS.values()))  # numbers in a line that are not the matrix's: its own, and statistics


@dataclass(frozen=True)
class Printed:
    """The rows as a file would have them, with what is to be said of it."""

    rows: list[list[str]]
    notes: tuple[Problem, ...]


@dataclass(frozen=True)
class _Line:
    """A line of the body: the name in front, and the numbers and dashes after it, as they can be read."""

    name: str
    numbers: list[str]


def _number(cell: str, mark: Mark) -> str | None:
    """A cell without what papers add to a number, but for brackets; dashes are all one, None is text."""
    if cell in DASHES:
        return DASH
    inner = IN_BRACKETS.match(cell)
    plain = MINUS.sub("-", STARS.sub("", inner.group(1) if inner else cell))
    if not np.isfinite(value(plain, mark)):
        return None
    return f"({plain})" if inner else plain


def _bare(number: str) -> str:
    return number.strip("()")


def _line(row: list[str], mark: Mark) -> _Line | None:
    """None for a line in whose numbers there is text."""
    cells = [cell.strip() for cell in row if cell.strip()]
    read = [_number(cell, mark) for cell in cells]
    if len(cells) > 1 and NUMBER_ALONE.match(cells[0]) and read[1] is None:
        cells, read = cells[1:], read[1:]  # the number of the row
    front = next((at for at, found in enumerate(read) if found is not None), len(read))
    numbers = [found for found in read[front:] if found is not None]
    if len(numbers) < len(read) - front:
        return None
    name = NUMBERED.sub("", plain_name(" ".join(cells[:front])))
    return _Line(name, numbers)


def _heads(row: list[str], mark: Mark) -> list[str] | None:
    """The heads of the columns, where a line is one of heads: without numbers, or with those of the variables in order."""
    cells = [cell.strip() for cell in row if cell.strip()]
    counted = [cell.rstrip(".)") for cell in cells if NUMBER_ALONE.match(cell)]
    if any(_number(cell, mark) is not None and not NUMBER_ALONE.match(cell) for cell in cells):
        return None
    if counted and (len(counted) < FEWEST or counted != [str(i + 1) for i in range(len(counted))]):
        return None
    return cells


def _triangle(numbers: list[list[str]], mark: Mark) -> list[list[str]] | None:
    """The whole matrix of a triangle with or without its diagonal, or of a symmetric square; None where lines have other lengths."""
    p = len(numbers)
    lengths = [len(row) for row in numbers]
    full = [[""] * p for _ in range(p)]
    shapes = {
        tuple(range(1, p + 1)): lambda i: range(i + 1),
        tuple(range(p)): lambda i: range(i),
        tuple(range(p, 0, -1)): lambda i: range(i, p),
        tuple(range(p - 1, -1, -1)): lambda i: range(i + 1, p),
        (p,) * p: lambda i: range(p),
    }
    places = shapes.get(tuple(lengths))
    if places is None:
        return None
    for i, row in enumerate(numbers):
        for j, cell in zip(places(i), row, strict=True):
            full[i][j] = cell
            full[j][i] = full[j][i] or cell
    if lengths == [p] * p:
        found = np.array([[value(_bare(cell), mark) for cell in row] for row in full])
        np.fill_diagonal(found, 1)
        if p <= FEWEST or not np.array_equal(found, found.T):
            return None
    for i in range(p):
        full[i][i] = full[i][i] or DASH
    return full


def _without_notes(rows: list[list[str]]) -> tuple[list[list[str]], str | None]:
    """The lines that are no notes, and the number of cases where a note tells it."""
    kept, cases = [], None
    for row in rows:
        text = " ".join(row).strip()
        if text.casefold().startswith(("note", "*", "n =", "n=")):
            found = CASES.search(text)
            cases = found.group(1).replace(",", "") if found else cases
        else:
            kept.append(row)
    return kept, cases


def straightened(rows: list[list[str]], mark: Mark) -> Printed | None:
    """A printed matrix as a file would have it; None where the rows are none, or where nothing needs to be brought into shape."""
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    heads = _heads(rows[0], mark) if rows else None
    rows, cases = _without_notes(rows[0 if heads is None else 1 :])
    if len(rows) > max((sum(map(bool, row)) for row in rows), default=0) + MOST_BESIDE:
        return None  # cases: more lines than there could be variables
    body = []
    for row in rows:
        line = _line(row, mark)
        if line is None or len(line.numbers) > len(rows) + MOST_BESIDE:
            return None  # or more numbers in a line, so the others need not be read
        body.append(line)
    below = {STATISTICS[line.name.casefold()]: line.numbers for line in body if line.name.casefold() in STATISTICS}
    body = [line for line in body if line.name.casefold() not in STATISTICS]
    beside = [STATISTICS[head.casefold()] for head in heads or [] if head.casefold() in STATISTICS]
    p = len(body)
    if all(line.numbers and line.numbers[0].rstrip(".)") == str(at + 1) for at, line in enumerate(body)):
        body = [replace(line, numbers=line.numbers[1:]) for line in body]  # the numbers of the rows
    if p < FEWEST or any(len(line.numbers) < len(beside) for line in body):
        return None
    matrix = _triangle([line.numbers[len(beside) :] for line in body], mark)
    named = [head for head in heads or [] if head.casefold() not in STATISTICS and not NUMBER_ALONE.match(head)]
    names = [line.name for line in body]
    if not all(names):
        names = named if len(named) == p and not any(names) else [f"v{i + 1}" for i in range(p)]
        if any(line.name for line in body):
            return None
    if matrix is None or len(set(names)) < p:
        return None
    return _as_file(body, names, matrix, beside, below, cases, heads is None or len(named) < p, mark)


def _as_file(
    body: list[_Line],
    names: list[str],
    matrix: list[list[str]],
    beside: list[str],
    below: dict[str, list[str]],
    cases: str | None,
    no_heads: bool,
    mark: Mark,
) -> Printed | None:
    p, notes = len(names), []
    diagonal = [matrix[i][i] for i in range(p)]
    bracketed = any(cell.startswith("(") for cell in diagonal)
    implied = [cell == DASH or cell.startswith("(") for cell in diagonal]
    if any(implied) and not all(
        known or float(value(cell, mark)) == 1 for known, cell in zip(implied, diagonal, strict=True)
    ):
        return None  # variances among dashes: nothing says which of the numbers are correlations
    changed = any(implied) or bool(beside) or no_heads or cases is not None
    inside = [matrix[i][j] for i in range(p) for j in range(p) if i != j]
    if not changed or DASH in inside or not (p > FEWEST or any(line.name for line in body)):
        return None
    if bracketed:
        message = "The numbers in brackets on the diagonal are taken for reliabilities; correlations have 1 there."
        notes.append(Problem("diagonal_in_brackets", "note", message))
    for i, known in enumerate(implied):
        matrix[i][i] = "1" if known else matrix[i][i]
    if names[0] == "v1" and not body[0].name:
        message = f"The matrix has no names; its variables are called v1 to v{p}, in its order."
        notes.append(Problem("names_made", "note", message))
    rows = [["", *names], *([name, *map(_bare, row)] for name, row in zip(names, matrix, strict=True))]
    for at, which in enumerate(beside):
        rows.append([which, *(_bare(line.numbers[at]) for line in body)])
    rows += [[which, *map(_bare, numbers)] for which, numbers in below.items()]
    if cases is not None and "n" not in [*beside, *below]:
        rows.append(["n", cases])
    return Printed(rows, tuple(notes))
