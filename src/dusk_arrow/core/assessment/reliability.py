"""Reliability from the moments of a block of indicators."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import Array, correlation_from


def cronbach_alpha(covariance: Array) -> Array:
    """Cronbach's (1951) raw alpha, batched: block covariances (…, k, k), k ≥ 2 → (…)."""
    k = covariance.shape[-1]
    total = covariance.sum(axis=(-2, -1))
    own = np.trace(covariance, axis1=-2, axis2=-1)
    result: Array = k / (k - 1) * (1 - own / total)
    return result


def standardized_alpha(covariance: Array) -> Array:
    """Alpha of the standardized indicators: the same formula on correlations."""
    return cronbach_alpha(correlation_from(covariance))
