"""Reading a text that is still being written: every line for itself, so that one that does not read blocks no other."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dusk_arrow.core.problems import ProblemError, nearest_names
from dusk_arrow.core.specification.limits import check_names, check_text
from dusk_arrow.core.specification.names import names_of
from dusk_arrow.core.specification.sentences import parse_line
from dusk_arrow.core.specification.statements import (
    Calls,
    Line,
    MadeOf,
    Matches,
    Reference,
    Shows,
    Specification,
    Tracks,
    references,
)
from dusk_arrow.core.specification.writing import name_text, statement_text


@dataclass(frozen=True)
class LineReading:
    """What became of a line: its value where it reads, else what is wrong, from which column to which (counted from 0), and
    the names that could be meant there, as they are written."""

    line: Line | None
    message: str = ""
    begin: int = 0
    end: int = 0
    nearest: tuple[str, ...] = ()


def _defined(lines: Iterable[Line | None]) -> tuple[set[str], set[str]]:
    """The constructs and the named parameters and quantities that lines define."""
    constructs: set[str] = set()
    labels: set[str] = set()
    for line in lines:
        match line.statement if line is not None else None:
            case Shows(name) | MadeOf(name):
                constructs.add(name)
            case Calls(_, name) | Tracks(name):
                labels.add(name)
    return constructs, labels


def _needed(line: Line) -> tuple[list[str], list[str]]:
    """The names of constructs or columns, and of parameters, that a line takes for granted."""
    statement = line.statement
    if statement is None:
        return [], []
    names = names_of(Specification((line,)))
    if isinstance(statement, Shows | MadeOf):
        names = list(statement.indicators)
    labels: list[str] = []
    if isinstance(statement, Matches):
        labels = [m.name for m in statement.members if isinstance(m, Reference)]
    elif isinstance(statement, Tracks) and not isinstance(statement.quantity, tuple):
        labels = references(statement.quantity)
    return names, labels


def _place(text: str, name: str) -> tuple[int, int]:
    found = re.search(rf'(?<![\w.])(?:"{re.escape(name)}"|{re.escape(name)})(?![\w.])', text)
    return found.span() if found else (0, len(text.rstrip()))


def _faulty(text: str, line: Line, known: set[str], labels: set[str], coming: dict[str, int]) -> LineReading | None:
    """What is wrong with a line whose grammar is right, if a name in it is not known."""
    names, named = _needed(line)
    for wanted, there, what in ((names, known, "construct or column"), (named, labels, "named parameter")):
        for name in wanted:
            if name in there:
                continue
            begin, end = _place(text, name)
            if name in coming:
                return LineReading(None, f"{name} is said on line {coming[name]}, which is not read yet.", begin, end)
            guesses = tuple(name_text(guess) for guess in nearest_names(name, sorted(there)))
            hint = f" Nearest: {guesses[0]}." if guesses else ""
            return LineReading(None, f"No {what} “{name}”.{hint}", begin, end, guesses)
    return None


def read_lines(rows: Sequence[str], columns: Iterable[str]) -> list[LineReading]:
    """Every row of a text read on its own, given the columns of the data.

    A line reads where its grammar is right and every name in it is a column, or defined on a line that reads too.
    Raises ProblemError for a text that is too long.
    """
    check_text(len(rows), sum(map(len, rows)))
    readings: list[LineReading] = []
    for row in rows:
        try:
            readings.append(LineReading(parse_line(row)))
        except ProblemError as error:
            problem = error.problems[0]
            begin = min(problem.place.column - 1 if problem.place else 0, len(row))
            end = begin + len(re.match(r'"[^"]*"?|[\w.]+|\S?', row[begin:]).group())  # type: ignore[union-attr]
            words = f"{problem.message[:1].upper()}{problem.message[1:]}."
            readings.append(LineReading(None, words, begin, max(end, begin)))
    given = set(columns)
    defined_anywhere = {
        name: number
        for number, reading in reversed(list(enumerate(readings, start=1)))
        for name in set().union(*_defined([reading.line]))
    }
    while True:
        constructs, labels = _defined(reading.line for reading in readings)
        changed = False
        for at, (row, reading) in enumerate(zip(rows, readings, strict=True)):
            if reading.line is None:
                continue
            coming = {n: line for n, line in defined_anywhere.items() if n not in constructs | labels}
            fault = _faulty(row, reading.line, given | constructs, labels, coming)
            if fault is not None:
                readings[at], changed = fault, True
        if not changed:
            break
    check_names(name for reading in readings if reading.line for name in names_of(Specification((reading.line,))))
    return readings


def what_reads(readings: Sequence[LineReading]) -> Specification:
    """The specification of the lines that read; blank lines at the end do not count."""
    lines = [reading.line for reading in readings if reading.line is not None]
    while lines and lines[-1] == Line():
        lines.pop()
    return Specification(tuple(lines))


def words_between(before: Specification, after: Specification) -> str:
    """What an edit of the text did, in the few words that stand for it in the history."""
    old, new = list(before.statements), list(after.statements)
    gone = [s for s in old if s not in new]
    come = [s for s in new if s not in old]
    if not gone and not come:
        return "sentences put in another order" if old != new else "comments edited"
    if len(come) == 1 and len(gone) <= 1:
        return statement_text(come[0])
    if not come and len(gone) == 1:
        return f"taken out: {statement_text(gone[0])}"
    return f"{max(len(come), len(gone))} sentences edited"
