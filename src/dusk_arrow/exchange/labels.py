"""Labels from a sidecar file: column, label, level, value labels as `1=no;2=yes`."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from typing import cast

from dusk_arrow.core.observations.data import DataSet, Level

LEVELS = ("number", "ordered", "category", "identifier", "text")


def with_labels(data: DataSet, sidecar: str) -> DataSet:
    """The data set with the labels, levels and value labels of a sidecar; unknown columns in it are passed over."""
    rows = {row["column"]: row for row in csv.DictReader(io.StringIO(sidecar)) if row.get("column")}
    columns = []
    for column in data.columns:
        row = rows.get(column.name)
        if row is not None:
            pairs = [pair.split("=", 1) for pair in (row.get("values") or "").split(";") if "=" in pair]
            level = row.get("level")
            column = replace(
                column,
                label=row.get("label") or None,
                level=cast(Level, level) if level in LEVELS else column.level,
                value_labels={key.strip(): label.strip() for key, label in pairs},
            )
        columns.append(column)
    return replace(data, columns=tuple(columns))
