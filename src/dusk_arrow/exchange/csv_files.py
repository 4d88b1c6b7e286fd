"""Reading delimited text files as data sets; every fault of a file is a problem in words, never a stack trace."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.problems import Problem, ProblemError, listed

if TYPE_CHECKING:
    import pandas as pd

MOST_BYTES = 200 * 1024 * 1024
MOST_COLUMNS = 5000
MISSING = frozenset({"", "NA", "."})
DELIMITERS = (",", ";", "\t", "|")
DECIMAL_COMMA = re.compile(r"^[+-]?\d*,\d+$")


@dataclass(frozen=True)
class ReadingOptions:
    """How to read a file; None means: find out. `sheet` is for workbooks, the marks are for text files."""

    delimiter: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    header: bool = True
    missing_codes: tuple[str, ...] = ()
    sheet: str | None = None


@dataclass(frozen=True)
class Reading:
    """A data set with what was noticed while reading it."""

    data: DataSet
    problems: tuple[Problem, ...]


def _refuse(code: str, message: str, *about: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message, about)])


def decode(content: bytes, encoding: str | None = None) -> str:
    """The text of a file: as asked, by byte order mark, as UTF-8, else as Windows-1252. Raises ProblemError."""
    if not content.strip(b" \t\r\n\0"):
        raise _refuse("file_empty", "The file is empty.")
    if len(content) > MOST_BYTES:
        raise _refuse("file_too_large", f"The file has {len(content) / 2**20:.0f} MB; 200 MB is the most that is read.")
    if encoding is None and content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    if encoding is None and b"\0" in content[:65536]:
        raise _refuse("not_a_table", "This is not a text file with a table in it. Save the data as CSV and try again.")
    for candidate in [encoding] if encoding else ["utf-8-sig", "cp1252", "latin-1"]:
        try:
            return content.decode(candidate)
        except UnicodeDecodeError:
            continue
        except LookupError:
            raise _refuse("unknown_encoding", f"There is no encoding called {encoding}.") from None
    raise _refuse("wrong_encoding", f"The file cannot be read as {encoding}; try another encoding.")


def _split(lines: list[str], delimiter: str | None) -> list[list[str]]:
    if delimiter == " ":
        return [line.split() for line in lines]
    return list(csv.reader(lines, delimiter=delimiter or ","))


def guess_delimiter(text: str) -> str:
    """The mark that splits the first lines most evenly into most columns; a blank when only blanks do."""
    lines = [line for line in text.splitlines()[:50] if line.strip()]
    best, most = ",", 1
    for mark in (*DELIMITERS, " "):
        widths = [len(row) for row in _split(lines, mark)]
        common = max(set(widths), key=widths.count) if widths else 1
        if common > most and widths.count(common) >= 0.6 * len(widths):
            best, most = mark, common
    return best


def _read_cells(text: str, delimiter: str) -> pd.DataFrame:
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    try:
        if delimiter == " ":
            rows = _split([line for line in text.splitlines() if line.strip()], " ")
            widths = {len(row) for row in rows}
            if len(widths) > 1:
                odd = next(i for i, row in enumerate(rows) if len(row) != len(rows[0]))
                raise _refuse(
                    "ragged", f"Line {odd + 1} has {len(rows[odd])} values where the first has {len(rows[0])}."
                )
            return pd.DataFrame(rows, dtype=str)
        return pd.read_csv(
            io.StringIO(text), sep=delimiter, header=None, dtype=str, keep_default_na=False, skip_blank_lines=True
        )
    except pd.errors.EmptyDataError:
        raise _refuse("file_empty", "The file is empty.") from None
    except (pd.errors.ParserError, csv.Error) as error:
        found = re.search(r"Expected (\d+) fields in line (\d+), saw (\d+)", str(error))
        if found:
            message = (
                f"Line {found.group(2)} has {found.group(3)} values where the lines before have {found.group(1)}. "
                "Check that line, and whether the columns are separated by the same mark throughout."
            )
            raise _refuse("ragged", message) from None
        raise _refuse("not_a_table", "The file cannot be read as a table of rows and columns.") from None


def _numbers(cells: pd.Series[str], missing: np.ndarray[Any, Any], decimal: str) -> np.ndarray[Any, Any]:
    import pandas as pd

    text = cells.str.replace(".", "", regex=False).str.replace(",", ".", regex=False) if decimal == "," else cells
    values = pd.to_numeric(text.where(~missing, None), errors="coerce").to_numpy(dtype=float)
    return np.where(np.isfinite(values), values, np.nan)


def _column(name: str, cells: pd.Series[str], options: ReadingOptions, decimal: str) -> tuple[Column, list[Problem]]:
    cells = cells.astype(str).str.strip()
    missing = cells.isin(MISSING | set(options.missing_codes)).to_numpy()
    values = _numbers(cells, missing, decimal)
    odd = np.flatnonzero(np.isnan(values) & ~missing)
    valid = int((~missing).sum())
    if odd.size == 0:
        whole = valid > 0 and bool(np.all(values[~missing] == np.round(values[~missing])))
        distinct = len(np.unique(values[~missing]))
        ordered = whole and 2 < distinct <= 11 and float(np.ptp(values[~missing])) <= 10
        counting = whole and distinct == valid > 20 and bool(np.all(np.diff(values) == 1))
        return Column(name, "identifier" if counting else "ordered" if ordered else "number", values), []
    problems = []
    if odd.size < 0.5 * valid:
        shown = listed([f"“{cells.iloc[i]}” (case {i + 1})" for i in odd[:3]])
        more = f" and {odd.size - 3} more" if odd.size > 3 else ""
        message = (
            f"{name} is nearly all numbers, but holds text: {shown}{more}. It is kept as text and cannot be used in "
            "a model until those cells are corrected."
        )
        problems.append(Problem("text_in_number_column", "warning", message, (name,)))
    texts = cells.to_numpy(dtype=object).copy()
    texts[missing] = None
    distinct = len({t for t in texts if t is not None})
    return Column(name, "category" if distinct <= 20 else "text", None, texts), problems


def _names(cells: pd.DataFrame, header: bool) -> tuple[list[str], pd.DataFrame]:
    if not header:
        return [f"v{i + 1}" for i in range(cells.shape[1])], cells
    names = [str(name).strip() for name in cells.iloc[0]]
    numeric = sum(bool(re.fullmatch(r"[+-]?\d+([.,]\d+)?", name)) for name in names)
    if numeric > len(names) / 2:
        message = (
            "The first line holds numbers, not names. Give the columns names in the first line "
            "(from the command line, --no-header numbers them)."
        )
        raise _refuse("no_header", message)
    return names, cells.iloc[1:].reset_index(drop=True)


def _check_names(names: list[str]) -> None:
    unnamed = [str(i + 1) for i, name in enumerate(names) if not name]
    if unnamed:
        raise _refuse("column_without_name", f"The column at position {listed(unnamed)} has no name in the first line.")
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
            )
            for name in twice[:20]
        ]
        raise ProblemError(problems)


def read_csv(content: bytes, name: str, options: ReadingOptions | None = None) -> Reading:
    """A delimited text file as a data set. Raises ProblemError when it cannot be used; nothing is guessed silently."""
    options = options or ReadingOptions()
    text = decode(content, options.encoding)
    delimiter = options.delimiter or guess_delimiter(text)
    cells = _read_cells(text, delimiter)
    if cells.shape[1] == 1:
        message = (
            "Only one column was found. If there are more, they are separated by an unusual mark; "
            "save the file with commas, semicolons or tabs between the columns."
        )
        raise _refuse("one_column", message)
    if cells.shape[1] > MOST_COLUMNS:
        raise _refuse("too_many_columns", f"The file has {cells.shape[1]} columns; {MOST_COLUMNS} is the most.")
    decimal = options.decimal or "."
    if options.decimal is None and delimiter != ",":
        sample = cells.iloc[:200].to_numpy(dtype=str).ravel()
        if any(DECIMAL_COMMA.match(cell.strip()) for cell in sample):
            decimal = ","
    return from_cells(cells, name, options, decimal)


def from_cells(cells: pd.DataFrame, name: str, options: ReadingOptions, decimal: str = ".") -> Reading:
    """A table of texts, column names in its first row, as a data set. Raises ProblemError when it cannot be used."""
    names, cells = _names(cells, options.header)
    _check_names(names)
    if cells.shape[0] == 0:
        raise _refuse("no_cases", "The file has column names but no cases.")
    columns, problems = [], []
    for position, column_name in enumerate(names):
        column, found = _column(column_name, cells.iloc[:, position], options, decimal)
        columns.append(column)
        problems += found
    data = DataSet(name, tuple(columns))
    return Reading(data, tuple(problems + check_columns(data)))


def check_columns(data: DataSet) -> list[Problem]:
    """What is wrong with single columns: no values at all, the same value everywhere."""
    problems = []
    for column in data.columns:
        values = column.numbers
        if values is None:
            continue
        if np.isnan(values).all():
            problems.append(Problem("all_missing", "warning", f"{column.name} has no values at all.", (column.name,)))
        elif np.nanmax(values) == np.nanmin(values):
            message = f"{column.name} has the same value everywhere, so it cannot covary with anything."
            problems.append(Problem("zero_variance", "warning", message, (column.name,)))
    return problems
