"""Means, covariances and resample covariances of observed columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array


def complete_cases(values: Array) -> Array:
    """Listwise deletion: the rows of (n, p) without a missing value (nan)."""
    result: Array = values[~np.isnan(values).any(axis=1)]
    return result


def fill_with_means(values: Array) -> Array:
    """The rows of (n, p) with every gap (nan) filled with its column's mean."""
    with np.errstate(invalid="ignore"):
        counts = (~np.isnan(values)).sum(axis=0)
        means = np.nansum(values, axis=0) / np.where(counts > 0, counts, np.nan)
    result: Array = np.where(np.isnan(values), means, values)
    return result


def covariance(values: Array, divisor: float | None = None) -> Array:
    """Covariance matrix (p, p) of complete rows (n, p); the divisor is n unless given."""
    centred = values - values.mean(axis=0)
    result: Array = centred.T @ centred / (values.shape[0] if divisor is None else divisor)
    return result


@dataclass(frozen=True)
class Products:
    """Centred columns and their pairwise products, the ground of every resample covariance.

    For columns with filled gaps also which answers were given, and for each pair the answers of the one where the
    other was given, both ways round, and where both were given.
    """

    centre: Array
    columns: Array
    products: Array
    rows: NDArray[np.intp]
    cols: NDArray[np.intp]
    there: Array | None = None
    crossed: tuple[Array, Array, Array] | None = None


def prepare_products(values: Array) -> Products:
    """Centre first: large means would cancel digits. Memory: n × (p + p(p+1)/2) numbers."""
    centre = values.mean(axis=0)
    centred = values - centre
    rows, cols = np.tril_indices(values.shape[1])
    return Products(centre, centred, centred[:, rows] * centred[:, cols], rows, cols)


def prepare_filled_products(values: Array, there: NDArray[np.bool_]) -> Products:
    """The same for (n, p) whose gaps were filled with means that every resample fills anew."""
    plain = prepare_products(values)
    given = there.astype(float)
    centred = plain.columns * given
    rows, cols = plain.rows, plain.cols
    crossed = (centred[:, rows] * given[:, cols], centred[:, cols] * given[:, rows], given[:, rows] * given[:, cols])
    return Products(plain.centre, centred, centred[:, rows] * centred[:, cols], rows, cols, given, crossed)


def _symmetric(prepared: Products | PairProducts, values: Array) -> Array:
    p = prepared.centre.size
    result = np.zeros((values.shape[0], p, p))
    result[:, prepared.rows, prepared.cols] = values
    result[:, prepared.cols, prepared.rows] = values
    return result


def resample_means(prepared: Products, counts: Array) -> Array:
    """Means (b, p) of resamples given as counts per case (b, n)."""
    result: Array = prepared.centre + counts @ prepared.columns / counts.sum(axis=1, keepdims=True)
    return result


def resample_covariances(prepared: Products, counts: Array, divisor_offset: int = 0) -> Array:
    """Covariances (b, p, p) of resamples given as counts per case (b, n), from one matrix product.

    The divisor is the resample's size, less `divisor_offset`.
    """
    n = counts.sum(axis=1, keepdims=True)
    second = counts @ prepared.products
    first = counts @ prepared.columns / n
    return _symmetric(prepared, (second - n * first[:, prepared.rows] * first[:, prepared.cols]) / (n - divisor_offset))


def resample_filled(prepared: Products, counts: Array, divisor_offset: int = 0) -> tuple[Array, Array]:
    """Covariances (b, p, p) and means (b, p) of resamples whose gaps are filled with each resample's own means.

    A filled answer deviates by nothing, so only pairs where both were given add to a covariance.
    """
    assert prepared.there is not None
    assert prepared.crossed is not None
    n = counts.sum(axis=1, keepdims=True)
    shift = counts @ prepared.columns / np.maximum(counts @ prepared.there, 1.0)
    left, right = shift[:, prepared.rows], shift[:, prepared.cols]
    first, second, both = (counts @ part for part in prepared.crossed)
    total = counts @ prepared.products - right * first - left * second + left * right * both
    return _symmetric(prepared, total / (n - divisor_offset)), prepared.centre + shift


ROUNDING = 1e-12  # of the mean square about the sample's mean: a variance below it is none


def does_not_vary(covariances: Array, shift: Array) -> NDArray[np.bool_]:
    """Which columns (b, p) of resamples do not vary, from their covariances (b, p, p) and by how much (b, p) their means lie off
    the sample's. A variance is what is left of a mean square, so it is compared with that: what is left by rounding is none."""
    variance = np.diagonal(covariances, axis1=-2, axis2=-1)
    result: NDArray[np.bool_] = ~(variance > ROUNDING * (variance + shift**2))
    return result


def answers_do_not_vary(values: Array, counts: Array) -> NDArray[np.bool_]:
    """The same (b, p) for the answers that there are, from deviations (n, p) from the sample's means, nan where missing, and
    counts per case (b, n)."""
    there = ~np.isnan(values)
    known = np.where(there, values, 0.0)
    size = counts @ there
    with np.errstate(invalid="ignore", divide="ignore"):
        first, second = counts @ known / size, counts @ known**2 / size
        result: NDArray[np.bool_] = ~(second - first**2 > ROUNDING * second)
    return result


@dataclass(frozen=True)
class PairProducts:
    """What every pair of columns has in common, case by case (n, p(p+1)/2): whether both were given, the answers of one and
    of the other where both were, their squares, and their product; answers are centred first."""

    centre: Array
    both: Array
    left: Array
    right: Array
    left_squares: Array
    right_squares: Array
    products: Array
    rows: NDArray[np.intp]
    cols: NDArray[np.intp]


def prepare_pairs(values: Array) -> PairProducts:
    """From columns (n, p) with nan where an answer is missing."""
    there = ~np.isnan(values)
    centre = fill_with_means(values).mean(axis=0)
    centred = np.where(there, values - centre, 0.0)
    rows, cols = np.tril_indices(values.shape[1])
    both = (there[:, rows] & there[:, cols]).astype(float)
    left, right = centred[:, rows] * both, centred[:, cols] * both
    return PairProducts(centre, both, left, right, left**2, right**2, left * right, rows, cols)


def resample_pairs(prepared: PairProducts, counts: Array, divisor_offset: int = 0) -> tuple[Array, Array]:
    """Covariances (b, p, p) and means (b, p) of resamples given as counts per case (b, n): correlations from the cases that
    have both answers, standard deviations and means from all that have the one. nan where a pair has no case."""
    with np.errstate(invalid="ignore", divide="ignore"):
        n = counts @ prepared.both
        left, right = counts @ prepared.left / n, counts @ prepared.right / n
        spread = (counts @ prepared.left_squares - n * left**2) * (counts @ prepared.right_squares - n * right**2)
        correlation = (counts @ prepared.products - n * left * right) / np.sqrt(spread)
        own = prepared.rows == prepared.cols
        variance = (counts @ prepared.products - n * left**2)[:, own] / (n[:, own] - divisor_offset)
    whole = _symmetric(prepared, np.where(own, 1.0, correlation))
    sd = np.sqrt(variance)
    return whole * sd[:, :, None] * sd[:, None, :], prepared.centre + left[:, own]
