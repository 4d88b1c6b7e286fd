"""Names and labels that come from elsewhere: a second file, or a list that was pasted."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import replace
from typing import cast

from dusk_arrow.core.observations.data import DataSet, Level
from dusk_arrow.core.texts import one_line, plain_name

QUOTED = re.compile(r"\"[^\"]*\"")
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
                label=one_line(row.get("label") or "") or None,
                level=cast(Level, level) if level in LEVELS else column.level,
                value_labels={key.strip(): one_line(label) for key, label in pairs},
            )
        columns.append(column)
    return replace(data, columns=tuple(columns))


def is_sidecar(text: str) -> bool:
    """Whether a text is a table of labels with a column called `column`."""
    first = text.lstrip("\ufeff").splitlines()[0] if text.strip() else ""
    return "column" in [cell.strip().casefold() for cell in first.split(",")]


def read_names(text: str) -> tuple[tuple[str, ...], tuple[str | None, ...]]:
    """Names and labels of columns from a pasted list: a line each (`name`, or `name` and label after a tab, semicolon,
    comma or equals sign), or names alone on one line."""
    lines = [line.strip() for line in text.lstrip("\ufeff").splitlines() if line.strip()]
    if len(lines) == 1:
        apart = r"[\t;,]" if re.search(r"[\t;,]", QUOTED.sub("", lines[0])) else r"\s"
        cells = re.findall(rf'"[^"]*"|(?:(?!{apart})[^"])+', lines[0])
        names = tuple(name for cell in cells if (name := plain_name(cell.strip().strip('"'))))
        return names, (None,) * len(names)
    found = []
    for line in lines:
        quoted = QUOTED.match(line)
        if quoted:
            name, label = quoted.group(), line[quoted.end() :].lstrip("\t;,= ")
        else:
            name, _, label = re.sub(r"\t|;|,|=", "\t", line, count=1).partition("\t")
        found.append((plain_name(name.strip().strip('"')), one_line(label).strip('"') or None))
    return tuple(name for name, _ in found), tuple(label for _, label in found)
