"""Columns of a data set as a screen lists them: what they are, their figures, a small histogram."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import Column, DataSet, Level, Moments
from dusk_arrow.core.observations.screening import ColumnSummary, summarise
from dusk_arrow.results.document import Part

BINS = 12


class ColumnPart(Part):
    """A column with its summary; figures are null for text. `histogram` counts cases in equal steps from min to max,
    or of each of the `categories` of a text."""

    name: str
    label: str | None
    level: Level
    numeric: bool
    value_labels: dict[str, str]
    n: int
    missing: int
    mean: float | None
    sd: float | None
    min: float | None
    max: float | None
    skewness: float | None
    kurtosis: float | None
    distinct: int
    histogram: list[int]
    categories: list[str]


def _histogram(values: Array, distinct: int) -> list[int]:
    present = values[~np.isnan(values)]
    if present.size == 0:
        return []
    low, high = float(present.min()), float(present.max())
    whole = bool(np.all(present == np.round(present)))
    bins = int(high - low) + 1 if whole and high - low < BINS else min(BINS, max(distinct, 1))
    counts, _ = np.histogram(present, bins=bins, range=(low - 0.5, high + 0.5) if whole else (low, high + 1e-12))
    return [int(count) for count in counts]


def column_part(column: Column, n: int) -> ColumnPart:
    """One column."""
    counts: list[int] = []
    categories: list[str] = []
    if column.numbers is not None:
        summary = summarise(column.numbers)
        found = np.unique(column.numbers[~np.isnan(column.numbers)])
        distinct = int(found.size)
        counts = _histogram(column.numbers, distinct)
        if distinct <= 20:
            categories = [f"{value:g}" for value in found]
    else:
        texts = [text for text in (column.texts if column.texts is not None else []) if text is not None]
        summary = ColumnSummary(len(texts), n - len(texts), None, None, None, None, None, None)
        by_text: dict[str, int] = {}
        for text in texts:
            by_text[str(text)] = by_text.get(str(text), 0) + 1
        distinct = len(by_text)
        if distinct <= 20:
            categories = sorted(by_text)
            counts = [by_text[text] for text in categories]
    return ColumnPart(
        name=column.name,
        label=column.label,
        level=column.level,
        numeric=column.numeric,
        value_labels=column.value_labels,
        distinct=distinct,
        histogram=counts,
        categories=categories,
        **vars(summary),
    )


def column_parts(data: DataSet | Moments, most: int | None = None) -> list[ColumnPart]:
    """All columns, or the first `most`; of a matrix the variables with their standard deviations (and means, if any)."""
    if isinstance(data, DataSet):
        return [column_part(column, data.n) for column in data.columns[:most]]
    parts = []
    for i, name in enumerate(data.names):
        mean = None if data.means is None else float(data.means[i])
        sd = float(np.sqrt(data.covariance[i, i] * (data.n - data.divisor_offset) / (data.n - 1)))
        empty = dict.fromkeys(("min", "max", "skewness", "kurtosis"))
        part = ColumnPart.model_validate(
            {"name": name, "label": None, "level": "number", "numeric": True, "value_labels": {}, "n": data.n,
             "missing": 0, "mean": mean, "sd": sd, "distinct": data.n, "histogram": [], "categories": [], **empty}
        )  # fmt: skip
        parts.append(part)
    return parts
