"""A data set as values: named columns of numbers or texts, with what identifies its contents."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.identity import digest_of
from dusk_arrow.core.linear_algebra import Array

Level = Literal["number", "ordered", "category", "identifier", "text"]


@dataclass(frozen=True)
class Column:
    """One column: `numbers` (n,) with nan where missing, or `texts` (n,) with None where missing."""

    name: str
    level: Level
    numbers: Array | None = None
    texts: NDArray[Any] | None = None
    label: str | None = None
    value_labels: dict[str, str] = field(default_factory=dict)

    @property
    def numeric(self) -> bool:
        """Whether the column can be computed with."""
        return self.numbers is not None


@dataclass(frozen=True)
class DataSet:
    """Columns of equal length in file order.

    `cases` are the rows in the file, counted from 1, where some were left out; `weight` names the column that says how
    much each case counts; `turned` has the columns that were recoded the other way round, with the sum of their scale's
    ends, since careless answers are seen in what was ticked.
    """

    name: str
    columns: tuple[Column, ...]
    cases: tuple[int, ...] | None = None
    weight: str | None = None
    turned: dict[str, float] = field(default_factory=dict)

    @cached_property
    def case_numbers(self) -> tuple[int, ...]:
        """The row in the file, counted from 1, of every case."""
        return tuple(range(1, self.n + 1)) if self.cases is None else self.cases

    @property
    def n(self) -> int:
        """The number of cases."""
        if not self.columns:
            return 0
        first = self.columns[0]
        return len(first.numbers if first.numbers is not None else first.texts)  # type: ignore[arg-type]

    @property
    def names(self) -> tuple[str, ...]:
        """Column names in file order."""
        return tuple(column.name for column in self.columns)

    def column(self, name: str) -> Column:
        """The column of that name. Raises KeyError."""
        for column in self.columns:
            if column.name == name:
                return column
        raise KeyError(name)

    def matrix(self, names: tuple[str, ...]) -> Array:
        """The numbers of some columns side by side (n, p)."""
        columns = [self.column(name).numbers for name in names]
        return np.column_stack([values for values in columns if values is not None])

    def fingerprint(self) -> str:
        """A hash of everything but the name: columns with their values, labels and levels, which rows of the file they are,
        weights, what was turned. The same wherever the same columns are read and described."""
        return digest_of(replace(self, name=""))

    def contents(self) -> str:
        """A hash of the columns' names and values alone."""
        return digest_of([(column.name, column.numbers, column.texts) for column in self.columns])


@dataclass(frozen=True)
class Moments:
    """A covariance matrix (p, p) from elsewhere, with its n, its divisor (n or n−1) and optional means (p,). `correlations`
    without SDs have no divisor: they are analysed as they stand."""

    name: str
    names: tuple[str, ...]
    covariance: Array
    n: int
    divisor_offset: int = 1
    means: Array | None = None
    correlations: bool = False

    def fingerprint(self) -> str:
        """A hash of everything but the name: the variables, their covariances and means, n and divisor."""
        return digest_of(replace(self, name=""))


Source = DataSet | Moments
