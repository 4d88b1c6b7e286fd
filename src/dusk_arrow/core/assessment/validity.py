"""Discriminant validity from indicator correlations, and whether a formative construct covers what it is meant to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from itertools import combinations
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

PIECE, FAINT = 32, 1e-9  # so many correlations of this size and more have a product that is a number
AT_ONCE = 50_000  # correlations that stay near the processor


class Heterotrait(NamedTuple):
    """Heterotrait–monotrait ratios of all pairs of blocks, each (…, c(c−1)/2): the first with the second, the first with the third
    and so on.

    `absolute` is HTMT from absolute correlations (Henseler, Ringle & Sarstedt 2015; Ringle, Sarstedt, Sinkovics & Sinkovics 2023);
    `signed` the same from correlations with their signs, nan where the items of a block do not correlate positively on average;
    `geometric` is HTMT2 from geometric means (Roemer, Schuberth & Henseler 2021), nan where a correlation that it needs is not
    positive.
    """

    absolute: Array
    signed: Array
    geometric: Array


class _Run(NamedTuple):
    """Pairs of columns from `begin` on, that make up so many `groups` of one `size`."""

    begin: int
    groups: int
    size: int


class _Pairs(NamedTuple):
    """The pairs of columns of all blocks, those of a group side by side and groups of one size too: their `rows` and `columns` (k,), the
    `runs` of groups of one size; the group of each block (c,) or −1 where it has one item, and of each pair of blocks
    (c(c−1)/2,)."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    runs: tuple[_Run, ...]
    within: NDArray[np.intp]
    between: NDArray[np.intp]

    def by_group(self, values: Array, combine: Callable[[Array], Array]) -> Array:
        """What `combine` makes of the values (k, b) of every group: of (g, k, b) for all groups of one size, (g, b)."""
        parts = [
            combine(values[begin : begin + groups * size].reshape(groups, size, -1))
            for begin, groups, size in self.runs
        ]
        return np.concatenate(parts)


@lru_cache(64)
def _pairs(blocks: tuple[tuple[int, ...], ...]) -> _Pairs:
    within = [list(combinations(block, 2)) for block in blocks]
    between = [[(i, j) for i in a for j in b if i != j] for a, b in combinations(blocks, 2)]
    groups = [*within, *between]
    order = sorted((i for i, pairs in enumerate(groups) if pairs), key=lambda i: len(groups[i]))
    flat = np.array([pair for i in order for pair in groups[i]], dtype=np.intp).reshape(-1, 2)
    counts, many = np.unique([len(groups[i]) for i in order], return_counts=True)
    begins = np.cumsum(counts * many) - counts * many
    place = np.full(len(groups), -1)
    place[order] = np.arange(len(order))
    runs = tuple(_Run(*run) for run in zip(begins.tolist(), many.tolist(), counts.tolist(), strict=True))
    return _Pairs(flat[:, 0], flat[:, 1], runs, place[: len(within)], place[len(within) :])


def _mean(values: Array) -> Array:
    """Means (g, b) of values (g, k, b)."""
    found: Array = values.sum(axis=1) / values.shape[1]
    return found


def _mean_logarithm(values: Array) -> Array:
    """Means (g, b) of the logarithms of positive values (g, k, b) that are not faint: of their products, which takes far fewer
    logarithms."""
    pieces = [np.log(np.prod(values[:, at : at + PIECE], axis=1)) for at in range(0, values.shape[1], PIECE)]
    found: Array = np.sum(pieces, axis=0) / values.shape[1]
    return found


def heterotrait(covariance: Array, blocks: Sequence[Sequence[int]], correlations: bool = False) -> Heterotrait:
    """The ratios of c blocks of columns, from their covariances (…, p, p), which may be `correlations` as they are.

    A single indicator counts as perfectly consistent with itself; an indicator of both is not correlated with itself. A nan
    spoils what needs it, and nothing else.
    """
    pairs = _pairs(tuple(tuple(block) for block in blocks))
    lead, p = covariance.shape[:-2], covariance.shape[-1]
    if pairs.between.size == 0 or not pairs.runs:
        nothing = np.full((*lead, pairs.between.size), np.nan)
        return Heterotrait(nothing, nothing, nothing)
    flat, few = covariance.reshape(-1, p, p), max(1, AT_ONCE // pairs.rows.size)
    first, second = np.triu_indices(len(blocks), 1)
    parts = []
    with np.errstate(invalid="ignore", divide="ignore"):
        for at in range(0, max(len(flat), 1), few):
            own = flat[at : at + few]
            values = np.ascontiguousarray(own[:, pairs.rows, pairs.columns].T)
            if not correlations:
                scale = 1.0 / np.sqrt(np.diagonal(own, axis1=-2, axis2=-1).T)
                values *= scale[pairs.rows]
                values *= scale[pairs.columns]
            parts.append(_ratios(values, pairs, first, second))
    whole = [np.concatenate(own, axis=-1).T for own in zip(*parts, strict=True)]
    return Heterotrait(*(own.reshape(*lead, own.shape[-1]) for own in whole))


def _ratios(
    values: Array, pairs: _Pairs, first: NDArray[np.intp], second: NDArray[np.intp]
) -> tuple[Array, Array, Array]:
    """The ratios (c(c−1)/2, b) from the correlations (k, b) of all pairs, for the `first` and the `second` blocks."""

    def apart(mean: Array) -> Array:
        found: Array = np.where(pairs.between[:, None] >= 0, mean[pairs.between], np.nan)
        return found

    def ratio(mean: Array) -> Array:
        within = np.where(pairs.within[:, None] >= 0, mean[pairs.within], 1.0)
        root = np.sqrt(np.where(within > 0, within, np.nan))
        found: Array = apart(mean) / (root[first] * root[second])
        return found

    signed = pairs.by_group(values, _mean)
    positive = values if values.min(initial=1.0) > 0 else np.where(values > 0, values, np.nan)
    faint = bool((positive < FAINT).any())
    logarithms = pairs.by_group(np.log(positive), _mean) if faint else pairs.by_group(positive, _mean_logarithm)
    absolute = pairs.by_group(np.abs(values, out=values), _mean)
    within = np.where(pairs.within[:, None] >= 0, logarithms[pairs.within], 0.0)
    geometric = np.exp(apart(logarithms) - (within[first] + within[second]) / 2)
    return ratio(absolute), ratio(signed), geometric


def redundancy(weights: Array, covariance: Array) -> Array:
    """Correlations (…) of a composite with an item that sums it up: weights (…, k) of the first k columns of covariances
    (…, k + 1, k + 1), the item last (Chin 1998); nan where either does not vary."""
    inner, with_item, own = covariance[..., :-1, :-1], covariance[..., :-1, -1], covariance[..., -1, -1]
    variance = np.einsum("...i,...ij,...j->...", weights, inner, weights)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: Array = (weights * with_item).sum(axis=-1) / np.sqrt(variance * own)
    return result
