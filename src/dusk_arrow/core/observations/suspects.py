"""Cases and columns that deserve a second look before anything is estimated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.linear_algebra import Array, row_groups
from dusk_arrow.core.observations.stems import group_by_stem

NEAR = 0.95
LEAST_ITEMS = 6


@dataclass(frozen=True)
class Relation:
    """Two columns and how they correlate."""

    first: str
    second: str
    correlation: float


@dataclass(frozen=True)
class ReversedItem:
    """An item that runs against the rest of its block, by its correlation with the sum of the others."""

    name: str
    stem: str
    correlation: float


def pairwise_correlations(values: Array) -> Array:
    """Correlations (p, p) of (n, p), each from the cases that have both values; nan where there are fewer than three."""
    there = ~np.isnan(values)
    filled = np.where(there, values - np.nanmean(values, axis=0), 0.0)
    both = there.T.astype(float) @ there.astype(float)
    with np.errstate(divide="ignore", invalid="ignore"):
        sums = filled.T @ there
        products = filled.T @ filled - sums * sums.T / both
        squares = (filled**2).T @ there - sums**2 / both
        result = products / np.sqrt(squares * squares.T)
    result[both < 3] = np.nan
    clipped: Array = np.clip(result, -1.0, 1.0)
    return clipped


def straight_liners(values: Array) -> list[int]:
    """Rows of item answers (n, p) that are the same throughout, at least six of them answered."""
    answered = (~np.isnan(values)).sum(axis=1)
    filled_low = np.where(np.isnan(values), np.inf, values).min(axis=1)
    filled_high = np.where(np.isnan(values), -np.inf, values).max(axis=1)
    return [int(i) for i in np.flatnonzero((answered >= LEAST_ITEMS) & (filled_low == filled_high))]


def longest_strings(values: Array) -> Array:
    """For each row of (n, p) the length of its longest run of equal answers; a missing answer breaks a run."""
    same = values[:, 1:] == values[:, :-1]
    run = np.ones(values.shape[0])
    best = np.ones(values.shape[0])
    for column in range(same.shape[1]):
        run = np.where(same[:, column], run + 1, 1)
        best = np.maximum(best, run)
    return best


def duplicate_cases(values: Array) -> list[tuple[int, ...]]:
    """Groups of rows (n, p) that agree in every answer, missing ones included."""
    filled = np.where(np.isnan(values), np.inf, values)
    _, group, counts = row_groups(filled)
    groups = [tuple(int(i) for i in np.flatnonzero(group == g)) for g in np.flatnonzero(counts > 1)]
    return sorted(groups)


def near_duplicates(names: Sequence[str], correlation: Array) -> list[Relation]:
    """Pairs of columns that correlate beyond ±.95, the closest first."""
    rows, columns = np.tril_indices(len(names), -1)
    found = [
        Relation(names[j], names[i], float(correlation[i, j]))
        for i, j in zip(rows.tolist(), columns.tolist(), strict=True)
        if abs(correlation[i, j]) > NEAR
    ]
    return sorted(found, key=lambda relation: -abs(relation.correlation))


def exact_sums(names: Sequence[str], values: Array) -> list[tuple[str, tuple[str, ...]]]:
    """Columns that are an exact linear combination of others in complete rows (n, p), with the columns they are made of."""
    n = values.shape[0]
    if n <= values.shape[1]:
        return []
    centred = values - values.mean(axis=0)
    triangle = np.linalg.qr(centred / np.sqrt((centred**2).sum(axis=0))).R
    found: list[tuple[str, tuple[str, ...]]] = []
    if np.linalg.svd(triangle, compute_uv=False)[-1] > 1e-8:
        return found  # nothing depends on anything; the search below would take long to find that out
    kept: list[int] = []
    for i in range(len(names)):
        if kept:
            weights, *_ = np.linalg.lstsq(triangle[:, kept], triangle[:, i], rcond=None)
            left = triangle[:, i] - triangle[:, kept] @ weights
            if float(left @ left) < 1e-18:
                parts = tuple(names[k] for k, w in zip(kept, weights, strict=True) if abs(w) > 1e-8)
                found.append((names[i], parts))
                continue
        kept.append(i)
    return found


def reversed_items(names: Sequence[str], correlation: Array) -> list[ReversedItem]:
    """Items that correlate negatively with the sum of the others of their block, of at least three columns."""
    at = {name: i for i, name in enumerate(names)}
    found = []
    for block in group_by_stem(names):
        if block.stem is None or len(block.columns) < 3:
            continue
        rows = [at[name] for name in block.columns]
        inner = correlation[np.ix_(rows, rows)]
        if np.isnan(inner).any():
            continue
        _, vectors = np.linalg.eigh(inner)
        sign = np.sign(vectors[:, -1])
        if sign.sum() < 0:
            sign = -sign
        for k, name in enumerate(block.columns):
            others = [j for j in range(len(rows)) if j != k]
            total = inner[np.ix_(others, others)] * np.outer(sign[others], sign[others])
            with_rest = float(inner[k, others] @ sign[others]) / np.sqrt(total.sum())
            if with_rest < -0.1:
                found.append(ReversedItem(name, block.stem, with_rest))
    return found


def extreme_scores(values: Array, beyond: float = 3.29) -> Array:
    """How many cases of each column (n, p) lie beyond so many SDs from its mean (p < .001, two-sided)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        z = (values - np.nanmean(values, axis=0)) / np.nanstd(values, axis=0, ddof=1)
    result: Array = (np.abs(z) > beyond).sum(axis=0)
    return result
