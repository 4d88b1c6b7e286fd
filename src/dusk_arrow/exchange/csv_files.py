"""Reading delimited text files as data sets; every fault of a file is a problem in words, never a stack trace."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import TYPE_CHECKING

from dusk_arrow.core.problems import counted
from dusk_arrow.exchange.cells import Marks, assemble
from dusk_arrow.exchange.column_names import column_names
from dusk_arrow.exchange.number_marks import Mark, guess_mark
from dusk_arrow.exchange.reading_options import MISSING, Reading, ReadingOptions, refuse

if TYPE_CHECKING:
    import pandas as pd

MOST_BYTES = 200 * 1024 * 1024
MOST_COLUMNS = 5000
ONE_NUMBER = re.compile(r"^\s*[\d.,]+\s*$")
DELIMITERS = (",", ";", "\t", "|")
csv.field_size_limit(MOST_BYTES)


def decode(content: bytes, encoding: str | None = None) -> tuple[str, str]:
    """The text of a file, its lines broken by \\n, with its encoding: as asked, by byte order mark, as UTF-8, else as Windows-1252. Raises
    ProblemError."""
    if not content.strip(b" \t\r\n\0"):
        raise refuse("file_empty", "The file is empty.")
    if len(content) > MOST_BYTES:
        raise refuse("file_too_large", f"The file has {len(content) / 2**20:.0f} MB; 200 MB is the most that is read.")
    if encoding is None and content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    if encoding is None and b"\0" in content[:65536]:
        raise refuse("not_a_table", "This is not a text file with a table in it. Save the data as CSV and try again.")
    for candidate in [encoding] if encoding else ["utf-8-sig", "cp1252", "latin-1"]:
        try:
            text = content.decode(candidate)
        except UnicodeDecodeError:
            continue
        except (LookupError, ValueError):
            raise refuse("unknown_encoding", f"There is no encoding called {encoding}.") from None
        if not text.strip("\ufeff\0 \t\r\n"):
            raise refuse("file_empty", "The file is empty.")
        return text.replace("\r\n", "\n").replace("\r", "\n"), candidate
    raise refuse("wrong_encoding", f"The file cannot be read as {encoding}; try another encoding.")


def _split(lines: list[str], delimiter: str | None) -> list[list[str]]:
    if delimiter == " ":
        return [line.split() for line in lines]
    return list(csv.reader(lines, delimiter=delimiter or ","))


def _rows(text: str, delimiter: str) -> Iterator[tuple[list[str], int]]:
    """The rows of a text that are not blank, each with how many lines have been read by its end: a quoted cell may go over several."""
    if delimiter == " ":
        yield from ((line.split(), at) for at, line in enumerate(text.split("\n"), start=1) if line.strip())
        return
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    for row in reader:
        if any(cell.strip() for cell in row) or len(row) > 1:
            yield row, reader.line_num


def guess_delimiter(text: str) -> str:
    """The mark that splits the first lines into most columns; one that splits all lines as it splits the first goes
    before one that does not (a decimal comma), and a blank comes last."""
    lines = [line for line in text.split("\n", 50)[:50] if line.strip()]
    best, highest = "", (False, 1, 0.0)
    for mark in (*DELIMITERS, " "):
        widths = [len(row) for row in _split(lines, mark)]
        common = max(set(widths), key=widths.count) if widths else 1
        share = widths.count(common) / max(len(widths), 1)
        even = share > 0.95 and widths[0] == common and mark != " "
        if common > 1 and share >= 0.6 and (even, common, share) > highest:
            best, highest = mark, (even, common, share)
    if best or not lines:
        return best or ","
    # A triangle has as many widths as lines, and its first may be a single number.
    told = lines[1] if len(lines) > 1 and ONE_NUMBER.match(lines[0]) else lines[0]
    counts = {mark: told.count(mark) for mark in (*DELIMITERS, " ")}
    return max(counts, key=lambda mark: counts[mark]) if any(counts.values()) else ","


@dataclass(frozen=True)
class Layout:
    """How a text file is laid out: its text from the first line in use on, delimiter, encoding, and the decimal mark of
    most of its columns, with whether that is certain."""

    text: str
    delimiter: str
    encoding: str
    decimal: Mark
    certain: bool


def lay_out(content: bytes, options: ReadingOptions) -> Layout:
    """The layout of a text file, found out where it is not given. Raises ProblemError."""
    text, encoding = decode(content, options.encoding)
    if options.skip:
        text = "\n".join(text.split("\n")[options.skip :])
        if not text.strip():
            raise refuse("file_empty", f"Nothing is left after the first {options.skip} rows.")
    if options.delimiter is not None and (len(options.delimiter) != 1 or options.delimiter in '"\r\n'):
        raise refuse("delimiter_unknown", "Columns are separated by one character, such as a comma or a tab.")
    delimiter = options.delimiter or guess_delimiter(text)
    decimal, certain = (options.decimal, True) if options.decimal else guess_mark(text, delimiter)
    return Layout(text, delimiter, encoding, decimal, certain)


def first_rows(layout: Layout, most: int) -> list[list[str]]:
    """The first rows of a text file as they stand there."""
    rows = islice(_rows(layout.text[:2_000_000], layout.delimiter), most)
    return [[cell.strip() for cell in row] for row, _ in rows]


def count_rows(layout: Layout) -> int:
    """How many rows a text file has from the first in use on; only where there are quotation marks may one go over several lines."""
    if '"' in layout.text:
        return sum(1 for _ in _rows(layout.text, layout.delimiter))
    return layout.text.count("\n") + (not layout.text.endswith("\n"))


def _unlike(values: int, names: int) -> str:
    return f"The rows have {counted(values, 'value')}, but the first line has {counted(names, 'name')}."


def _read_cells(layout: Layout, options: ReadingOptions, skip: int) -> pd.DataFrame:
    """The cells below the first `skip` lines: columns of numbers where all cells are, columns of text otherwise."""
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    delimiter = layout.delimiter
    text = layout.text.split("\n", skip)[skip] if skip <= layout.text.count("\n") else ""
    try:
        if delimiter == " ":
            rows = [row for row, _ in _rows(layout.text, " ")]
            odd = next((i for i, row in enumerate(rows) if len(row) != len(rows[0])), None)
            if odd is not None:
                raise refuse(
                    "ragged", f"Line {odd + 1} has {len(rows[odd])} values where the first has {len(rows[0])}."
                )
            rows = [row for row, _ in islice(_rows(text, " "), options.most_rows)]
            return pd.DataFrame(rows, dtype=str)
        return pd.read_csv(
            io.StringIO(text),
            sep=delimiter,
            header=None,
            nrows=options.most_rows,
            keep_default_na=False,
            na_values=sorted(MISSING | set(options.missing_codes)),
            # Only columns without a point are numbers to the reader then; all others are judged by how they are written.
            decimal="," if layout.decimal == "," and layout.certain else ".",
            dtype=str if layout.decimal == "," and not layout.certain else None,
            skipinitialspace=True,
            low_memory=False,
            true_values=[],
            false_values=[],
        )
    except pd.errors.EmptyDataError:
        raise refuse("no_cases", "The file has column names but no cases.") from None
    except (pd.errors.ParserError, csv.Error) as error:
        found = re.search(r"Expected (\d+) fields in line (\d+), saw (\d+)", str(error))
        if found:
            message = (
                f"Line {int(found.group(2)) + skip + options.skip} has {found.group(3)} values where the lines before have "
                f"{found.group(1)}. Check that line, and whether the columns are separated by the same mark throughout."
            )
            raise refuse("ragged", message) from None
        raise refuse("not_a_table", "The file cannot be read as a table of rows and columns.") from None


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
        raise refuse("one_column", message)
    if len(first) > MOST_COLUMNS:
        raise refuse("too_many_columns", f"The file has {len(first)} columns; {MOST_COLUMNS} is the most.")
    names, rows = column_names(first, options)
    skip = 0
    if rows:
        skip = next(line for _, line in _rows(layout.text, layout.delimiter))
    cells = _read_cells(layout, options, skip)
    if cells.shape[1] > len(names):
        spare = cells.iloc[:, len(names) :]
        if not spare.isna().all(axis=None) and not (spare == "").all(axis=None):
            message = _unlike(cells.shape[1], len(names))
            raise refuse("ragged", message)
        cells = cells.iloc[:, : len(names)]
    if cells.shape[1] < len(names):
        raise refuse("ragged", _unlike(cells.shape[1], len(names)))
    return assemble(cells, names, name, options, Marks(layout.decimal, layout.certain))
