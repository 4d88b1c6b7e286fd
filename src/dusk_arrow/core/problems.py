"""A problem: what is wrong, where, why it matters and how it can be put right."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any, Literal

from dusk_arrow.core.parameter_key import ParameterKey

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True)
class Repair:
    """One way out of a problem: the words for a button and the change it makes (None: advice only)."""

    words: str
    change: Any = None


@dataclass(frozen=True)
class Place:
    """A position in a text, both counted from 1."""

    line: int
    column: int


@dataclass(frozen=True)
class Problem:
    """One problem of one shape everywhere; `about` names the constructs, columns or parameters concerned, in words, and
    `parameters` are those among them."""

    code: str
    severity: Severity
    message: str
    about: tuple[str, ...] = ()
    repairs: tuple[Repair, ...] = ()
    place: Place | None = None
    parameters: tuple[ParameterKey, ...] = ()


class ProblemError(Exception):
    """Raised where work cannot go on; carries every problem found, never just the first."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        super().__init__("; ".join(problem.message for problem in problems))
        self.problems = tuple(problems)

    def __reduce__(self) -> tuple[type[ProblemError], tuple[tuple[Problem, ...]]]:
        """Problems survive the way from one process to another."""
        return ProblemError, (self.problems,)


def has_error(problems: Iterable[Problem]) -> bool:
    """Whether any of the problems forbids estimation."""
    return any(problem.severity == "error" for problem in problems)


def nearest_names(name: str, known: Iterable[str], most: int = 5) -> list[str]:
    """The known names that `name` was probably meant to be, the likeliest first."""
    by_folded = {candidate.casefold(): candidate for candidate in known}
    return [by_folded[found] for found in get_close_matches(name.casefold(), by_folded, n=most, cutoff=0.6)]


def nearest(name: str, known: Iterable[str]) -> str | None:
    """The known name that `name` was probably meant to be, or None."""
    return next(iter(nearest_names(name, known, 1)), None)


def counted(count: int, noun: str) -> str:
    """A count with its noun in the right number: `1 set`, `3 sets`."""
    return f"{count:,} {noun if count == 1 else noun + 's'}"


def enumerated(names: Sequence[str]) -> str:
    """All names or clauses as a reader would write them: `a, b and c`."""
    return listed(names, len(names) + 1)


def listed(names: Sequence[str], most: int = 6) -> str:
    """Names as a reader would write them: `a, b and c`, or the first few `and 7 more`."""
    if len(names) > most:
        return f"{', '.join(names[:most])} and {len(names) - most} more"
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"
