"""Files out: the data as they are used, and tables, as .csv, .xlsx or .sav."""

from __future__ import annotations

import io
import re
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.texts import printable, usable

MEASURES = {"number": "scale", "ordered": "ordinal", "category": "nominal", "identifier": "nominal", "text": "nominal"}
LONGEST_CELL = 32_767  # letters that a cell of a workbook can hold
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")
MOST_SHEET_CELLS = 1_000_000
EARLIEST = (1980, 1, 1, 0, 0, 0)  # of a file in a .zip


def _frame(data: DataSet) -> Any:
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    return pd.DataFrame({c.name: c.numbers if c.numbers is not None else c.texts for c in data.columns})


def _whole(frame: Any) -> Any:
    """Columns of whole numbers without their “.0”."""
    for name in frame.columns:
        values = frame[name]
        if values.dtype.kind == "f" and bool(np.all(values.dropna() == values.dropna().round())):
            frame[name] = values.astype("Int64")
    return frame


def _write_text(data: DataSet) -> bytes:
    frame = _whole(_frame(data))
    for column in data.columns:
        if column.texts is not None:
            frame[column.name] = [harmless(text) for text in column.texts]
    return str(frame.rename(columns=harmless).to_csv(index=False, lineterminator="\r\n")).encode()


def _write_book(data: DataSet) -> bytes:
    if data.n * len(data.columns) > MOST_SHEET_CELLS:
        message = (
            f"The data have {data.n * len(data.columns):,} cells; a workbook is made of up to {MOST_SHEET_CELLS:,}. "
            "Save them as .csv or .sav."
        )
        raise ProblemError([Problem("too_many_cells", "error", message)])
    labels = [["column", "label", "level", "values"]]
    for c in data.columns:
        values = ";".join(f"{key}={label}" for key, label in c.value_labels.items())
        labels.append([c.name, c.label or "", c.level, values])
    cells = [list(data.names), *_whole(_frame(data)).astype(object).to_numpy().tolist()]
    return write_workbook({"data": cells, "columns": labels})


def _write_sav(data: DataSet) -> bytes:
    import pyreadstat

    short: dict[str, str] = {}
    for name in data.names:
        clean = re.sub(r"[^\w.]", "_", name)
        clean = clean if clean[:1].isalpha() else f"v_{clean}"
        while clean.casefold() in {s.casefold() for s in short.values()}:
            clean += "_"
        short[name] = clean[:64]
    frame = _frame(data).rename(columns=short)
    labels: dict[str, Any] = {}
    for c in data.columns:
        try:
            labels[short[c.name]] = {float(k) if c.numeric else k: v for k, v in c.value_labels.items()}
        except ValueError:
            continue
    with tempfile.TemporaryDirectory(prefix="dusk-arrow-") as folder:
        path = Path(folder) / "data.sav"
        pyreadstat.write_sav(
            frame,
            str(path),
            column_labels={short[c.name]: c.label for c in data.columns if c.label},
            variable_value_labels={name: found for name, found in labels.items() if found},
            variable_measure={short[c.name]: MEASURES[c.level] for c in data.columns},
        )
        return path.read_bytes()


def harmless(value: Any) -> Any:
    """A cell of any file that a spreadsheet may open: a text that it would run as a formula gets an apostrophe."""
    return f"'{value}" if isinstance(value, str) and len(value) > 1 and value.startswith(DANGEROUS) else value


def _safe(value: Any) -> Any:
    """A cell of a workbook: harmless, and nothing that is not a value."""
    if value is None or (isinstance(value, float) and not np.isfinite(value)) or str(value) in ("<NA>", "nan"):
        return None
    if isinstance(value, str):
        return harmless(usable(value))[:LONGEST_CELL]
    return value.item() if isinstance(value, np.generic) else value


def write_workbook(sheets: dict[str, list[list[Any]]]) -> bytes:
    """Tables as the sheets of a workbook."""
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    for name, rows in sheets.items():
        sheet = book.create_sheet(re.sub(r"[\[\]:*?/\\]", " ", printable(name))[:31])
        for row in rows:
            sheet.append([_safe(value) for value in row])
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()


def zipped(files: Mapping[str, bytes]) -> bytes:
    """Files in one .zip, in their order; the same files make the same bytes."""
    import zipfile

    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as bundle:
        for name, content in files.items():
            bundle.writestr(zipfile.ZipInfo(name, EARLIEST), content, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def write_rows(rows: list[list[Any]]) -> bytes:
    """A table as comma-separated text."""
    import csv

    buffer = io.StringIO()
    csv.writer(buffer).writerows([["" if value is None else harmless(value) for value in row] for row in rows])
    return buffer.getvalue().encode()


WRITERS: dict[str, Callable[[DataSet], bytes]] = {"csv": _write_text, "xlsx": _write_book, "sav": _write_sav}


def write_data(data: DataSet, ending: str) -> bytes:
    """A data set as a file. Raises ProblemError for a format that is not written."""
    if ending not in WRITERS:
        raise ProblemError([Problem("format_unknown", "error", f"Files ending in .{ending} are not written.")])
    return WRITERS[ending](data)


def write_tables(tables: dict[str, list[list[Any]]], ending: str) -> bytes:
    """Tables by their titles as a file; a format that holds one table takes the first."""
    return write_workbook(tables) if ending == "xlsx" else write_rows(next(iter(tables.values())))
