"""Scores of cases on the constructs: weights, whichever family they come from, and scoring of any cases with them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import chdtrc, stdtrit

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class ScoreWeights:
    """Weights (m, p) of deviations from `means` (p,) and the origin (m,) added to them: η̂ = origin + W(y − means).

    `bartlett` is None where residuals without variance leave it undefined.
    """

    nodes: tuple[str, ...]
    observed: tuple[str, ...]
    means: Array
    origin: Array
    regression: Array
    bartlett: Array | None


def score(weights: ScoreWeights, values: Array, method: str = "regression") -> Array:
    """Scores (n, m) of cases (n, p), those of the sample or new ones; nan where a case lacks an answer."""
    chosen = weights.regression if method == "regression" else weights.bartlett
    if chosen is None:
        return np.full((values.shape[0], len(weights.nodes)), np.nan)
    result: Array = weights.origin + (values - weights.means) @ chosen.T
    return result


@dataclass(frozen=True)
class Pair:
    """Scores of two constructs against each other: the line of the second by the first with its correlation, the band in
    which the line itself lies at `at` (k,), and how far every case (n,) is from the middle of both: squared distance d² with
    its p-value (χ² with 2 df, Mahalanobis 1936)."""

    slope: float
    intercept: float
    correlation: float
    at: Array
    lower: Array
    upper: Array
    d2: Array
    p_value: Array


def pair(first: Array, second: Array, level: float = 0.95, points: int = 41) -> Pair | None:
    """Scores (n,) without gaps against each other; None with fewer than four cases, or where one does not vary or both
    are the same."""
    n = first.size
    if n < 4:
        return None
    x, y = first - first.mean(), second - second.mean()
    sxx, syy, sxy = float(x @ x), float(y @ y), float(x @ y)
    determinant = sxx * syy - sxy**2
    if not determinant > 1e-12 * sxx * syy:
        return None
    slope = sxy / sxx
    residual = float(((y - slope * x) ** 2).sum()) / (n - 2)
    at = np.linspace(first.min(), first.max(), points)
    reach = stdtrit(n - 2, 0.5 + level / 2) * np.sqrt(residual * (1 / n + (at - first.mean()) ** 2 / sxx))
    line = second.mean() + slope * (at - first.mean())
    d2 = (n - 1) * (syy * x**2 - 2 * sxy * x * y + sxx * y**2) / determinant
    correlation = sxy / np.sqrt(sxx * syy)
    intercept = float(second.mean() - slope * first.mean())
    return Pair(slope, intercept, correlation, at, line - reach, line + reach, d2, chdtrc(2, d2))
