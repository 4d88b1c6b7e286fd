"""Names of columns: from the first row, from elsewhere, or numbered."""

from __future__ import annotations

import re

from dusk_arrow.core.problems import Problem, ProblemError, Repair, counted, listed
from dusk_arrow.core.specification.limits import LONGEST_NAME
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.reading_options import ReadAgain, ReadingOptions, refuse


def short_name(name: str) -> str:
    """A name as it is kept, no longer than names in a model may be."""
    plain = plain_name(name)
    return plain if len(plain) <= LONGEST_NAME else f"{plain[: LONGEST_NAME - 1].rstrip()}…"


def told_apart(names: list[str]) -> list[str]:
    """Names told apart: empty ones become v3 after their position, repeated ones get numbers."""
    result: list[str] = []
    for position, name in enumerate(names):
        wanted = name or f"v{position + 1}"
        fresh, number = wanted, 2
        while fresh in result or (fresh != wanted and fresh in names):
            fresh, number = f"{wanted}_{number}", number + 1
        result.append(fresh)
    return result


def column_names(first: list[str], options: ReadingOptions) -> tuple[list[str], int]:
    """Names of the columns, given the first row, and how many rows they take up (0 or 1). Raises ProblemError."""
    if options.names is not None:
        if len(options.names) != len(first):
            message = f"The list has {counted(len(options.names), 'name')} for {counted(len(first), 'column')}."
            raise refuse("names_do_not_match", message)
        names = [short_name(name) for name in options.names]
        rows = 1 if options.header else 0
    elif not options.header:
        return [f"v{i + 1}" for i in range(len(first))], 0
    else:
        names, rows = [short_name(name) for name in first], 1
        numeric = sum(bool(re.fullmatch(r"[+-]?\d+([.,]\d+)?", name)) for name in names)
        if numeric > len(names) / 2:
            message = "The first line holds numbers, not names. Give the columns names in the first line."
            repair = Repair("The first line is data: number the columns", ReadAgain({"header": False}))
            raise ProblemError([Problem("no_header", "error", message, (), (repair,))])
    if options.number_names:
        names = told_apart(names)
    check_names(names)
    return names, rows


def check_names(names: list[str]) -> None:
    """Raises ProblemError where a column has no name, or another one's."""
    repair = Repair("Number the names", ReadAgain({"number_names": True}))
    unnamed = [str(i + 1) for i, name in enumerate(names) if not name]
    if unnamed:
        message = f"The column at position {listed(unnamed)} has no name in the first line."
        raise ProblemError([Problem("column_without_name", "error", message, (), (repair,))])
    twice = sorted({name for name in names if names.count(name) > 1}) if len(set(names)) < len(names) else []
    if twice:
        problems = [
            Problem(
                "duplicate_names",
                "error",
                f"{names.count(name)} columns are called {name} "
                f"(positions {listed([str(i + 1) for i, other in enumerate(names) if other == name])}). "
                "Give each its own name in the first line of the file.",
                (name,),
                (repair,),
            )
            for name in twice[:20]
        ]
        raise ProblemError(problems)
