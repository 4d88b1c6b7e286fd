"""Data as bytes, the form in which they are kept in the records: cases as Parquet, a matrix as JSON."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.column_names import told_apart


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


def from_parquet(content: bytes, title: str, notes: list[dict[str, Any]]) -> DataSet:
    """The data set that `to_parquet` and `column_notes` took apart."""
    table = pq.read_table(io.BytesIO(content))
    columns = []
    names = told_apart([plain_name(note["name"]) for note in notes])  # earlier versions kept them as they came
    for name, note in zip(names, notes, strict=True):
        values = table.column(note["name"])
        known = {"label": note["label"], "value_labels": note["value_labels"]}
        if pa.types.is_floating(values.type):
            numbers = values.to_numpy().astype(float)
            columns.append(Column(name, note["level"], numbers, **known))
        else:
            columns.append(Column(name, note["level"], None, np.array(values.to_pylist(), dtype=object), **known))
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


def moments_from_json(content: bytes) -> Moments:
    """The matrix that `moments_to_json` wrote."""
    found = json.loads(content)
    means = None if found["means"] is None else np.array(found["means"])
    return Moments(
        found["name"], tuple(found["names"]), np.array(found["covariance"]), found["n"], found["divisor_offset"], means,
        found.get("correlations", False),
    )  # fmt: skip
