"""How files are read, and what comes of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.number_marks import Mark

MISSING = frozenset({"", "NA", "."})


@dataclass(frozen=True)
class ReadingOptions:
    """How to read a file; None means: find out.

    `sheet` and `cells` (such as B3:H40) are for workbooks, the marks for text files. `skip` rows above the names are
    passed over. `names` replace those of the file, `number_names` tells repeated and empty ones apart by numbers.
    `turned_marks` are columns whose points or commas could be decimal or thousands marks, to be read the other way than
    found. `kind` says whether the rows are cases or a matrix; `sds` and `means` stand beside a matrix, in the order of its variables, and
    replace its own. `most_rows` reads no more than the first ones.
    """

    delimiter: str | None = None
    decimal: Mark | None = None
    encoding: str | None = None
    header: bool = True
    missing_codes: tuple[str, ...] = ()
    sheet: str | None = None
    cells: str | None = None
    skip: int = 0
    names: tuple[str, ...] | None = None
    number_names: bool = False
    turned_marks: tuple[str, ...] = ()
    kind: Literal["cases", "matrix"] | None = None
    most_rows: int | None = None
    sds: tuple[float, ...] = ()
    means: tuple[float, ...] = ()


@dataclass(frozen=True)
class ReadAgain:
    """A repair of the reading itself: options to be read with instead."""

    options: dict[str, Any]
    type: Literal["read_again"] = "read_again"


@dataclass(frozen=True)
class Reading:
    """A data set with what was noticed while reading it."""

    data: DataSet
    problems: tuple[Problem, ...]


def refuse(code: str, message: str, *about: str) -> ProblemError:
    """One error to raise."""
    return ProblemError([Problem(code, "error", message, about)])
