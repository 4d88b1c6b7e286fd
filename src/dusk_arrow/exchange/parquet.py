"""Data as bytes, the form in which they are kept in the records: cases as Parquet, a matrix as JSON."""

from __future__ import annotations

import io
import json
from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
from pydantic import BaseModel, Field, FiniteFloat

from dusk_arrow.core.observations.data import Column, DataSet, Level, Moments
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.cells import LARGEST
from dusk_arrow.exchange.column_names import told_apart

MOST_CELLS = 60_000_000


def to_parquet(data: DataSet) -> bytes:
    """The columns' values as Parquet with zstd."""
    arrays = [
        pa.array(c.numbers, from_pandas=True) if c.numbers is not None else pa.array(c.texts, type=pa.string())
        for c in data.columns
    ]
    buffer = io.BytesIO()
    pq.write_table(pa.table(arrays, names=list(data.names)), buffer, compression="zstd")
    return buffer.getvalue()


def column_notes(data: DataSet) -> list[dict[str, Any]]:
    """What is known of each column besides its values."""
    return [{"name": c.name, "level": c.level, "label": c.label, "value_labels": c.value_labels} for c in data.columns]


class ColumnNote(BaseModel):
    """What is known of a column besides its values."""

    name: str
    level: Level
    label: str | None = None
    value_labels: dict[str, str] = {}


def from_parquet(content: bytes, title: str, notes: list[dict[str, Any]]) -> DataSet:
    """The data set that `to_parquet` and `column_notes` took apart. Raises KeyError, ValueError and pydantic's ValidationError where they
    do not belong together."""
    about = [ColumnNote.model_validate(note) for note in notes]
    kept = pq.ParquetFile(io.BytesIO(content))
    if kept.metadata.num_rows * max(kept.metadata.num_columns, 1) > MOST_CELLS:
        raise ValueError(f"more than {MOST_CELLS:,} cells")
    table = kept.read()
    columns = []
    names = told_apart([plain_name(note.name) for note in about])  # earlier versions kept them as they came
    for name, note in zip(names, about, strict=True):
        values = table.column(note.name)
        if pa.types.is_floating(values.type):
            numbers = values.to_numpy().astype(float)
            if (np.abs(numbers) > LARGEST).any():
                raise ValueError(f"{name} holds numbers beyond anything that can be computed with")
            columns.append(Column(name, note.level, numbers, None, note.label, note.value_labels))
        else:
            texts = np.array(values.cast(pa.string()).to_pylist(), dtype=object)
            columns.append(Column(name, note.level, None, texts, note.label, note.value_labels))
    return DataSet(title, tuple(columns))


def moments_to_json(moments: Moments) -> bytes:
    """A matrix with what belongs to it."""
    means = None if moments.means is None else moments.means.tolist()
    return json.dumps(
        {
            "name": moments.name,
            "names": moments.names,
            "covariance": moments.covariance.tolist(),
            "n": moments.n,
            "divisor_offset": moments.divisor_offset,
            "means": means,
            "correlations": moments.correlations,
        }
    ).encode()


class MomentsNote(BaseModel):
    """A matrix as it is kept."""

    name: str
    names: list[str] = Field(min_length=1, max_length=5000)
    covariance: list[list[FiniteFloat]]
    n: int = Field(ge=2, le=1_000_000_000)
    divisor_offset: Literal[0, 1]
    means: list[FiniteFloat] | None
    correlations: bool = False


def moments_from_json(content: bytes) -> Moments:
    """The matrix that `moments_to_json` wrote. Raises ValueError and pydantic's ValidationError where it is none."""
    found = MomentsNote.model_validate_json(content)
    matrix, p = np.array(found.covariance, dtype=float), len(found.names)
    if matrix.shape != (p, p) or not (np.diag(matrix) > 0).all() or not np.allclose(matrix, matrix.T, rtol=1e-9):
        raise ValueError("the matrix is not one of covariances")
    if found.means is not None and len(found.means) != p:
        raise ValueError("the matrix has other means than variables")
    means = None if found.means is None else np.array(found.means)
    names = tuple(told_apart([plain_name(name) for name in found.names]))
    return Moments(found.name, names, matrix, found.n, found.divisor_offset, means, found.correlations)
