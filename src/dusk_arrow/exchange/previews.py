"""What a file looks like before anything is stored: how it was read, its first rows, and what is wrong by column."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.problems import Problem, ProblemError, counted
from dusk_arrow.core.texts import printable
from dusk_arrow.exchange.csv_files import count_rows, first_rows, lay_out
from dusk_arrow.exchange.labels import is_sidecar, read_names, with_labels
from dusk_arrow.exchange.reading import is_text, matrix_rows, read_as, sheets_of
from dusk_arrow.exchange.reading_options import ReadingOptions

Kind = Literal["cases", "matrix"]
ROWS = 12
MOST_ROWS, LEAST_ROWS, MOST_CELLS = 2000, 200, 1_000_000


@dataclass(frozen=True)
class Preview:
    """How a file was read: as cases or as a covariance or correlation matrix, marks (None where the format has none), sheets, first rows as they stand, the data of the
    first 2,000 cases or a matrix (None where it cannot be used), and how many rows there are below those that are passed over (None: not
    counted)."""

    kind: Kind
    delimiter: str | None
    decimal: str | None
    encoding: str | None
    sheets: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    data: DataSet | Moments | None
    problems: tuple[Problem, ...]
    lines: int | None


def named(data: Source, text: str) -> Source:
    """Cases or a matrix with names of a pasted list or a second file; a matrix has no labels. Raises ProblemError."""
    if isinstance(data, DataSet):
        return with_names(data, text)
    names = read_names(text)[0]
    _check_list(names, len(data.names))
    return replace(data, names=names)


def _check_list(names: Sequence[str], columns: int) -> None:
    if len(names) != columns:
        message = f"The list has {counted(len(names), 'name')} for {counted(columns, 'column')}."
        raise ProblemError([Problem("names_do_not_match", "error", message)])
    if len(set(names)) < len(names):
        raise ProblemError([Problem("duplicate_names", "error", "A name stands twice in the list.")])


def with_names(data: DataSet, text: str) -> DataSet:
    """The data with the labels of a second file or a pasted list: for columns of those names, or in file order where
    none of the names is known and the numbers match. Raises ProblemError otherwise."""
    if is_sidecar(text):
        return with_labels(data, text)
    names, labels = read_names(text)
    known = dict(zip(names, labels, strict=True))
    if any(name in data.names for name in names):
        columns = tuple(replace(c, label=known.get(c.name) or c.label) for c in data.columns)
        return replace(data, columns=columns)
    _check_list(names, len(data.columns))
    both = zip(data.columns, names, labels, strict=True)
    return replace(data, columns=tuple(replace(c, name=name, label=label or c.label) for c, name, label in both))


def preview(content: bytes, file_name: str, options: ReadingOptions, n: int | None = None) -> Preview:
    """A quick look at a file; what is wrong with it are problems of the preview. `n` is for a matrix."""
    delimiter, decimal, encoding, lines = None, None, None, None
    rows: list[list[str]] = []
    sheets = tuple(sheets_of(content, file_name))
    kind: Kind = "cases"
    data: DataSet | Moments | None = None
    try:
        if is_text(content, file_name):
            layout = lay_out(content, options)
            delimiter, decimal, encoding = layout.delimiter, layout.decimal, layout.encoding
            rows = first_rows(layout, ROWS)
            lines = count_rows(layout)
        found = matrix_rows(content, file_name, options)
        kind = "cases" if found is None else "matrix"
        few = max(LEAST_ROWS, min(MOST_ROWS, MOST_CELLS // max(len(rows[0]) if rows else 1, 1)))
        data, problems = read_as(found, content, file_name, replace(options, most_rows=few), n)
    except ProblemError as error:
        problems = error.problems
    if not rows and isinstance(data, DataSet):
        rows = _rows_of(data)
    return Preview(kind, delimiter, decimal, encoding, sheets, _cells(rows), data, problems, lines)


def _cells(rows: list[list[str]]) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(printable(cell)[:40] for cell in row[:60]) for row in rows)


def _rows_of(data: DataSet) -> list[list[str]]:
    rows = [list(data.names)]
    for i in range(min(ROWS - 1, data.n)):
        row = []
        for column in data.columns:
            if column.numbers is not None:
                value = column.numbers[i]
                row.append("" if value != value else f"{value:g}")
            else:
                text = None if column.texts is None else column.texts[i]
                row.append("" if text is None else str(text))
        rows.append(row)
    return rows
