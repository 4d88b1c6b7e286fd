"""Files with labels, value labels and declared missing values: .sav, .zsav, .dta, .sas7bdat."""

from __future__ import annotations

import tempfile
from typing import Any

import numpy as np

from dusk_arrow.core.observations.codes import number_level
from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.exchange.file_formats import FileFormat
from dusk_arrow.exchange.readers.cell_text import cell_text
from dusk_arrow.exchange.readers.checked import checked, text_level
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse

MEASURES: dict[str, Level] = {"nominal": "category", "ordinal": "ordered", "scale": "number"}


def _level(numbers: np.ndarray[Any, Any], measure: Level | None, labels: dict[str, str]) -> Level:
    """What a column of numbers is: as the file says where it says more than “number”, which files say of everything;
    otherwise by what is in it, as for a file without labels."""
    if measure in ("ordered", "category"):
        return measure
    found = number_level(numbers)
    return "ordered" if found == "number" and len(labels) > 2 else found


def _value_label_key(key: Any) -> str:
    return cell_text(float(key)) if isinstance(key, int | float) else str(key)


def read(content: bytes, name: str, options: ReadingOptions, found: FileFormat) -> Reading:
    """Files with labels, value labels and declared missing values, which become missing."""
    import pandas as pd
    import pyreadstat

    with tempfile.NamedTemporaryFile(suffix=found.endings[0], prefix="dusk-arrow-") as file:
        file.write(content)
        file.flush()
        frame, notes = getattr(pyreadstat, f"read_{found.key}")(file.name, row_limit=options.most_rows or 0)
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
            columns.append(Column(str(column), text_level(texts), None, texts, label, labels))
    return checked(DataSet(name, tuple(columns)), options)
