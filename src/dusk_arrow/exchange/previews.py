"""What a file looks like before anything is stored: how it was read, its first rows, and what is wrong by column."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.csv_files import ReadingOptions, first_rows, lay_out
from dusk_arrow.exchange.labels import is_sidecar, read_names, with_labels
from dusk_arrow.exchange.matrix_files import read_matrix
from dusk_arrow.exchange.reading import read_file, sheets_of

ROWS = 12
MOST_ROWS = 2000


@dataclass(frozen=True)
class Preview:
    """How a file was read: marks (None where the format has none), sheets, first rows as they stand, the data of the
    first 2,000 cases or a matrix (None where it cannot be used), and how many lines there are (None: not counted)."""

    delimiter: str | None
    decimal: str | None
    encoding: str | None
    sheets: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    data: DataSet | Moments | None
    problems: tuple[Problem, ...]
    lines: int | None

    @property
    def kind(self) -> Literal["cases", "matrix"]:
        """Cases, or a covariance or correlation matrix."""
        return "matrix" if isinstance(self.data, Moments) else "cases"


def is_text(content: bytes, file_name: str) -> bool:
    """Whether a file is delimited text rather than one of the formats that know their columns."""
    binary = content[:4] in (b"PAR1", b"$FL2", b"$FL3", b"PK\x03\x04") or b"\0" in content[:4096]
    utf16 = content[:2] in (b"\xff\xfe", b"\xfe\xff")
    known = Path(file_name).suffix.lower() in (
        ".sav",
        ".zsav",
        ".dta",
        ".sas7bdat",
        ".parquet",
        ".xlsx",
        ".xls",
        ".ods",
    )
    return utf16 or not (binary or known)


def looks_like_matrix(rows: list[list[str]]) -> bool:
    """Whether the first rows are those of a square or triangular matrix of named variables."""
    if len(rows) < 3:
        return False
    names = [cell for cell in rows[0] if cell]
    if len(names) < 2 or len(set(names)) < len(names) or any(_number(name) is not None for name in names):
        return False
    own = [row[0] for row in rows[1 : len(names) + 1]]
    if own == names[: len(own)]:
        return True
    first, second = ([cell for cell in row if cell] for row in rows[1:3])
    return len(first) == 1 and len(second) == 2 and _number(first[0]) is not None


def read_import(
    content: bytes, file_name: str, options: ReadingOptions, n: int | None = None, moments_divisor: int = 1
) -> tuple[DataSet | Moments, tuple[Problem, ...]]:
    """A whole file, as its preview showed it. Raises ProblemError when it cannot be used."""
    if is_text(content, file_name) and looks_like_matrix(first_rows(lay_out(content, options), 400)):
        moments, noticed = read_matrix(content, Path(file_name).stem, n, moments_divisor)
        return moments, tuple(noticed)
    reading = read_file(content, file_name, options)
    return reading.data, reading.problems


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
    if len(names) != len(data.columns):
        message = f"The list has {len(names)} names for {len(data.columns)} columns."
        raise ProblemError([Problem("names_do_not_match", "error", message)])
    if len(set(names)) < len(names):
        raise ProblemError([Problem("duplicate_names", "error", "A name stands twice in the list.")])
    both = zip(data.columns, names, labels, strict=True)
    return replace(data, columns=tuple(replace(c, name=name, label=label or c.label) for c, name, label in both))


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def preview(content: bytes, file_name: str, options: ReadingOptions, n: int | None = None) -> Preview:
    """A quick look at a file; what is wrong with it are problems of the preview. `n` is for a matrix."""
    delimiter, decimal, encoding, lines = None, None, None, None
    rows: list[list[str]] = []
    sheets = tuple(sheets_of(content))
    try:
        if is_text(content, file_name):
            layout = lay_out(content, options)
            delimiter, decimal, encoding = layout.delimiter, layout.decimal, layout.encoding
            rows = first_rows(layout, ROWS)
            lines = layout.text.count("\n") + (not layout.text.endswith("\n"))
            if looks_like_matrix(first_rows(layout, 400)):
                moments, noticed = read_matrix(content, Path(file_name).stem, n)
                return Preview(delimiter, decimal, encoding, sheets, _cells(rows), moments, tuple(noticed), lines)
        reading = read_file(content, file_name, replace(options, most_rows=MOST_ROWS))
    except ProblemError as error:
        return Preview(delimiter, decimal, encoding, sheets, _cells(rows), None, error.problems, lines)
    if not rows:
        rows = _rows_of(reading.data)
    return Preview(delimiter, decimal, encoding, sheets, _cells(rows), reading.data, reading.problems, lines)


def _cells(rows: list[list[str]]) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(cell[:40] for cell in row[:60]) for row in rows)


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
