"""Collinearity among the predictors of an outcome, and how much each contributes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.linear_algebra import (
    Array,
    blocks_by_size,
    correlation_from,
    positive_definite,
    variance_inflation,
)


def antecedent_vif(covariance: Array, outcome: int, antecedents: list[int]) -> Array:
    """VIF (…, k) of the antecedents of one `outcome` among themselves, from node covariances (…, m, m)."""
    block = covariance[..., antecedents, :][..., antecedents]
    return variance_inflation(correlation_from(block))


def inflation_within(correlation: Array, blocks: Sequence[Sequence[int]]) -> list[Array]:
    """VIF (…, k) of the columns of each of several blocks among themselves, from their correlations (…, p, p)."""
    found: dict[int, Array] = {}
    for own, within in blocks_by_size(correlation, blocks):
        found |= zip(own, np.moveaxis(variance_inflation(within), -2, 0), strict=True)
    return [found[at] for at in range(len(blocks))]


def explained_share(covariance: Array, outcome: int, predictors: list[int]) -> Array:
    """R² (…) of the regression of one node on others, from their covariances (…, m, m)."""
    if not predictors:
        return np.zeros(covariance.shape[:-2])
    if len(predictors) == 1:
        own, cross = covariance[..., predictors[0], predictors[0]], covariance[..., predictors[0], outcome]
        with np.errstate(divide="ignore", invalid="ignore"):
            alone: Array = np.where(own > 0, cross**2 / (own * covariance[..., outcome, outcome]), np.nan)
        return alone
    block = covariance[..., predictors, :][..., predictors]
    cross = covariance[..., predictors, outcome]
    good = positive_definite(block)
    safe = np.where(good[..., None, None], block, np.eye(len(predictors)))
    weights = np.linalg.solve(safe, cross[..., None])[..., 0]
    share = (weights * cross).sum(axis=-1) / covariance[..., outcome, outcome]
    result: Array = np.where(good, share, np.nan)
    return result


def f_squared(covariance: Array, outcome: int, antecedents: list[int]) -> Array:
    """Cohen's (1988) f² (…, k) of each antecedent: (R² with − R² without) / (1 − R² with)."""
    full = explained_share(covariance, outcome, antecedents)
    without = [explained_share(covariance, outcome, [b for b in antecedents if b != a]) for a in antecedents]
    with np.errstate(divide="ignore", invalid="ignore"):
        result: Array = np.stack([(full - rest) / (1 - full) for rest in without], axis=-1)
    return result
