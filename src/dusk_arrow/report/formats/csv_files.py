"""The tables of a report as comma-separated files in one .zip, numbers in full."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

from dusk_arrow.exchange.writing import write_rows
from dusk_arrow.report.assembly import Report
from dusk_arrow.report.cells import spread

EARLIEST = (1980, 1, 1, 0, 0, 0)  # the same report makes the same file


def write(report: Report) -> bytes:
    """A file a table, named by number and title."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as bundle:
        for one in report.tables:
            heads, rows = spread(one.table)
            name = re.sub(r"[^\w]+", "_", one.table.title).strip("_").lower()
            content: list[list[Any]] = [[*heads], *([*row] for row in rows)]
            bundle.writestr(zipfile.ZipInfo(f"table_{one.number:02d}_{name}.csv", EARLIEST), write_rows(content))
    return buffer.getvalue()
