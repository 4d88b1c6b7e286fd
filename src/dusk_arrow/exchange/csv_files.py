"""Reading delimited text files as data sets; every fault of a file is a problem in words, never a stack trace."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.core.observations.steps import DropColumns, TreatAsMissing
from dusk_arrow.core.problems import Problem, ProblemError, Repair, listed

if TYPE_CHECKING:
    import pandas as pd

MOST_BYTES = 200 * 1024 * 1024
MOST_COLUMNS = 5000
MISSING = frozenset({"", "NA", "."})
DELIMITERS = (",", ";", "\t", "|")
csv.field_size_limit(MOST_BYTES)
DECIMAL_COMMA = re.compile(r"^[+-]?\d*,\d+$")


@dataclass(frozen=True)
class ReadingOptions:
    """How to read a file; None means: find out.

    `sheet` and `cells` (such as B3:H40) are for workbooks, the marks for text files. `skip` rows above the names are
    passed over. `names` replace those of the file, `number_names` tells repeated and empty ones apart by numbers.
    `most_rows` reads no more than the first ones.
    """

    delimiter: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    header: bool = True
    missing_codes: tuple[str, ...] = ()
    sheet: str | None = None
    cells: str | None = None
    skip: int = 0
    names: tuple[str, ...] | None = None
    number_names: bool = False
    most_rows: int | None = None


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


def _refuse(code: str, message: str, *about: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message, about)])


def decode(content: bytes, encoding: str | None = None) -> tuple[str, str]:
    """The text of a file with its encoding: as asked, by byte order mark, as UTF-8, else as Windows-1252. Raises ProblemError."""
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
            text = content.decode(candidate)
        except UnicodeDecodeError:
            continue
        except LookupError:
            raise _refuse("unknown_encoding", f"There is no encoding called {encoding}.") from None
        if not text.strip("\ufeff\0 \t\r\n"):
            raise _refuse("file_empty", "The file is empty.")
        return text, candidate
    raise _refuse("wrong_encoding", f"The file cannot be read as {encoding}; try another encoding.")


def _split(lines: list[str], delimiter: str | None) -> list[list[str]]:
    if delimiter == " ":
        return [line.split() for line in lines]
    return list(csv.reader(lines, delimiter=delimiter or ","))


def guess_delimiter(text: str) -> str:
    """The mark that splits the first lines into most columns; one that splits all lines as it splits the first goes
    before one that does not (a decimal comma), and a blank comes last."""
    lines = [line for line in text.splitlines()[:50] if line.strip()]
    best, highest = ",", (False, 1, 0.0)
    for mark in (*DELIMITERS, " "):
        widths = [len(row) for row in _split(lines, mark)]
        common = max(set(widths), key=widths.count) if widths else 1
        share = widths.count(common) / max(len(widths), 1)
        even = share > 0.95 and widths[0] == common and mark != " "
        if common > 1 and share >= 0.6 and (even, common, share) > highest:
            best, highest = mark, (even, common, share)
    return best


@dataclass(frozen=True)
class Layout:
    """How a text file is laid out: its text from the first line in use on, delimiter, decimal mark, encoding."""

    text: str
    delimiter: str
    decimal: str
    encoding: str


def lay_out(content: bytes, options: ReadingOptions) -> Layout:
    """The layout of a text file, found out where it is not given. Raises ProblemError."""
    text, encoding = decode(content, options.encoding)
    if options.skip:
        text = "\n".join(text.splitlines()[options.skip :])
        if not text.strip():
            raise _refuse("file_empty", f"Nothing is left after the first {options.skip} rows.")
    delimiter = options.delimiter or guess_delimiter(text)
    decimal = options.decimal or "."
    if options.decimal is None and delimiter != ",":
        cells = [cell for row in _split(text[:20_000].splitlines()[:200], delimiter) for cell in row]
        if any(DECIMAL_COMMA.match(cell.strip()) for cell in cells):
            decimal = ","
    return Layout(text, delimiter, decimal, encoding)


def first_rows(layout: Layout, most: int) -> list[list[str]]:
    """The first rows of a text file as they stand there."""
    lines = [line for line in layout.text[:2_000_000].splitlines() if line.strip()]
    return [[cell.strip() for cell in row] for row in _split(lines[:most], layout.delimiter)]


def _read_cells(layout: Layout, options: ReadingOptions, skip: int) -> pd.DataFrame:
    """The cells below the names: columns of numbers where all cells are, columns of text otherwise."""
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    text, delimiter = layout.text, layout.delimiter
    try:
        if delimiter == " ":
            rows = _split([line for line in text.splitlines() if line.strip()], " ")
            odd = next((i for i, row in enumerate(rows) if len(row) != len(rows[0])), None)
            if odd is not None:
                raise _refuse(
                    "ragged", f"Line {odd + 1} has {len(rows[odd])} values where the first has {len(rows[0])}."
                )
            rows = rows[skip : None if options.most_rows is None else skip + options.most_rows]
            return pd.DataFrame(rows, dtype=str)
        return pd.read_csv(
            io.StringIO(text),
            sep=delimiter,
            header=None,
            skiprows=skip,
            nrows=options.most_rows,
            keep_default_na=False,
            na_values=sorted(MISSING | set(options.missing_codes)),
            decimal=layout.decimal,
            thousands="." if layout.decimal == "," else None,
            skipinitialspace=True,
            low_memory=False,
            true_values=[],
            false_values=[],
        )
    except pd.errors.EmptyDataError:
        raise _refuse("no_cases", "The file has column names but no cases.") from None
    except (pd.errors.ParserError, csv.Error) as error:
        found = re.search(r"Expected (\d+) fields in line (\d+), saw (\d+)", str(error))
        if found:
            message = (
                f"Line {int(found.group(2)) + options.skip} has {found.group(3)} values where the lines before have "
                f"{found.group(1)}. Check that line, and whether the columns are separated by the same mark throughout."
            )
            raise _refuse("ragged", message) from None
        raise _refuse("not_a_table", "The file cannot be read as a table of rows and columns.") from None


def _numbers(cells: pd.Series[str], missing: np.ndarray[Any, Any], decimal: str) -> np.ndarray[Any, Any]:
    import pandas as pd

    text = cells.str.replace(".", "", regex=False).str.replace(",", ".", regex=False) if decimal == "," else cells
    values = pd.to_numeric(text.where(~missing, None), errors="coerce").to_numpy(dtype=float)
    return np.where(np.isfinite(values), values, np.nan)


def number_level(values: np.ndarray[Any, Any]) -> Level:
    """What a column of numbers (n,) with nan where missing seems to be: counting rows, ordered answers, or numbers."""
    present = values[~np.isnan(values)]
    whole = present.size > 0 and bool(np.all(present == np.round(present)))
    distinct = len(np.unique(present))
    if whole and distinct == present.size > 20 and bool(np.all(np.diff(values) == 1)):
        return "identifier"
    ordered = whole and 2 < distinct <= 11 and float(np.ptp(present)) <= 10
    return "ordered" if ordered else "number"


def _column(name: str, cells: pd.Series[Any], options: ReadingOptions, decimal: str) -> tuple[Column, list[Problem]]:
    if cells.dtype.kind in "fiu":
        values = cells.to_numpy(dtype=float)
        if not np.isinf(values).any():
            return Column(name, number_level(values), values), []
    cells = cells.astype(object).where(cells.notna(), "").astype(str).str.strip()
    missing = cells.isin(MISSING | set(options.missing_codes)).to_numpy()
    values = _numbers(cells, missing, decimal)
    odd = np.flatnonzero(np.isnan(values) & ~missing)
    valid = int((~missing).sum())
    if odd.size == 0:
        return Column(name, number_level(values), values), []
    problems = []
    if odd.size < 0.5 * valid:
        shown = listed([f"“{cells.iloc[i]}” (case {i + 1})" for i in odd[:3]])
        more = f" and {odd.size - 3} more" if odd.size > 3 else ""
        message = (
            f"{name} is nearly all numbers, but holds text: {shown}{more}. It is kept as text and cannot be used in "
            "a model until those cells are corrected."
        )
        codes = tuple(dict.fromkeys(cells.iloc[odd]))
        repairs = [Repair("Drop the column", DropColumns((name,)))]
        if len(codes) <= 20:
            repairs.insert(
                0, Repair(f"Treat {listed([f'“{c}”' for c in codes], 3)} as missing", TreatAsMissing((name,), codes))
            )
        problems.append(Problem("text_in_number_column", "warning", message, (name,), tuple(repairs)))
    texts = cells.to_numpy(dtype=object).copy()
    texts[missing] = None
    distinct = len({t for t in texts if t is not None})
    return Column(name, "category" if distinct <= 20 else "text", None, texts), problems


def _numbered(names: list[str]) -> list[str]:
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
            message = f"{len(options.names)} names are given for {len(first)} columns."
            raise _refuse("names_do_not_match", message)
        names = [name.strip() for name in options.names]
        rows = 1 if options.header else 0
    elif not options.header:
        return [f"v{i + 1}" for i in range(len(first))], 0
    else:
        names, rows = [name.strip() for name in first], 1
        numeric = sum(bool(re.fullmatch(r"[+-]?\d+([.,]\d+)?", name)) for name in names)
        if numeric > len(names) / 2:
            message = (
                "The first line holds numbers, not names. Give the columns names in the first line "
                "(from the command line, --no-header numbers them)."
            )
            repair = Repair("The first line is data: number the columns", ReadAgain({"header": False}))
            raise ProblemError([Problem("no_header", "error", message, (), (repair,))])
    if options.number_names:
        names = _numbered(names)
    _check_names(names)
    return names, rows


def _check_names(names: list[str]) -> None:
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


def read_csv(content: bytes, name: str, options: ReadingOptions | None = None) -> Reading:
    """A delimited text file as a data set. Raises ProblemError when it cannot be used; nothing is guessed silently."""
    options = options or ReadingOptions()
    layout = lay_out(content, options)
    first = first_rows(layout, 1)[0]
    if len(first) == 1:
        message = (
            "Only one column was found. If there are more, they are separated by an unusual mark; "
            "save the file with commas, semicolons or tabs between the columns."
        )
        raise _refuse("one_column", message)
    if len(first) > MOST_COLUMNS:
        raise _refuse("too_many_columns", f"The file has {len(first)} columns; {MOST_COLUMNS} is the most.")
    names, rows = column_names(first, options)
    skip = 0
    if rows:
        skip = next(i for i, line in enumerate(layout.text.splitlines()) if line.strip()) + 1
        if layout.delimiter == " ":
            skip = 1
    cells = _read_cells(layout, options, skip)
    if cells.shape[1] > len(names):
        spare = cells.iloc[:, len(names) :]
        if not spare.isna().all(axis=None) and not (spare == "").all(axis=None):
            message = f"The rows have {cells.shape[1]} values, but there are {len(names)} names in the first line."
            raise _refuse("ragged", message)
        cells = cells.iloc[:, : len(names)]
    if cells.shape[1] < len(names):
        raise _refuse(
            "ragged", f"The rows have {cells.shape[1]} values, but there are {len(names)} names in the first line."
        )
    return _assemble(cells, names, name, options, layout.decimal)


def from_cells(cells: pd.DataFrame, name: str, options: ReadingOptions) -> Reading:
    """A table of texts, column names in its first row, as a data set. Raises ProblemError when it cannot be used."""
    names, rows = column_names([str(cell) for cell in cells.iloc[0]], options)
    return _assemble(cells.iloc[rows:].reset_index(drop=True), names, name, options, ".")


def _assemble(cells: pd.DataFrame, names: list[str], name: str, options: ReadingOptions, decimal: str) -> Reading:
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
    """What is wrong with single columns: no values at all, the same value everywhere, a copy of another."""
    problems = []
    seen: dict[bytes, str] = {}
    for column in data.columns:
        values = column.numbers
        drop = (Repair("Drop the column", DropColumns((column.name,))),)
        if values is None:
            continue
        if np.isnan(values).all():
            message = f"{column.name} has no values at all."
            problems.append(Problem("all_missing", "warning", message, (column.name,), drop))
        elif np.nanmax(values) == np.nanmin(values):
            message = f"{column.name} has the same value everywhere, so it cannot covary with anything."
            problems.append(Problem("zero_variance", "warning", message, (column.name,), drop))
        else:
            twin = seen.setdefault(values.tobytes(), column.name)
            if twin != column.name:
                message = f"{column.name} is a copy of {twin}."
                problems.append(Problem("copy_of_column", "warning", message, (column.name, twin), drop))
    return problems
