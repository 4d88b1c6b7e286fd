"""Discriminant validity from indicator correlations, and whether a formative construct covers what it is meant to."""

from __future__ import annotations

from collections.abc import Sequence
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


class _Pairs(NamedTuple):
    """The pairs of columns of all blocks, those of a group side by side: their `rows` and `columns` (k,), where groups begin and how
    many pairs they have (g,), the group of each block (c,) or −1 where it has one item, and of each pair of blocks (c(c−1)/2,); where
    pieces of groups begin, and the first piece of each group (g,)."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    begins: NDArray[np.intp]
    counts: NDArray[np.intp]
    within: NDArray[np.intp]
    between: NDArray[np.intp]
    pieces: NDArray[np.intp]
    first_pieces: NDArray[np.intp]


@lru_cache(64)
def _pairs(blocks: tuple[tuple[int, ...], ...]) -> _Pairs:
    groups: list[list[tuple[int, int]]] = []

    def group(pairs: list[tuple[int, int]]) -> int:
        if not pairs:
            return -1
        groups.append(pairs)
        return len(groups) - 1

    within = [group(list(combinations(block, 2))) for block in blocks]
    between = [group([(i, j) for i in a for j in b if i != j]) for a, b in combinations(blocks, 2)]
    flat = np.array([pair for pairs in groups for pair in pairs], dtype=np.intp).reshape(-1, 2)
    counts = np.array([len(pairs) for pairs in groups], dtype=np.intp)
    begins = np.cumsum(counts) - counts
    own = [range(begin, begin + count, PIECE) for begin, count in zip(begins.tolist(), counts.tolist(), strict=True)]
    many = np.array([len(pieces) for pieces in own], dtype=np.intp)
    return _Pairs(
        flat[:, 0], flat[:, 1], begins, counts, np.array(within, np.intp), np.array(between, np.intp),
        np.array([at for pieces in own for at in pieces], np.intp), np.cumsum(many) - many,
    )  # fmt: skip


def _mean_logarithms(values: Array, pairs: _Pairs) -> Array:
    """Means (g, b) of the logarithms of correlations (k, b), nan where one is not positive: of products of pieces of each group,
    which takes far fewer logarithms."""
    faint = False
    if not values.min(initial=1.0) >= FAINT:
        values = np.where(values > 0, values, np.nan)
        faint = bool((values < FAINT).any())
    if faint:
        return np.asarray(np.add.reduceat(np.log(values), pairs.begins) / pairs.counts[:, None])
    logarithms = np.log(np.multiply.reduceat(values, pairs.pieces))
    return np.asarray(np.add.reduceat(logarithms, pairs.first_pieces) / pairs.counts[:, None])


def heterotrait(covariance: Array, blocks: Sequence[Sequence[int]]) -> Heterotrait:
    """The ratios of c blocks of columns, from their covariances or correlations (…, p, p).

    A single indicator counts as perfectly consistent with itself; an indicator of both is not correlated with itself. A nan
    spoils what needs it, and nothing else.
    """
    pairs = _pairs(tuple(tuple(block) for block in blocks))
    lead, p = covariance.shape[:-2], covariance.shape[-1]
    if pairs.between.size == 0 or pairs.begins.size == 0:
        nothing = np.full((*lead, pairs.between.size), np.nan)
        return Heterotrait(nothing, nothing, nothing)
    flat, few = covariance.reshape(-1, p, p), max(1, AT_ONCE // pairs.rows.size)
    first, second = np.triu_indices(len(blocks), 1)
    parts = [_ratios(flat[at : at + few], pairs, first, second) for at in range(0, len(flat), few)]
    whole = [np.concatenate(own, axis=-1).T for own in zip(*parts, strict=True)]
    return Heterotrait(*(own.reshape(*lead, own.shape[-1]) for own in whole))


def _ratios(
    covariance: Array, pairs: _Pairs, first: NDArray[np.intp], second: NDArray[np.intp]
) -> tuple[Array, Array, Array]:
    """The ratios (c(c−1)/2, b) of a batch (b, p, p), for the `first` and the `second` blocks of all pairs."""
    with np.errstate(invalid="ignore", divide="ignore"):
        scale = 1.0 / np.sqrt(np.diagonal(covariance, axis1=-2, axis2=-1).T)
        values = np.ascontiguousarray(covariance[:, pairs.rows, pairs.columns].T)
        values *= scale[pairs.rows]
        values *= scale[pairs.columns]

        def means(of: Array) -> Array:
            found: Array = np.add.reduceat(of, pairs.begins) / pairs.counts[:, None]
            return found

        def apart(mean: Array) -> Array:
            found: Array = np.where(pairs.between[:, None] >= 0, mean[pairs.between], np.nan)
            return found

        def ratio(mean: Array) -> Array:
            within = np.where(pairs.within[:, None] >= 0, mean[pairs.within], 1.0)
            root = np.sqrt(np.where(within > 0, within, np.nan))
            found: Array = apart(mean) / (root[first] * root[second])
            return found

        signed = means(values)
        logarithms = _mean_logarithms(values, pairs)
        absolute = means(np.abs(values, out=values))
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
