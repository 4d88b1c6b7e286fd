"""Missing answers: their patterns, moments by expectation–maximisation, and Little's test."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Pattern:
    """Rows that miss the same columns: which columns are there (p,), and which rows."""

    present: NDArray[np.bool_]
    rows: NDArray[np.intp]


@dataclass(frozen=True)
class EmMoments:
    """Maximum likelihood mean (p,) and covariance matrix (p, p) of normal data with missing values."""

    mean: Array
    covariance: Array
    iterations: int
    converged: bool


@dataclass(frozen=True)
class McarTest:
    """Little's (1988) test that answers are missing completely at random."""

    chi_square: float
    df: int
    p_value: float
    patterns: int


def patterns(values: Array) -> list[Pattern]:
    """The patterns of (n, p) with nan where missing, the most frequent first; rows without any value are left out."""
    there = ~np.isnan(values)
    unique, inverse = np.unique(there, axis=0, return_inverse=True)
    inverse = inverse.ravel()
    found = [Pattern(unique[i], np.flatnonzero(inverse == i)) for i in range(len(unique)) if unique[i].any()]
    return sorted(found, key=lambda pattern: (-pattern.rows.size, -int(pattern.present.sum())))


def em_moments(values: Array, tolerance: float = 1e-9, most: int = 2000) -> EmMoments:
    """Mean and covariance by expectation–maximisation (Dempster, Laird & Rubin 1977), cases grouped by pattern.

    Raises LinAlgError where the observed columns of a pattern are dependent.
    """
    groups = patterns(values)
    n = sum(group.rows.size for group in groups)
    p = values.shape[1]
    mean = np.nanmean(values, axis=0)
    covariance = np.diag(np.nanvar(values, axis=0))
    scale = np.sqrt(np.diag(covariance))
    sums = [(g, values[g.rows][:, g.present]) for g in groups]
    moments = [(g, block.sum(axis=0), block.T @ block) for g, block in sums]
    iteration = 0
    for iteration in range(1, most + 1):
        first, second = np.zeros(p), np.zeros((p, p))
        for group, total, square in moments:
            o, m = np.flatnonzero(group.present), np.flatnonzero(~group.present)
            count = group.rows.size
            first[o] += total
            second[np.ix_(o, o)] += square
            if m.size:
                weights = np.linalg.solve(covariance[np.ix_(o, o)], covariance[np.ix_(o, m)])
                offset = mean[m] - mean[o] @ weights
                expected = total @ weights + count * offset
                cross = square @ weights + np.outer(total, offset)
                first[m] += expected
                second[np.ix_(o, m)] += cross
                second[np.ix_(m, o)] += cross.T
                left = covariance[np.ix_(m, m)] - covariance[np.ix_(m, o)] @ weights
                inner = weights.T @ cross + np.outer(offset, expected)
                second[np.ix_(m, m)] += inner + count * left
        new_mean = first / n
        new_covariance = second / n - np.outer(new_mean, new_mean)
        shift = np.abs((new_mean - mean) / scale).max()
        change = np.abs((new_covariance - covariance) / np.outer(scale, scale)).max()
        mean, covariance = new_mean, new_covariance
        if max(shift, change) < tolerance:
            return EmMoments(mean, covariance, iteration, True)
    return EmMoments(mean, covariance, iteration, False)


def little_test(values: Array) -> McarTest | None:
    """Little's test of (n, p) with nan where missing; None where nothing is missing or no pattern can be compared."""
    groups = patterns(values)
    if len(groups) < 2:
        return None
    found = em_moments(values)
    n = sum(group.rows.size for group in groups)
    covariance = found.covariance * n / (n - 1)
    chi_square, df = 0.0, -values.shape[1]
    for group in groups:
        o = np.flatnonzero(group.present)
        gap = values[group.rows][:, o].mean(axis=0) - found.mean[o]
        chi_square += group.rows.size * float(gap @ np.linalg.solve(covariance[np.ix_(o, o)], gap))
        df += o.size
    if df <= 0:
        return None
    return McarTest(chi_square, df, float(chdtrc(df, chi_square)), len(groups))
