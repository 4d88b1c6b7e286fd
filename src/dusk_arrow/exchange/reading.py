"""Reading any data file that people have: by what is in it, not by what it is called."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.core.observations.steps import Step, TreatAsMissing, apply_steps
from dusk_arrow.core.problems import Problem, ProblemError, listed, nearest
from dusk_arrow.exchange.csv_files import (
    MOST_BYTES,
    Reading,
    ReadingOptions,
    check_columns,
    column_names,
    from_cells,
    read_csv,
)

SAS_MAGIC = bytes.fromhex("c2ea8160b31411cfbd92080009c7318c181f1011")
MEASURES: dict[str, Level] = {"nominal": "category", "ordinal": "ordered", "scale": "number"}
MOST_CELLS = 20_000_000


def _refuse(code: str, message: str, *about: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message, about)])


def read_file(content: bytes, file_name: str, options: ReadingOptions | None = None) -> Reading:
    """A file as a data set: .xlsx, .sav, .zsav, .dta, .sas7bdat, .parquet, or delimited text.

    Raises ProblemError when it cannot be used; a broken file of a known kind is named as such.
    """
    options = options or ReadingOptions()
    name = Path(file_name).stem or "data"
    if len(content) > MOST_BYTES:
        raise _refuse("file_too_large", f"The file has {len(content) / 2**20:.0f} MB; 200 MB is the most that is read.")
    ending = Path(file_name).suffix.lower()
    if content[:4] == b"PAR1":
        return _guarded(".parquet", lambda: _read_parquet(content, name, options))
    if content[:4] in (b"$FL2", b"$FL3"):
        return _guarded(".sav", lambda: _read_labelled(content, name, "read_sav", ".sav", options))
    if content[:11] == b"<stata_dta>" or (
        ending == ".dta" and content[:1] in (b"\x69", b"\x6c", b"\x71", b"\x72", b"\x73")
    ):
        return _guarded(".dta", lambda: _read_labelled(content, name, "read_dta", ".dta", options))
    if content[12:32] == SAS_MAGIC:
        return _guarded(".sas7bdat", lambda: _read_labelled(content, name, "read_sas7bdat", ".sas7bdat", options))
    if content[:4] == b"PK\x03\x04":
        return _guarded(".xlsx", lambda: _read_workbook(content, name, options))
    if ending in (".xls", ".ods"):
        raise _refuse("format_unknown", f"Files ending in {ending} are not read; save the table as .xlsx or .csv.")
    if ending in (".sav", ".zsav", ".dta", ".sas7bdat", ".parquet", ".xlsx"):
        raise _refuse("file_broken", f"The file is called {ending} but its contents are something else, or cut off.")
    return read_csv(content, name, options)


def _guarded(kind: str, read: Callable[[], Reading]) -> Reading:
    """Readers of other people's formats fail in their own ways; all of them mean that the file is broken."""
    try:
        return read()
    except ProblemError:
        raise
    except Exception as error:
        first = str(error).strip().splitlines()[0][:160] if str(error).strip() else type(error).__name__
        raise _refuse("file_broken", f"The {kind} file is damaged or cut off and cannot be read ({first}).") from None


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
        raise _refuse("range_unreadable", f"“{cells}” is no range of cells; write it as B3:H40.") from None
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


def _read_workbook(content: bytes, name: str, options: ReadingOptions) -> Reading:
    import pandas as pd
    from openpyxl import load_workbook

    if "xl/workbook.xml" not in zipfile.ZipFile(io.BytesIO(content)).namelist():
        raise _refuse(
            "format_unknown", "This is an archive without a worksheet in it. Save the table as .xlsx or .csv."
        )
    book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
    wanted = options.sheet or book.sheetnames[0]
    if wanted not in book.sheetnames:
        guess = nearest(wanted, book.sheetnames)
        hint = f" Did you mean {guess}?" if guess else ""
        raise _refuse(
            "unknown_sheet", f"There is no sheet {wanted}; there are {listed(book.sheetnames)}.{hint}", wanted
        )
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
            raise _refuse("file_too_large", f"The sheet has more than {MOST_CELLS:,} cells.")
        if any(texts):
            rows.append(texts)
        if options.most_rows is not None and len(rows) > options.most_rows:
            break
    if not rows:
        raise _refuse("file_empty", f"The sheet {wanted} is empty.")
    used = max(max((i for i, text in enumerate(row) if text), default=-1) for row in rows) + 1
    table = pd.DataFrame([(row + [""] * used)[:used] for row in rows], dtype=str)
    if table.shape[1] == 1:
        raise _refuse("one_column", f"Only one column was found on the sheet {wanted}.")
    reading = from_cells(table, name, options)
    if len(book.sheetnames) > 1 and options.sheet is None:
        message = f"The workbook has the sheets {listed(book.sheetnames)}; {wanted} was read."
        return Reading(reading.data, (*reading.problems, Problem("first_sheet_read", "note", message)))
    return reading


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
        raise _refuse("file_empty", "The file has no columns.")
    if frame.shape[0] == 0:
        raise _refuse("no_cases", "The file has column names but no cases.")
    columns = []
    for column in frame.columns:
        values = frame[column]
        labels = {_value_label_key(k): str(v) for k, v in (notes.variable_value_labels.get(column) or {}).items()}
        label = notes.column_names_to_labels.get(column) or None
        measure = MEASURES.get((notes.variable_measure or {}).get(column, ""))
        if pd.api.types.is_numeric_dtype(values):
            numbers = values.to_numpy(dtype=float, na_value=np.nan)
            columns.append(Column(str(column), measure or "number", numbers, None, label, labels))
        else:
            texts = np.array([None if pd.isna(v) or str(v) == "" else str(v) for v in values], dtype=object)
            level = "category" if len(set(texts)) <= 20 else "text"
            columns.append(Column(str(column), cast(Level, level), None, texts, label, labels))
    return _checked(DataSet(name, tuple(columns)), options)


def _checked(data: DataSet, options: ReadingOptions) -> Reading:
    """A data set whose format knows its columns, after the codes for missing and names that the options give."""
    steps: list[Step] = []
    if options.missing_codes:
        steps.append(TreatAsMissing(data.names, options.missing_codes))
    if options.names is not None:
        names, _ = column_names(list(data.names), replace(options, header=False))
        data = replace(data, columns=tuple(replace(c, name=n) for c, n in zip(data.columns, names, strict=True)))
        steps = [TreatAsMissing(data.names, options.missing_codes)] if options.missing_codes else []
    data, _ = apply_steps(data, steps)
    return Reading(data, tuple(check_columns(data)))


def _read_parquet(content: bytes, name: str, options: ReadingOptions) -> Reading:
    import pandas as pd

    frame = pd.read_parquet(io.BytesIO(content))
    if options.most_rows is not None:
        frame = frame.head(options.most_rows)
    if frame.shape[1] == 0 or frame.shape[0] == 0:
        raise _refuse("file_empty", "The file has no columns or no cases.")
    columns = []
    for column in frame.columns:
        values = frame[column]
        if pd.api.types.is_numeric_dtype(values) or pd.api.types.is_bool_dtype(values):
            numbers = values.to_numpy(dtype=float, na_value=np.nan)
            columns.append(Column(str(column), "number", numbers))
        else:
            texts = np.array([None if pd.isna(v) else str(v) for v in values], dtype=object)
            columns.append(Column(str(column), "category" if len(set(texts)) <= 20 else "text", None, texts))
    return _checked(DataSet(name, tuple(columns)), options)
