"""Reading any data file that people have: by what is in it, not by what it is called."""

from __future__ import annotations

import io
import re
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Level, Moments
from dusk_arrow.core.observations.steps import Step, TreatAsMissing, apply_steps
from dusk_arrow.core.problems import Problem, ProblemError, listed, nearest
from dusk_arrow.exchange.cells import check_columns, from_cells, number_level, within_reach
from dusk_arrow.exchange.column_names import check_names, column_names
from dusk_arrow.exchange.csv_files import MOST_BYTES, MOST_COLUMNS, first_rows, lay_out, read_csv
from dusk_arrow.exchange.matrix_files import MOST_ROWS, looks_like_matrix, read_matrix, taken_as_matrix
from dusk_arrow.exchange.number_marks import Mark
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse

SAS7BDAT = bytes.fromhex("c2ea8160b31411cfbd92080009c7318c181f1011")
MEASURES: dict[str, Level] = {"nominal": "category", "ordinal": "ordered", "scale": "number"}
NOT_TEXT = (".sav", ".zsav", ".dta", ".sas7bdat", ".parquet", ".xlsx", ".xls", ".ods")
MOST_CELLS = 5_000_000
MOST_UNPACKED = 2**30
UNUSABLE = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")


def is_text(content: bytes, file_name: str) -> bool:
    """Whether a file is delimited text rather than one of the formats that know their columns."""
    binary = content[:4] in (b"PAR1", b"$FL2", b"$FL3", b"PK\x03\x04") or b"\0" in content[:4096]
    utf16 = content[:2] in (b"\xff\xfe", b"\xfe\xff")
    return utf16 or not (binary or Path(file_name).suffix.lower() in NOT_TEXT)


def read_file(content: bytes, file_name: str, options: ReadingOptions | None = None) -> Reading:
    """A file as a data set: .xlsx, .sav, .zsav, .dta, .sas7bdat, .parquet, or delimited text.

    Raises ProblemError when it cannot be used; a broken file of a known kind is named as such.
    """
    options = options or ReadingOptions()
    name = Path(file_name).stem or "data"
    if len(content) > MOST_BYTES:
        raise refuse("file_too_large", f"The file has {len(content) / 2**20:.0f} MB; 200 MB is the most that is read.")
    ending = Path(file_name).suffix.lower()
    if content[:4] == b"PAR1":
        return _guarded(".parquet", lambda: _read_parquet(content, name, options))
    if content[:4] in (b"$FL2", b"$FL3"):
        return _guarded(".sav", lambda: _read_labelled(content, name, "read_sav", ".sav", options))
    if content[6:11] == b"_dta>" or (ending == ".dta" and content[:1] in (b"\x69", b"\x6c", b"\x71", b"\x72", b"\x73")):
        return _guarded(".dta", lambda: _read_labelled(content, name, "read_dta", ".dta", options))
    if content[12:32] == SAS7BDAT:
        return _guarded(".sas7bdat", lambda: _read_labelled(content, name, "read_sas7bdat", ".sas7bdat", options))
    if content[:4] == b"PK\x03\x04":
        return _guarded(".xlsx", lambda: _read_workbook(content, name, options))
    if ending in (".xls", ".ods"):
        raise refuse("format_unknown", f"Files ending in {ending} are not read; save the table as .xlsx or .csv.")
    if ending in (".sav", ".zsav", ".dta", ".sas7bdat", ".parquet", ".xlsx"):
        raise refuse("file_broken", f"The file is called {ending} but its contents are something else, or cut off.")
    return read_csv(content, name, options)


T = TypeVar("T")


def _guarded(kind: str, read: Callable[[], T]) -> T:
    """Readers of other people's formats fail in their own ways; all of them mean that the file is broken."""
    try:
        return read()
    except ProblemError:
        raise
    except Exception as error:
        first = str(error).strip().splitlines()[0][:160] if str(error).strip() else type(error).__name__
        raise refuse("file_broken", f"The {kind} file is damaged or cut off and cannot be read ({first}).") from None


