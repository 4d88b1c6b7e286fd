"""Discriminant validity from indicator correlations."""

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
    p = correlation.shape[-1]
    belongs = np.zeros((len(blocks), p))
    for row, block in enumerate(blocks):
        belongs[row, list(block)] = 1.0
    size = np.abs(correlation) * (1 - np.eye(p))
    total = belongs @ size @ belongs.T
    pairs = np.outer(belongs.sum(axis=1), belongs.sum(axis=1)) - belongs @ belongs.T
    mean = total / np.maximum(pairs, 1)
    within = np.where(belongs.sum(axis=1) == 1, 1.0, np.diagonal(mean, axis1=-2, axis2=-1))
    first, second = np.triu_indices(len(blocks), 1)
    result: Array = mean[..., first, second] / np.sqrt(within[..., first] * within[..., second])
    return result
