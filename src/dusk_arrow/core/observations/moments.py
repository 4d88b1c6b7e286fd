"""Means, covariances and resample covariances of observed columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Sample:
    """Complete cases of the columns in use: values (n, p), and how many cases the data set had."""

    names: tuple[str, ...]
    values: Array
    n_total: int

    @property
    def n(self) -> int:
        """Cases used."""
        return int(self.values.shape[0])


def complete_cases(names: tuple[str, ...], values: Array) -> Sample:
    """Listwise deletion: the rows of (n, p) without a missing value (nan)."""
    kept = ~np.isnan(values).any(axis=1)
    return Sample(names, values[kept], int(values.shape[0]))


def covariance(values: Array, divisor: float | None = None) -> Array:
    """Covariance matrix (p, p) of complete rows (n, p); the divisor is n unless given."""
    centred = values - values.mean(axis=0)
    result: Array = centred.T @ centred / (values.shape[0] if divisor is None else divisor)
    return result


@dataclass(frozen=True)
class Products:
    """Centred columns and their pairwise products, the ground of every resample covariance."""

    columns: Array
    products: Array
    rows: NDArray[np.intp]
    cols: NDArray[np.intp]


def prepare_products(values: Array) -> Products:
    """Centre first: large means would cancel digits. Memory: n × (p + p(p+1)/2) numbers."""
    centred = values - values.mean(axis=0)
    rows, cols = np.tril_indices(values.shape[1])
    return Products(centred, centred[:, rows] * centred[:, cols], rows, cols)


def resample_covariances(prepared: Products, counts: Array, divisor_offset: int = 0) -> Array:
    """Covariances (b, p, p) of resamples given as counts per case (b, n), from one matrix product.

    The divisor is n, or n − `divisor_offset`.
    """
    n = prepared.columns.shape[0]
    p = prepared.columns.shape[1]
    second = counts @ prepared.products
    first = counts @ prepared.columns / n
    result = np.zeros((counts.shape[0], p, p))
    result[:, prepared.rows, prepared.cols] = second - n * first[:, prepared.rows] * first[:, prepared.cols]
    result[:, prepared.cols, prepared.rows] = result[:, prepared.rows, prepared.cols]
    result /= n - divisor_offset
    return result
