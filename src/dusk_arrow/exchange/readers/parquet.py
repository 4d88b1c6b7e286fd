"""Columns of numbers and texts: .parquet."""

from __future__ import annotations

import io

import numpy as np

from dusk_arrow.core.observations.codes import number_level
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.exchange.file_formats import FileFormat
from dusk_arrow.exchange.readers.checked import checked, text_level
from dusk_arrow.exchange.reading_options import Reading, ReadingOptions, refuse


def read(content: bytes, name: str, options: ReadingOptions, found: FileFormat) -> Reading:
    """A data set. Raises ProblemError."""
    import pandas as pd

    frame = pd.read_parquet(io.BytesIO(content))
    if options.most_rows is not None:
        frame = frame.head(options.most_rows)
    if frame.shape[1] == 0 or frame.shape[0] == 0:
        raise refuse("file_empty", "The file has no columns or no cases.")
    columns = []
    for column in frame.columns:
        values = frame[column]
        if pd.api.types.is_numeric_dtype(values) or pd.api.types.is_bool_dtype(values):
            numbers = values.to_numpy(dtype=float, na_value=np.nan)
            columns.append(Column(str(column), number_level(numbers), numbers))
        else:
            texts = np.array([None if pd.isna(v) else str(v) for v in values], dtype=object)
            columns.append(Column(str(column), text_level(texts), None, texts))
    return checked(DataSet(name, tuple(columns)), options)
