"""A sheet of a workbook, or a range of it: .xlsx."""

from __future__ import annotations

import io
import zipfile

from dusk_arrow.core.problems import Problem, listed, nearest
from dusk_arrow.exchange.cells import from_cells
from dusk_arrow.exchange.csv_files import MOST_COLUMNS
from dusk_arrow.exchange.file_formats import FileFormat
from dusk_arrow.exchange.readers.cell_text import cell_text
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse

MOST_CELLS = 5_000_000
MOST_UNPACKED = 2**30


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
    """The sheets of a workbook; none where it is broken, which is said when it is read."""
    from openpyxl import load_workbook

    try:
        return list(load_workbook(io.BytesIO(content), read_only=True).sheetnames)
    except Exception:  # whatever the library raises
        return []


def workbook_rows(content: bytes, options: ReadingOptions) -> tuple[list[list[str]], list[str], str]:
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
        texts = [cell_text(value) for value in row]
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


def read(content: bytes, name: str, options: ReadingOptions, found: FileFormat) -> Reading:
    """The cells as a data set. Raises ProblemError."""
    import pandas as pd

    rows, sheets, wanted = workbook_rows(content, options)
    table = pd.DataFrame(rows, dtype=str)
    if table.shape[1] == 1:
        raise refuse("one_column", f"Only one column was found on the sheet {wanted}.")
    reading = from_cells(table, name, options)
    if len(sheets) > 1 and options.sheet is None:
        message = f"The workbook has the sheets {listed(sheets)}; {wanted} was read."
        return Reading(reading.data, (*reading.problems, Problem("first_sheet_read", "note", message)))
    return reading
