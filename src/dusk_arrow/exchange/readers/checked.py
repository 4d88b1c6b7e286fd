"""What every reader of a format that knows its columns ends with: names, labels and codes put in order."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.core.observations.steps import Step, TreatAsMissing
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.texts import one_line, usable
from dusk_arrow.exchange.cells import check_columns, within_reach
from dusk_arrow.exchange.column_names import check_names, column_names, short_name
from dusk_arrow.exchange.csv_files import MOST_COLUMNS
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse


def text_level(texts: np.ndarray[Any, Any]) -> Level:
    """What a column of texts is."""
    return "category" if len(set(texts)) <= 20 else "text"


def checked(data: DataSet, options: ReadingOptions) -> Reading:
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
            texts = np.array([None if text is None else usable(text).strip() for text in texts], dtype=object)
        labels = {usable(key).strip(): one_line(label) for key, label in column.value_labels.items()}
        label = one_line(column.label or "") or None
        columns.append(replace(column, name=short_name(column.name), label=label, value_labels=labels, texts=texts))
    return tuple(columns)
