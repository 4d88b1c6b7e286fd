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
        logarithms = np.where(correlation > 0, np.log(np.where(correlation > 0, correlation, 1.0)), np.nan)
        mean, within = _means(logarithms, blocks)
        own = np.where([len(block) == 1 for block in blocks], 0.0, within)
    first, second = np.triu_indices(len(blocks), 1)
    result: Array = np.exp(mean[..., first, second] - (own[..., first] + own[..., second]) / 2)
    return result


def _means(values: Array, blocks: Sequence[Sequence[int]]) -> tuple[Array, Array]:
    """Means of what pairs of different columns have, between blocks (…, c, c) and within each (…, c); a nan spoils the
    means that need it, and no other."""
    p = values.shape[-1]
    belongs = np.zeros((len(blocks), p))
    for row, block in enumerate(blocks):
        belongs[row, list(block)] = 1.0
    off = 1 - np.eye(p)
    known = np.where(np.isnan(values), 0.0, values) * off
    gaps = belongs @ (np.isnan(values) * off) @ belongs.T
    pairs = np.outer(belongs.sum(axis=1), belongs.sum(axis=1)) - belongs @ belongs.T
    mean = np.where(gaps > 0, np.nan, belongs @ known @ belongs.T / np.maximum(pairs, 1))
    return mean, np.diagonal(mean, axis1=-2, axis2=-1)


def _ratios(size: Array, blocks: Sequence[Sequence[int]]) -> Array:
    mean, own = _means(size, blocks)
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
