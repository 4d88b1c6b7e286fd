"""The tables of a report as comma-separated files in one .zip, numbers in full."""

from __future__ import annotations

import re
from typing import Any

from dusk_arrow.exchange.writing import write_rows, zipped
from dusk_arrow.report.assembly import Report
from dusk_arrow.report.cells import spread


def write(report: Report) -> bytes:
    """A file a table, named by number and title."""
    files = {}
    for one in report.tables:
        heads, rows = spread(one.table)
        name = re.sub(r"[^\w]+", "_", one.table.title).strip("_").lower()
        content: list[list[Any]] = [[*heads], *([*row] for row in rows)]
        files[f"table_{one.number:02d}_{name}.csv"] = write_rows(content)
    return zipped(files)
