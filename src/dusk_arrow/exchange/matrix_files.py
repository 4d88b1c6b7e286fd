"""Reading a covariance or correlation matrix from a delimited text file."""

from __future__ import annotations

import csv

import numpy as np

from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.csv_files import decode, guess_delimiter

EXTRA_ROWS = ("n", "sd", "mean")


def _refuse(code: str, message: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message)])


def _cell(text: str, row: str, column: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise _refuse("text_in_matrix", f"“{text}” in row {row}, column {column} is not a number.") from None
    if not np.isfinite(value):
        raise _refuse("text_in_matrix", f"Row {row}, column {column} holds no finite number.")
    return value


def read_matrix(content: bytes, name: str, n: int | None, divisor_offset: int = 1) -> tuple[Moments, list[Problem]]:
    """A full or lower-triangular matrix with variable names in the first line, and in front of each row or not.

    Further rows named `n`, `sd` and `mean` may follow. Raises ProblemError when it cannot be used; a correlation
    matrix without SDs is read with a warning.
    """
    text, _ = decode(content)
    rows = [r for r in csv.reader(text.splitlines(), delimiter=guess_delimiter(text)) if any(c.strip() for c in r)]
    if len(rows) < 3:
        raise _refuse("not_a_matrix", "The file holds no matrix: a line of names and a line per variable are needed.")
    names = [cell.strip() for cell in rows[0] if cell.strip()]
    extra: dict[str, list[str]] = {}
    body: list[list[str]] = []
    for row in rows[1:]:
        head = row[0].strip()
        if head.casefold() in EXTRA_ROWS and head not in names:
            extra[head.casefold()] = [cell.strip() for cell in row[1:] if cell.strip()]
        else:
            body.append([cell.strip() for cell in (row[1:] if head in names else row)])
    if len(set(names)) < len(names):
        raise _refuse("duplicate_names", "Two variables of the matrix have the same name.")
    p = len(names)
    if len(body) != p:
        raise _refuse("not_a_matrix", f"The matrix has {p} names in the first line but {len(body)} rows.")
    matrix = np.zeros((p, p))
    for i, cells in enumerate(body):
        for j in range(p):
            given = cells[j] if j < len(cells) else ""
            if given:
                matrix[i, j] = _cell(given, names[i], names[j])
                if j > i:
                    continue
                matrix[j, i] = matrix[i, j]
            elif j <= i:
                raise _refuse("not_a_matrix", f"Row {names[i]}, column {names[j]} of the matrix is empty.")
    for i, cells in enumerate(body):
        for j in range(i + 1, p):
            given = cells[j] if j < len(cells) else ""
            if given and abs(_cell(given, names[i], names[j]) - matrix[j, i]) > 1e-6 * max(1.0, abs(matrix[j, i])):
                raise _refuse("not_symmetric", f"The matrix is not symmetric at {names[i]} and {names[j]}.")
    problems: list[Problem] = []
    if "sd" in extra:
        sd = np.array([_cell(cell, "sd", v) for cell, v in zip(extra["sd"], names, strict=False)])
        if sd.size != p:
            raise _refuse("not_a_matrix", f"The row of SDs has {sd.size} values for {p} variables.")
        matrix = matrix * np.outer(sd, sd)
    elif np.allclose(np.diag(matrix), 1.0, atol=1e-8):
        message = (
            "The matrix is a correlation matrix without SDs. It is analysed as it is; standard errors of a "
            "correlation structure are then approximate (Cudeck 1989)."
        )
        problems.append(Problem("correlations_analysed", "warning", message))
    if n is None and extra.get("n"):
        n = int(_cell(extra["n"][0], "n", "n"))
    if n is None:
        raise _refuse("n_missing", "The number of cases behind the matrix is needed: give it with --n.")
    if n < 2:
        raise _refuse("n_missing", f"{n} cases are not enough; the number of cases behind the matrix is needed.")
    means = None
    if len(extra.get("mean", [])) == p:
        means = np.array([_cell(cell, "mean", v) for cell, v in zip(extra["mean"], names, strict=True)])
    return Moments(name, tuple(names), matrix, n, divisor_offset, means), problems
