"""Reliability from the moments of a block of indicators."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.linear_algebra import Array, blocks_by_size, correlation_from


def cronbach_alpha(covariance: Array) -> Array:
    """Cronbach's (1951) raw alpha, batched: block covariances (…, k, k), k ≥ 2 → (…)."""
    k = covariance.shape[-1]
    total = covariance.sum(axis=(-2, -1))
    own = np.trace(covariance, axis1=-2, axis2=-1)
    result: Array = k / (k - 1) * (1 - own / total)
    return result


def alphas(covariance: Array, blocks: Sequence[Sequence[int]]) -> Array:
    """Cronbach's alpha (…, c) of c blocks of columns, from their covariances (…, p, p); nan where a block has one."""
    found = np.full((*covariance.shape[:-2], len(blocks)), np.nan)
    for own, within in blocks_by_size(covariance, blocks):
        if within.shape[-1] > 1:
            found[..., own] = cronbach_alpha(within)
    return found


def standardized_alpha(covariance: Array) -> Array:
    """Alpha of the standardized indicators: the same formula on correlations."""
    return cronbach_alpha(correlation_from(covariance))


def composite_reliability(loadings: Array, noise: Array) -> Array:
    """Reliability (…) of the sum of a block from its loadings (…, k) and the variance of the sum of its residuals (…), all in
    standard deviations of the indicators (Jöreskog 1971; with covarying residuals Raykov 2001)."""
    common = loadings.sum(axis=-1) ** 2
    result: Array = common / (common + noise)
    return result


def average_variance_extracted(loadings: Array, noise: Array) -> Array:
    """AVE (…) of a block from its loadings (…, k) and the sum of its residual variances (…) (Fornell & Larcker 1981)."""
    squares = (loadings**2).sum(axis=-1)
    result: Array = squares / (squares + noise)
    return result
