"""A data set as values: named columns of numbers or texts, with what identifies its contents."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

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
        """A hash of names and parsed values, the same wherever the same columns are read."""
        digest = hashlib.sha256()
        for column in self.columns:
            digest.update(column.name.encode() + b"\0")
            if column.numbers is not None:
                values = np.where(np.isnan(column.numbers), np.nan, column.numbers + 0.0)
                digest.update(values.astype("<f8").tobytes())
            elif column.texts is not None:
                digest.update("\0".join("\1" if t is None else str(t) for t in column.texts).encode())
        if self.weight is not None:
            digest.update(f"weight {self.weight}".encode())
        return digest.hexdigest()


@dataclass(frozen=True)
class Moments:
    """A covariance matrix (p, p) from elsewhere, with its n, its divisor (n or n−1) and optional means (p,)."""

    name: str
    names: tuple[str, ...]
    covariance: Array
    n: int
    divisor_offset: int = 1
    means: Array | None = None

    def fingerprint(self) -> str:
        """A hash of names, numbers and n."""
        digest = hashlib.sha256("\0".join(self.names).encode())
        digest.update(self.covariance.astype("<f8").tobytes() + f"{self.n}/{self.divisor_offset}".encode())
        return digest.hexdigest()


Source = DataSet | Moments
