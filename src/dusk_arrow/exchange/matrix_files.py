"""Recognising and reading a covariance or correlation matrix among the rows of a file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.observations.screening import check_covariance
from dusk_arrow.core.problems import Problem, Repair, counted
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.number_marks import Mark, value
from dusk_arrow.exchange.reading_options import ReadAgain, refuse

EXTRA_ROWS = ("n", "sd", "mean")
MOST_ROWS = 1010
ALIKE = 1e-6
ROUNDED, TELLING = 0.011, 0.05  # what two digits leave open; what is no typing error


@dataclass(frozen=True)
class Table:
    """Rows of cells taken apart: names of the variables, a row of cells for each, rows called n, sd or mean, and
    whether the names stand in front of the rows too."""

    names: list[str]
    body: list[list[str]]
    extra: dict[str, list[str]]
    named_rows: bool


def _take_apart(rows: list[list[str]]) -> Table:
    header = [plain_name(cell) for cell in rows[0]]
    first = [plain_name(row[0]) for row in rows[1:] if row]
    own = [cell for cell in first if cell.casefold() not in EXTRA_ROWS or cell in header]
    inner = [cell for cell in header[1:] if cell]
    all_of_them = [cell for cell in header if cell]
    named = len(own) > 1 and (own == inner[: len(own)] or own == all_of_them[: len(own)])
    names = inner if named and own == inner[: len(own)] else all_of_them
    extra: dict[str, list[str]] = {}
    body: list[list[str]] = []
    for row in rows[1:]:
        cells = [cell.strip() for cell in row]
        if cells and cells[0].casefold() in EXTRA_ROWS and cells[0] not in names:
            extra[cells[0].casefold()] = [cell for cell in cells[1:] if cell]
        else:
            body.append(cells[1:] if named else cells)
    return Table(names, body, extra, named)


def looks_like_matrix(rows: list[list[str]], mark: Mark = ".") -> bool:
    """Whether rows are those of a matrix of named variables: with names in front of the rows too, as a triangle, or
    square, symmetric and possible as covariances."""
    if not 3 <= len(rows) <= MOST_ROWS:
        return False
    table = _take_apart(rows)
    names, p = table.names, len(table.names)
    if p < 2 or len(set(names)) < p or not any(np.isnan(value(name, mark)) for name in names):
        return False
    if table.named_rows:
        return True
    if len(table.body) != p:
        return False
    matrix = _place(table.body, p, mark)
    if matrix is None or np.isnan(np.tril(matrix)).any():
        return False
    variances = np.diag(matrix)
    bound = np.sqrt(np.outer(np.abs(variances), np.abs(variances)))
    beyond = np.abs(matrix) >= bound
    np.fill_diagonal(beyond, False)
    symmetric = np.abs(matrix - matrix.T) <= ALIKE * bound
    return bool((variances > 0).all() and symmetric.all() and not beyond.any())


def _place(body: list[list[str]], p: int, mark: Mark) -> Array | None:
    """The cells of a matrix (p, p), a triangle mirrored; None where a cell is no number or the shape is another."""
    filled = [[cell for cell in row if cell] for row in body]
    shrinking = [len(row) for row in filled] == list(range(p, 0, -1)) and p > 1
    matrix = np.full((p, p), np.nan)
    for i, row in enumerate(body):
        cells = [""] * i + filled[i] if shrinking else row
        for j, cell in enumerate(cells[:p]):
            if cell:
                matrix[i, j] = value(cell, mark)
                if np.isnan(matrix[i, j]):
                    return None
        if any(cells[p:]):
            return None
    gaps = np.isnan(matrix)
    return np.where(gaps, matrix.T, matrix)


def _cell(text: str, row: str, column: str, mark: Mark) -> float:
    found = value(text, mark)
    if not np.isfinite(found):
        raise refuse("text_in_matrix", f"“{text}” in row {row}, column {column} is not a number.")
    return found


def _matrix(table: Table, mark: Mark) -> tuple[Array, list[Problem]]:
    """The covariances, with what is to be said of how they stood there. Raises ProblemError."""
    names, p = table.names, len(table.names)
    if len(set(names)) < p:
        raise refuse("duplicate_names", "Two variables of the matrix have the same name.")
    if len(table.body) != p:
        raise refuse(
            "not_a_matrix",
            f"The matrix has {counted(p, 'name')} in the first line but {counted(len(table.body), 'row')}.",
        )
    for name, row in zip(names, table.body, strict=True):
        for other, cell in zip(names, row, strict=False):
            if cell:
                _cell(cell, name, other, mark)
    matrix = _place(table.body, p, mark)
    if matrix is None:
        raise refuse("not_a_matrix", f"A row of the matrix has more values than the {p} names in the first line.")
    if _covariances_above(matrix):
        message = "The matrix has correlations below its diagonal and covariances above it; the covariances are used."
        return np.triu(matrix) + np.triu(matrix, 1).T, [Problem("covariances_above", "note", message)]
    for i in range(p):
        for j in range(i + 1):
            if np.isnan(matrix[i, j]):
                raise refuse("not_a_matrix", f"Row {names[i]}, column {names[j]} of the matrix is empty.")
            if abs(matrix[i, j] - matrix[j, i]) > ALIKE * max(np.sqrt(abs(matrix[i, i] * matrix[j, j])), 1e-300):
                raise refuse("not_symmetric", f"The matrix is not symmetric at {names[j]} and {names[i]}.")
    return matrix, []


def _covariances_above(matrix: Array) -> bool:
    """Whether a matrix has correlations below its diagonal and the covariances that go with them above it, as far as two digits tell."""
    variances = np.diag(matrix)
    if np.isnan(matrix).any() or not (variances > 0).all():
        return False
    size = np.sqrt(np.outer(variances, variances))
    if (np.abs(matrix - matrix.T) / size).max() < TELLING:
        return False  # a typing error in a symmetric matrix
    return bool((np.abs((matrix / size).T - matrix)[np.tril_indices(len(matrix), -1)] <= ROUNDED).all())


def _possible(names: list[str], matrix: Array) -> None:
    """Raises ProblemError where single numbers cannot be variances or covariances: a typing error."""
    for i, name in enumerate(names):
        if not matrix[i, i] > 0:
            raise refuse(
                "impossible_variance", f"The variance of {name} is {matrix[i, i]:g}; it has to be above 0.", name
            )
    for i in range(len(names)):
        for j in range(i):
            correlation = matrix[i, j] / np.sqrt(matrix[i, i] * matrix[j, j])
            if abs(correlation) > 1 + ALIKE:
                message = (
                    f"{names[j]} and {names[i]} would correlate at {correlation:.3g}, beyond 1; check that number."
                )
                raise refuse("impossible_correlation", message, names[j], names[i])


def _row(table: Table, which: str, mark: Mark) -> Array | None:
    given = table.extra.get(which)
    if not given:
        return None
    values = np.array([_cell(cell, which, f"{at + 1}", mark) for at, cell in enumerate(given)])
    return _as_many(table, which, values)


def _beside(table: Table, which: str, mark: Mark, given: Sequence[float]) -> Array | None:
    """SDs or means as they were given beside the matrix, or else its own row of them."""
    if not len(given):
        return _row(table, which, mark)
    if not np.isfinite(given).all():
        raise refuse("text_in_matrix", f"One of the numbers given as {which} is none.")
    return _as_many(table, which, np.array(given, dtype=float))


def _as_many(table: Table, which: str, values: Array) -> Array:
    if which != "n" and values.size != len(table.names):
        word = {"sd": "SD", "mean": "mean"}[which]
        there = "is" if values.size == 1 else "are"
        raise refuse("not_a_matrix", f"There {there} {counted(values.size, word)} for {len(table.names)} variables.")
    return values


def _cases(given: int | None, table: Table, mark: Mark) -> tuple[int, list[Problem]]:
    """How many cases are behind the matrix, as given or from its row n. Raises ProblemError."""
    row = _row(table, "n", mark)
    if given is None and row is None:
        raise refuse("n_missing", "How many cases are behind the matrix? Everything that is tested needs that number.")
    n = float(given) if given is not None else float(row.min()) if row is not None else 0.0
    if n < 2 or n != int(n) or n > 1e9:
        raise refuse("n_missing", f"The number of cases behind the matrix is a whole number above 1, not {n:g}.")
    if given is None and row is not None and np.ptp(row) > 0:
        message = f"The variables have different n, from {row.min():g} to {row.max():g}; the smallest is used."
        return int(n), [Problem("n_differs", "warning", message)]
    return int(n), []


def read_matrix(
    rows: list[list[str]],
    name: str,
    n: int | None,
    divisor_offset: int = 1,
    mark: Mark = ".",
    sds: Sequence[float] = (),
    means: Sequence[float] = (),
) -> tuple[Moments, list[Problem]]:
    """A full or triangular matrix with variable names in the first row, and in front of each row or not.

    Further rows named `n`, `sd` and `mean` may follow; `sds` and `means` that are given replace them. Raises ProblemError when it cannot be used; correlations
    without SDs, and a matrix that is not positive definite, are read with a warning.
    """
    if len(rows) < 3:
        raise refuse("not_a_matrix", "The file holds no matrix: a line of names and a line per variable are needed.")
    table = _take_apart(rows)
    names = table.names
    matrix, problems = _matrix(table, mark)
    _possible(names, matrix)
    sd = _beside(table, "sd", mark, sds)
    own_means = _beside(table, "mean", mark, means)
    correlations = bool(np.allclose(np.diag(matrix), 1.0, atol=1e-8))
    if sd is not None:
        if not (sd > 0).all():
            raise refuse("impossible_variance", "An SD of the matrix is 0 or below.")
        if not correlations:
            message = (
                "The diagonal of the matrix is not 1, so beside SDs it is none of correlations. If reliabilities stand there, "
                "put dashes in their place; if variances do, leave the SDs out."
            )
            raise refuse("sds_beside_variances", message)
        matrix = matrix * np.outer(sd, sd)
    cases, noticed = _cases(n, table, mark)
    if sd is None and correlations:
        message = (
            "The matrix is a correlation matrix without SDs. It is analysed as it stands; standard errors of a "
            "correlation structure are then approximate (Cudeck 1989)."
        )
        problems.append(Problem("correlations_analysed", "warning", message))
    problems += noticed
    for found in check_covariance(names, matrix, cases, given=True):
        words = f"{found.message} A model of all these columns cannot be estimated; one of fewer may be."
        problems.append(replace(found, severity="warning", message=words))
    return Moments(name, tuple(names), matrix, cases, divisor_offset, own_means, sd is None and correlations), problems


def taken_as_matrix(rows: list[list[str]]) -> Problem:
    """What is said where a file was recognised as a matrix, with the way to read it otherwise."""
    count = len(_take_apart(rows).names)
    message = f"The rows are read as a covariance or correlation matrix of {count} variables, not as cases."
    return Problem("read_as_matrix", "note", message, (), (Repair("They are cases", ReadAgain({"kind": "cases"})),))
