"""Weights of the scores of cases on common factors: by regression and after Bartlett."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.covariance.implied import implied_means
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.scores import ScoreWeights


def score_weights(point: BlockPoint) -> ScoreWeights:
    """Regression weights CΛᵀΣ⁻¹ (Thurstone 1935; Thomson 1939) and Bartlett's (1937) (ΛᵀΘ⁻¹Λ)⁻¹ΛᵀΘ⁻¹.

    Where means are not modelled cases deviate from the sample's means (p,) and the scores' origin is 0.
    """
    table, known = point.model.table, point.evidence.means
    means = np.zeros(len(table.observed)) if known is None else known
    regression = point.found.nodes @ point.parts.loading.T @ point.inverse
    origin = np.zeros(regression.shape[0])
    if point.model.means:
        means, origin = implied_means(point.parts, point.found)
    bartlett = _bartlett(point.parts.loading, point.inverse)
    return ScoreWeights(table.nodes, table.observed, means, origin, regression, bartlett)


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
