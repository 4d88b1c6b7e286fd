"""Discriminant validity from indicator correlations, and whether a formative construct covers what it is meant to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.linear_algebra import Array


def htmt(correlation: Array, blocks: Sequence[Sequence[int]]) -> Array:
    """Heterotrait–monotrait ratios (…, c(c−1)/2) of all pairs of c blocks of a correlation matrix (…, p, p), the first with
    the second, the first with the third and so on; from absolute correlations.

    A single indicator counts as perfectly consistent with itself; an indicator of both is not correlated with itself.
    Source: Henseler, Ringle & Sarstedt (2015); absolute correlations: Ringle, Sarstedt, Sinkovics & Sinkovics (2023).
    """
    return _ratios(np.abs(correlation), blocks)


def htmt_signed(correlation: Array, blocks: Sequence[Sequence[int]]) -> Array:
    """The same from correlations with their signs (Henseler, Ringle & Sarstedt 2015); nan where the items of a block do not
    correlate positively on average."""
    return _ratios(correlation, blocks)


def htmt_geometric(correlation: Array, blocks: Sequence[Sequence[int]]) -> Array:
    """HTMT2, the same from geometric means (Roemer, Schuberth & Henseler 2021); nan where a correlation that it needs is
    not positive."""
    with np.errstate(invalid="ignore", divide="ignore"):
        logarithms = np.log(np.where(correlation > 0, correlation, np.nan))
    mean, within = _means(logarithms, blocks, 0.0)
    own = np.where([len(block) == 1 for block in blocks], 0.0, within)
    first, second = np.triu_indices(len(blocks), 1)
    result: Array = np.exp(mean[..., first, second] - (own[..., first] + own[..., second]) / 2)
    return result


def _sums(values: Array, belongs: Array) -> Array:
    """Sums (…, c, c) of values (…, p, p) over the columns of blocks (c, p), by two products of whole stacks."""
    c, p = belongs.shape
    count = int(np.prod(values.shape[:-2]))
    columns = (values.reshape(count * p, p) @ belongs.T).reshape(count, p, c)
    sums = np.swapaxes(columns, 1, 2).reshape(count * c, p) @ belongs.T
    return sums.reshape(*values.shape[:-2], c, c)


def _means(values: Array, blocks: Sequence[Sequence[int]], itself: float) -> tuple[Array, Array]:
    """Means of what pairs of different columns have, between blocks (…, c, c) and within each (…, c); `itself` is what every
    column has with itself. A nan spoils the means that need it, and no other."""
    p = values.shape[-1]
    belongs = np.zeros((len(blocks), p))
    for row, block in enumerate(blocks):
        belongs[row, list(block)] = 1.0
    shared = belongs @ belongs.T
    pairs = np.maximum(np.outer(belongs.sum(axis=1), belongs.sum(axis=1)) - shared, 1)
    missing = np.isnan(values)
    if not missing.any():
        mean = (_sums(values, belongs) - itself * shared) / pairs
        return mean, np.diagonal(mean, axis1=-2, axis2=-1)
    at = np.arange(p)
    missing[..., at, at] = False  # a column with itself is no pair
    known = np.where(missing, 0.0, values)
    known[..., at, at] = itself
    gaps = _sums(missing.astype(float), belongs)
    mean = np.where(gaps > 0, np.nan, (_sums(known, belongs) - itself * shared) / pairs)
    return mean, np.diagonal(mean, axis1=-2, axis2=-1)


def _ratios(size: Array, blocks: Sequence[Sequence[int]]) -> Array:
    mean, own = _means(size, blocks, 1.0)
    within = np.where([len(block) == 1 for block in blocks], 1.0, own)
    first, second = np.triu_indices(len(blocks), 1)
    with np.errstate(invalid="ignore", divide="ignore"):
        root = np.sqrt(np.where((within > 0), within, np.nan))
        result: Array = mean[..., first, second] / (root[..., first] * root[..., second])
    return result


def redundancy(weights: Array, covariance: Array) -> Array:
    """Correlations (…) of a composite with an item that sums it up: weights (…, k) of the first k columns of covariances
    (…, k + 1, k + 1), the item last (Chin 1998); nan where either does not vary."""
    inner, with_item, own = covariance[..., :-1, :-1], covariance[..., :-1, -1], covariance[..., -1, -1]
    variance = np.einsum("...i,...ij,...j->...", weights, inner, weights)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: Array = (weights * with_item).sum(axis=-1) / np.sqrt(variance * own)
    return result
