"""Scores of cases on the constructs: weights by regression and after Bartlett, and scoring of any cases."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.implied import implied, implied_means, matrices
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


def score_weights(estimation: Estimation, means: Array) -> ScoreWeights:
    """Regression weights CΛᵀΣ⁻¹ (Thurstone 1935; Thomson 1939) and Bartlett's (1937) (ΛᵀΘ⁻¹Λ)⁻¹ΛᵀΘ⁻¹.

    Where means are not modelled cases deviate from the sample's `means` (p,) and the scores' origin is 0.
    """
    model, theta = estimation.model, estimation.solution.theta
    parts = matrices(model, theta)
    found = implied(parts)
    inverse = np.linalg.inv(found.covariance)
    regression = found.nodes @ parts.loading.T @ inverse
    origin = np.zeros(regression.shape[0])
    if model.means:
        means, origin = implied_means(parts, found)
    return ScoreWeights(
        model.table.nodes, model.table.observed, means, origin, regression, _bartlett(parts.loading, inverse)
    )


def _bartlett(loading: Array, inverse: Array) -> Array | None:
    """(ΛᵀΣ⁻¹Λ)⁻¹ΛᵀΣ⁻¹, which equals the form with Θ⁻¹ and also holds where some residuals are 0; nan for
    constructs that no observed variable shows directly."""
    shown = np.abs(loading).max(axis=0) > 0
    result = np.full(loading.T.shape, np.nan)
    loading = loading[:, shown]
    inner = loading.T @ inverse @ loading
    size = np.sqrt(np.maximum(np.diag(inner), 1e-300))
    scaled = inner / np.outer(size, size)
    if np.linalg.cond(scaled) > 1e10:
        return None
    result[shown] = np.linalg.solve(inner, loading.T @ inverse)
    return result


def score(weights: ScoreWeights, values: Array, method: str = "regression") -> Array:
    """Scores (n, m) of cases (n, p), those of the sample or new ones; nan where a case lacks an answer."""
    chosen = weights.regression if method == "regression" else weights.bartlett
    if chosen is None:
        return np.full((values.shape[0], len(weights.nodes)), np.nan)
    result: Array = weights.origin + (values - weights.means) @ chosen.T
    return result
