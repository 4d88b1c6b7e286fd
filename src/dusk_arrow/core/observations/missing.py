"""Missing answers: their patterns, the normal likelihood of incomplete cases, EM moments, and Little's test.

Patterns are padded: every pattern has matrices of the full size whose missing rows and columns are empty, so that all
patterns, of a batch of samples, are worked off at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import chdtrc

from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_from_cholesky, log_determinant, row_groups

MOST_AT_ONCE = 2_000_000


@dataclass(frozen=True)
class Pattern:
    """Rows that miss the same columns: which columns are there (p,), and which rows."""

    present: NDArray[np.bool_]
    rows: NDArray[np.intp]


@dataclass(frozen=True)
class PatternMoments:
    """Moments by pattern for a batch: masks (G, p), shares of cases (b, G), means (b, G, p) and covariances with the
    number of cases as divisor (b, G, p, p), both empty (0) where the pattern has no answers."""

    masks: NDArray[np.bool_]
    shares: Array
    means: Array
    covariances: Array

    def take(self, at: NDArray[np.intp]) -> PatternMoments:
        """Some members of the batch."""
        return PatternMoments(self.masks, self.shares[at], self.means[at], self.covariances[at])


class LikelihoodTerms(NamedTuple):
    """−2 logL per case without its constant (b,), and its derivatives Ω (b, p, p) by Σ and ω (b, p) by μ."""

    value: Array
    omega: Array
    omega_mean: Array


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
    first, group, _ = row_groups(there)
    order = np.argsort(group, kind="stable")
    members = np.split(order, np.searchsorted(group[order], np.arange(1, first.size)))
    found = [Pattern(there[i], rows) for i, rows in zip(first, members, strict=True) if there[i].any()]
    return sorted(found, key=lambda pattern: (-pattern.rows.size, -int(pattern.present.sum())))


def pattern_moments(values: Array, groups: list[Pattern], counts: Array | None = None) -> PatternMoments:
    """Moments of each pattern of (n, p), for resamples given as counts per case (b, n) or for the cases as they are."""
    n, p = values.shape
    counts = np.ones((1, n)) if counts is None else counts
    b, g = counts.shape[0], len(groups)
    masks = np.array([group.present for group in groups])
    centre = np.nanmean(values, axis=0)
    shares, means, covariances = np.zeros((b, g)), np.zeros((b, g, p)), np.zeros((b, g, p, p))
    for k, group in enumerate(groups):
        block = np.where(group.present, values[group.rows] - centre, 0.0)
        own = counts[:, group.rows]
        total = own.sum(axis=1)
        safe = np.where(total > 0, total, 1.0)
        mean = own @ block / safe[:, None]
        second = _weighted_products(block, own)
        shares[:, k] = total
        means[:, k] = np.where(group.present, mean + np.where(total > 0, 1.0, 0.0)[:, None] * centre, 0.0)
        covariances[:, k] = second / safe[:, None, None] - mean[:, :, None] * mean[:, None, :]
    return PatternMoments(masks, shares / shares.sum(axis=1, keepdims=True), means, covariances)


def _weighted_products(block: Array, counts: Array) -> Array:
    """Σ c x xᵀ (b, p, p) of rows (n, p) counted (b, n), without more than a slice of the rows' products at once."""
    n, p = block.shape
    if counts.shape[0] == 1:
        alone: Array = ((block * counts[0][:, None]).T @ block)[None]
        return alone
    total = np.zeros((counts.shape[0], p * p))
    step = max(1, MOST_AT_ONCE // (p * p))
    for begin in range(0, n, step):
        some = block[begin : begin + step]
        total += counts[:, begin : begin + step] @ (some[:, :, None] * some[:, None, :]).reshape(-1, p * p)
    return total.reshape(-1, p, p)


def likelihood_terms(moments: PatternMoments, covariance: Array, mean: Array) -> LikelihoodTerms:
    """−2 logL per case and its derivatives at Σ (b, p, p), positive definite, and μ (b, p)."""
    b, p = mean.shape
    step = max(1, MOST_AT_ONCE // (len(moments.masks) * p * p))
    parts = [
        _terms(moments.take(np.arange(i, min(i + step, b))), covariance[i : i + step], mean[i : i + step])
        for i in range(0, b, step)
    ]
    return LikelihoodTerms(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def pattern_inverses(masks: NDArray[np.bool_], covariance: Array) -> tuple[Array, Array]:
    """Σ_g⁻¹ (b, G, p, p), empty where a pattern has no answers, and ln|Σ_g| (b, G)."""
    b, p = covariance.shape[0], covariance.shape[-1]
    there = masks.astype(float)
    both = there[:, :, None] * there[:, None, :]
    padded = covariance[:, None] * both + (1 - there)[:, :, None] * np.eye(p)
    flat = padded.reshape(-1, p, p)
    factors, flat, _ = guarded_cholesky(flat)
    inverse = inverse_from_cholesky(factors, flat).reshape(padded.shape) * both
    return inverse, log_determinant(factors).reshape(b, -1)


def _terms(moments: PatternMoments, covariance: Array, mean: Array) -> LikelihoodTerms:
    inverse, log_det = pattern_inverses(moments.masks, covariance)
    gap = np.where(moments.masks, moments.means - mean[:, None], 0.0)
    scaled = (inverse @ gap[..., None])[..., 0]
    product = inverse @ moments.covariances
    spread = np.trace(product, axis1=-2, axis2=-1) + (gap * scaled).sum(axis=-1)
    value = (moments.shares * (log_det + spread)).sum(axis=-1)
    weights = moments.shares[..., None, None]
    outer = scaled[..., :, None] * scaled[..., None, :]
    omega = (weights * (inverse - product @ inverse - outer)).sum(axis=1)
    omega_mean = -2 * (moments.shares[..., None] * scaled).sum(axis=1)
    return LikelihoodTerms(value, (omega + np.swapaxes(omega, -1, -2)) / 2, omega_mean)


class EmBatch(NamedTuple):
    """Means (b, p) and covariances (b, p, p), which of them came to rest (b,), and the number of iterations."""

    mean: Array
    covariance: Array
    converged: NDArray[np.bool_]
    iterations: int


def em_batch(
    moments: PatternMoments, mean: Array, covariance: Array, tolerance: float = 1e-9, most: int = 2000
) -> EmBatch:
    """Expectation–maximisation (Dempster, Laird & Rubin 1977) from a start (b, p) and (b, p, p).

    One step is Σ − ΣΩΣ − δδᵀ and μ + δ with δ = −Σω/2, Ω and ω the derivatives of −2 logL at the current values.
    """
    mean, covariance = mean.copy(), covariance.copy()
    scale = np.sqrt(np.diagonal(covariance, axis1=-2, axis2=-1))
    converged = np.zeros(mean.shape[0], dtype=bool)
    open_ = np.arange(mean.shape[0])
    iteration = 0
    while open_.size and iteration < most:
        iteration += 1
        old = covariance[open_]
        terms = likelihood_terms(moments.take(open_), old, mean[open_])
        shift = -(old @ terms.omega_mean[..., None])[..., 0] / 2
        change = -(old @ terms.omega @ old) - shift[..., :, None] * shift[..., None, :]
        mean[open_] += shift
        covariance[open_] += change
        size = scale[open_]
        largest = np.maximum(
            np.abs(shift / size).max(axis=-1),
            np.abs(change / (size[..., :, None] * size[..., None, :])).max(axis=(-2, -1)),
        )
        converged[open_[largest < tolerance]] = True
        open_ = open_[largest >= tolerance]
    return EmBatch(mean, covariance, converged, iteration)


def em_moments(values: Array, tolerance: float = 1e-9, most: int = 2000) -> EmMoments:
    """Mean and covariance of (n, p) with nan where missing, cases grouped by pattern."""
    moments = pattern_moments(values, patterns(values))
    mean, spread = np.nanmean(values, axis=0), np.diag(np.nanvar(values, axis=0))
    found = em_batch(moments, mean[None], spread[None], tolerance, most)
    return EmMoments(found.mean[0], found.covariance[0], found.iterations, bool(found.converged[0]))


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
