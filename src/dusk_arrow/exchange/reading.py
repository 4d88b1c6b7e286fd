"""Reading any data file that people have: by what is in it, not by what it is called."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from importlib import import_module
from pathlib import Path
from typing import TypeVar

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.csv_files import MOST_BYTES, first_rows, lay_out, read_csv
from dusk_arrow.exchange.file_formats import DELIMITED, NOT_READ, WORKBOOK, FileFormat, endings, format_of
from dusk_arrow.exchange.matrix_files import MOST_ROWS, looks_like_matrix, read_matrix, taken_as_matrix
from dusk_arrow.exchange.number_marks import Mark
from dusk_arrow.exchange.printed_matrices import straightened
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse

T = TypeVar("T")


def _known(content: bytes, file_name: str) -> FileFormat | None:
    return format_of(content, Path(file_name).suffix.lower())


def is_text(content: bytes, file_name: str) -> bool:
    """Whether a file is delimited text rather than one of the formats that know their columns."""
    ending = Path(file_name).suffix.lower()
    utf16 = content[:2] in (b"\xff\xfe", b"\xfe\xff")
    said = ending in NOT_READ or (ending in endings() and ending not in DELIMITED.endings)
    return utf16 or not (_known(content, file_name) or b"\0" in content[:4096] or said)


def sheets_of(content: bytes, file_name: str) -> list[str]:
    """The sheets of a workbook; none for any other file."""
    if _known(content, file_name) is not WORKBOOK:
        return []
    from dusk_arrow.exchange.readers.workbook import sheets_of as sheets_of_workbook

    return sheets_of_workbook(content)


def read_file(content: bytes, file_name: str, options: ReadingOptions | None = None) -> Reading:
    """A file of any format of the table as a data set.

    Raises ProblemError when it cannot be used; a broken file of a known kind is named as such.
    """
    options = options or ReadingOptions()
    name, ending = Path(file_name).stem or "data", Path(file_name).suffix.lower()
    if len(content) > MOST_BYTES:
        raise refuse("file_too_large", f"The file has {len(content) / 2**20:.0f} MB; 200 MB is the most that is read.")
    known = _known(content, file_name)
    if known is not None:
        reader = import_module(f"dusk_arrow.exchange.readers.{known.reader}")  # loaded late: some take long
        found: Reading = _guarded(known.endings[0], lambda: reader.read(content, name, options, known))
        return found
    if ending in NOT_READ:
        raise refuse("format_unknown", f"Files ending in {ending} are not read; save the table as .xlsx or .csv.")
    if ending in endings() and ending not in DELIMITED.endings:
        raise refuse("file_broken", f"The file is called {ending} but its contents are something else, or cut off.")
    return read_csv(content, name, options)


def _guarded(kind: str, read: Callable[[], T]) -> T:
    """Readers of other people's formats fail in their own ways; all of them mean that the file is broken."""
    try:
        return read()
    except ProblemError:
        raise
    except Exception as error:
        first = str(error).strip().splitlines()[0][:160] if str(error).strip() else type(error).__name__
        raise refuse("file_broken", f"The {kind} file is damaged or cut off and cannot be read ({first}).") from None


@dataclass(frozen=True)
class MatrixRows:
    """The rows of a matrix as files have them, their decimal mark, and what is to be said where they were printed otherwise."""

    rows: list[list[str]]
    mark: Mark
    notes: tuple[Problem, ...] = ()


def matrix_rows(content: bytes, file_name: str, options: ReadingOptions) -> MatrixRows | None:
    """The rows of a file that holds a matrix, or is said to; None for any other file. Raises ProblemError."""
    if options.kind == "cases":
        return None
    if is_text(content, file_name):
        layout = lay_out(content, options)
        rows, mark = first_rows(layout, MOST_ROWS + 1), layout.decimal
    elif _known(content, file_name) is WORKBOOK:
        from dusk_arrow.exchange.readers.workbook import workbook_rows

        few = replace(options, most_rows=MOST_ROWS + 1)
        try:
            rows, mark = _guarded(".xlsx", lambda: workbook_rows(content, few))[0], options.decimal or "."
        except ProblemError:
            if options.kind == "matrix":
                raise
            return None  # the reader of cases says what is wrong with it
    else:
        return None
    printed = straightened(rows, mark)
    if printed is not None:
        return MatrixRows(printed.rows, mark, printed.notes)
    return MatrixRows(rows, mark) if options.kind == "matrix" or looks_like_matrix(rows, mark) else None


def read_any(
    content: bytes, file_name: str, options: ReadingOptions, n: int | None = None, divisor_offset: int = 1
) -> tuple[DataSet | Moments, tuple[Problem, ...]]:
    """A file as cases, or as a matrix where it holds one. Raises ProblemError when it cannot be used."""
    return read_as(matrix_rows(content, file_name, options), content, file_name, options, n, divisor_offset)


def read_as(
    found: MatrixRows | None,
    content: bytes,
    file_name: str,
    options: ReadingOptions,
    n: int | None = None,
    divisor_offset: int = 1,
) -> tuple[DataSet | Moments, tuple[Problem, ...]]:
    """A file of which `matrix_rows` has found out what it holds. Raises ProblemError when it cannot be used."""
    if found is None:
        reading = read_file(content, file_name, options)
        return reading.data, reading.problems
    said = [*([] if options.kind == "matrix" else [taken_as_matrix(found.rows)]), *found.notes]
    try:
        moments, noticed = read_matrix(
            found.rows, Path(file_name).stem or "matrix", n, divisor_offset, found.mark, options.sds, options.means
        )
    except ProblemError as error:
        raise ProblemError([*error.problems, *said]) from None
    return moments, (*said, *noticed)