def _text(value: Any) -> str:
    """A cell as the text that a person would have typed."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, float):
        return "" if np.isnan(value) else str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return str(value)


def _bounds(cells: str | None) -> dict[str, int]:
    """The rows and columns of a range such as B3:H40. Raises ProblemError."""
    from openpyxl.utils import range_boundaries

    if cells is None or not cells.strip():
        return {}
    try:
        left, top, right, bottom = range_boundaries(cells.strip().upper())
    except (ValueError, TypeError):
        raise refuse("range_unreadable", f"“{cells}” is no range of cells; write it as B3:H40.") from None
    bounds = {"min_col": left, "min_row": top, "max_col": right, "max_row": bottom}
    return {name: value for name, value in bounds.items() if value is not None}


def sheets_of(content: bytes) -> list[str]:
    """The sheets of a workbook; none for any other file."""
    if content[:4] != b"PK\x03\x04":
        return []
    from openpyxl import load_workbook

    try:
        return list(load_workbook(io.BytesIO(content), read_only=True).sheetnames)
    except Exception:  # a broken workbook is reported when it is read
        return []


def _workbook_rows(content: bytes, options: ReadingOptions) -> tuple[list[list[str]], list[str], str]:
    """The rows of a sheet that hold anything, as texts, with the names of all sheets and of the one that was read."""
    from openpyxl import load_workbook

    archive = zipfile.ZipFile(io.BytesIO(content))
    if "xl/workbook.xml" not in archive.namelist():
        raise refuse("format_unknown", "This is an archive without a worksheet in it. Save the table as .xlsx or .csv.")
    if sum(entry.file_size for entry in archive.infolist()) > MOST_UNPACKED:
        raise refuse("file_too_large", "The workbook unpacks to more than 1 GB; save the sheet with the data alone.")
    book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
    wanted = options.sheet or book.sheetnames[0]
    if wanted not in book.sheetnames:
        guess = nearest(wanted, book.sheetnames)
        hint = f" Did you mean {guess}?" if guess else ""
        raise refuse("unknown_sheet", f"There is no sheet {wanted}; there are {listed(book.sheetnames)}.{hint}", wanted)
    sheet = book[wanted]
    rows: list[list[str]] = []
    cells = 0
    bounds = _bounds(options.cells)
    if options.skip:
        bounds["min_row"] = bounds.get("min_row", 1) + options.skip
    for row in sheet.iter_rows(values_only=True, **bounds):
        texts = [_text(value) for value in row]
        cells += len(texts)
        if cells > MOST_CELLS:
            raise refuse("file_too_large", f"The sheet has more than {MOST_CELLS:,} cells; save it as .csv.")
        if any(texts):
            rows.append(texts)
        if options.most_rows is not None and len(rows) > options.most_rows:
            break
    if not rows:
        raise refuse("file_empty", f"The sheet {wanted} is empty.")
    used = max(max((i for i, text in enumerate(row) if text), default=-1) for row in rows) + 1
    if used > MOST_COLUMNS:
        raise refuse("too_many_columns", f"The sheet has {used} columns; {MOST_COLUMNS} is the most.")
    return [(row + [""] * used)[:used] for row in rows], list(book.sheetnames), wanted


def _read_workbook(content: bytes, name: str, options: ReadingOptions) -> Reading:
    import pandas as pd

    rows, sheets, wanted = _workbook_rows(content, options)
    table = pd.DataFrame(rows, dtype=str)
    if table.shape[1] == 1:
        raise refuse("one_column", f"Only one column was found on the sheet {wanted}.")
    reading = from_cells(table, name, options)
    if len(sheets) > 1 and options.sheet is None:
        message = f"The workbook has the sheets {listed(sheets)}; {wanted} was read."
        return Reading(reading.data, (*reading.problems, Problem("first_sheet_read", "note", message)))
    return reading


def matrix_rows(content: bytes, file_name: str, options: ReadingOptions) -> tuple[list[list[str]], Mark] | None:
    """The rows of a file that holds a matrix, or is said to, with its decimal mark; None for any other file. Raises
    ProblemError."""
    if options.kind == "cases":
        return None
    if is_text(content, file_name):
        layout = lay_out(content, options)
        rows, mark = first_rows(layout, MOST_ROWS + 1), layout.decimal
    elif content[:4] == b"PK\x03\x04":
        few = replace(options, most_rows=MOST_ROWS + 1)
        try:
            rows, mark = _guarded(".xlsx", lambda: _workbook_rows(content, few))[0], options.decimal or "."
        except ProblemError:
            if options.kind == "matrix":
                raise
            return None  # the reader of cases says what is wrong with it
    else:
        return None
    return (rows, mark) if options.kind == "matrix" or looks_like_matrix(rows, mark) else None


def read_any(
    content: bytes, file_name: str, options: ReadingOptions, n: int | None = None, divisor_offset: int = 1
) -> tuple[DataSet | Moments, tuple[Problem, ...]]:
    """A file as cases, or as a matrix where it holds one. Raises ProblemError when it cannot be used."""
    return read_as(matrix_rows(content, file_name, options), content, file_name, options, n, divisor_offset)


def read_as(
    found: tuple[list[list[str]], Mark] | None,
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
    rows, mark = found
    said = [] if options.kind == "matrix" else [taken_as_matrix(rows)]
    try:
        moments, noticed = read_matrix(rows, Path(file_name).stem or "matrix", n, divisor_offset, mark)
    except ProblemError as error:
        raise ProblemError([*error.problems, *said]) from None
    return moments, (*said, *noticed)


def _level(numbers: np.ndarray[Any, Any], measure: Level | None, labels: dict[str, str]) -> Level:
    """What a column of numbers is: as the file says where it says more than “number”, which files say of everything;
    otherwise by what is in it, as for a file without labels."""
    if measure in ("ordered", "category"):
        return measure
    found = number_level(numbers)
    return "ordered" if found == "number" and len(labels) > 2 else found


def _text_level(texts: np.ndarray[Any, Any]) -> Level:
    return "category" if len(set(texts)) <= 20 else "text"


def _clean(text: str | None) -> str | None:
    """A name or label without characters that cannot be shown or stored."""
    return None if text is None else UNUSABLE.sub("", text).strip()


def _value_label_key(key: Any) -> str:
    return _text(float(key)) if isinstance(key, int | float) else str(key)


def _read_labelled(content: bytes, name: str, reader: str, ending: str, options: ReadingOptions) -> Reading:
    """Files with labels, value labels and declared missing values, which become missing."""
    import pandas as pd
    import pyreadstat

    with tempfile.NamedTemporaryFile(suffix=ending, prefix="dusk-arrow-") as file:
        file.write(content)
        file.flush()
        frame, notes = getattr(pyreadstat, reader)(file.name, row_limit=options.most_rows or 0)
    if frame.shape[1] == 0:
        raise refuse("file_empty", "The file has no columns.")
    if frame.shape[0] == 0:
        raise refuse("no_cases", "The file has column names but no cases.")
    columns = []
    for column in frame.columns:
        values = frame[column]
        labels = {_value_label_key(k): str(v) for k, v in (notes.variable_value_labels.get(column) or {}).items()}
        label = notes.column_names_to_labels.get(column) or None
        measure = MEASURES.get((notes.variable_measure or {}).get(column, ""))
        if pd.api.types.is_numeric_dtype(values):
            numbers = values.to_numpy(dtype=float, na_value=np.nan)
            level = _level(numbers, measure, labels)
            columns.append(Column(str(column), level, numbers, None, label, labels))
        else:
            texts = np.array([None if pd.isna(v) or str(v) == "" else str(v) for v in values], dtype=object)
            columns.append(Column(str(column), _text_level(texts), None, texts, label, labels))
    return _checked(DataSet(name, tuple(columns)), options)


def _checked(data: DataSet, options: ReadingOptions) -> Reading:
    """A data set whose format knows its columns, after the codes for missing and names that the options give."""
    if len(data.columns) > MOST_COLUMNS:
        raise refuse("too_many_columns", f"The file has {len(data.columns)} columns; {MOST_COLUMNS} is the most.")
    clean, faults = within_reach(_tidy(data))
    data = replace(data, columns=clean)
    check_names(list(data.names))
    steps: list[Step] = []
    if options.missing_codes:
        steps.append(TreatAsMissing(data.names, options.missing_codes))
    if options.names is not None:
        names, _ = column_names(list(data.names), replace(options, header=False))
        data = replace(data, columns=tuple(replace(c, name=n) for c, n in zip(data.columns, names, strict=True)))
        steps = [TreatAsMissing(data.names, options.missing_codes)] if options.missing_codes else []
    data, _ = apply_steps(data, steps)
    return Reading(data, (*faults, *check_columns(data)))


def _tidy(data: DataSet) -> tuple[Column, ...]:
    """Columns with names, labels and texts that can be shown and stored."""
    columns = []
    for column in data.columns:
        texts = column.texts
        if texts is not None:
            texts = np.array([_clean(text) for text in texts], dtype=object)
        labels = {_clean(key) or "": _clean(label) or "" for key, label in column.value_labels.items()}
        name, label = _clean(column.name) or "", _clean(column.label)
        columns.append(replace(column, name=name, label=label or None, value_labels=labels, texts=texts))
    return tuple(columns)


def _read_parquet(content: bytes, name: str, options: ReadingOptions) -> Reading:
    import pandas as pd

    frame = pd.read_parquet(io.BytesIO(content))
    if options.most_rows is not None:
        frame = frame.head(options.most_rows)
    if frame.shape[1] == 0 or frame.shape[0] == 0:
        raise refuse("file_empty", "The file has no columns or no cases.")
    columns = []
    for column in frame.columns:
        values = frame[column]
        if pd.api.types.is_numeric_dtype(values) or pd.api.types.is_bool_dtype(values):
            numbers = values.to_numpy(dtype=float, na_value=np.nan)
            columns.append(Column(str(column), number_level(numbers), numbers))
        else:
            texts = np.array([None if pd.isna(v) else str(v) for v in values], dtype=object)
            columns.append(Column(str(column), _text_level(texts), None, texts))
    return _checked(DataSet(name, tuple(columns)), options)
