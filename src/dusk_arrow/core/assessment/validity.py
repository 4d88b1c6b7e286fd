"""Discriminant validity from indicator correlations."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import Array


def _within(correlation: Array, block: list[int]) -> Array:
    if len(block) == 1:
        return np.ones(correlation.shape[:-2])
    rows, columns = np.tril_indices(len(block), -1)
    inner = correlation[..., block, :][..., block]
    result: Array = np.abs(inner[..., rows, columns]).mean(axis=-1)
    return result


def htmt(correlation: Array, first: list[int], second: list[int]) -> Array:
    """Heterotrait–monotrait ratio (…) of two blocks of a correlation matrix (…, p, p), from absolute correlations.

    A single indicator counts as perfectly consistent with itself; an indicator of both is not correlated with itself.
    Source: Henseler, Ringle & Sarstedt (2015); absolute correlations: Ringle, Sarstedt, Sinkovics & Sinkovics (2023).
    """
    apart = np.array(first)[:, None] != np.array(second)
    block = np.abs(correlation[..., first, :][..., second])
    between = (block * apart).sum(axis=(-2, -1)) / max(int(apart.sum()), 1)
    result: Array = between / np.sqrt(_within(correlation, first) * _within(correlation, second))
    return result
