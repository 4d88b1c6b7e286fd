"""Local fit: residuals divided by their own errors."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.covariance.discrepancies import DistributionFree, WeightedSquares, jacobian
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.evidence import Evidence
from dusk_arrow.core.covariance.robust import guarded_inverse
from dusk_arrow.core.linear_algebra import Array

MOST_VARIABLES = 80


def standardized_residuals(estimation: Estimation, evidence: Evidence) -> Array | None:
    """(s−σ̂) over its asymptotic standard error (p, p); nan where the model reproduces a moment whatever the data.

    The residuals' covariance is PΓPᵀ with P = I − Δ(ΔᵀVΔ)⁻¹ΔᵀV, Γ that of the moments of normal data at the implied
    covariances (Jöreskog 1981; Bollen 1989), or ADF's own. None for incomplete cases and very many variables.
    """
    p = len(evidence.covariance)
    if evidence.groups is not None or p > MOST_VARIABLES:
        return None
    model, theta = estimation.model, estimation.solution.theta
    rows, columns = np.tril_indices(p)
    slopes = jacobian(model, theta)
    only = np.zeros(1, dtype=np.intp)
    bread = guarded_inverse(estimation.discrepancy.curvature(model, theta[None], only)[0] / 2)
    if np.isnan(bread).any():
        return None
    k = rows.size
    own = slopes[:k]
    sigma = estimation.implied
    if isinstance(estimation.discrepancy, DistributionFree):
        gamma = np.linalg.inv(estimation.discrepancy.weights[0])
        variance = np.diag(gamma)[:k] - ((own @ bread) * own).sum(axis=1)
        whole = np.diag(gamma)[:k]
    else:
        whole = sigma[rows, rows] * sigma[columns, columns] + sigma[rows, columns] ** 2
        if evidence.estimator == "ml":
            variance = whole - ((own @ bread) * own).sum(axis=1)
        else:
            assert isinstance(estimation.discrepancy, WeightedSquares)
            variance = _sandwiched(sigma, estimation.discrepancy.weights[0], own, bread, whole)
    gap = (evidence.covariance - sigma)[rows, columns]
    settled = variance <= 1e-9 * whole
    with np.errstate(divide="ignore", invalid="ignore"):
        values = gap / np.sqrt(np.where(settled, np.nan, variance) / evidence.multiplier)
    result = np.full((p, p), np.nan)
    result[rows, columns] = result[columns, rows] = values
    return result


def _sandwiched(sigma: Array, weight: Array, slopes: Array, bread: Array, whole: Array) -> Array:
    """diag(PΓPᵀ) (k,) with Γ of normal data and V = ½Dᵀ(W⊗W)D, without forming either."""
    p = len(sigma)
    rows, columns = np.tril_indices(p)
    derivative = np.zeros((slopes.shape[1], p, p))
    derivative[:, rows, columns] = derivative[:, columns, rows] = slopes.T
    turned = weight @ derivative @ weight
    spread = sigma @ turned @ sigma
    cross = spread[:, rows, columns].T
    inner = np.einsum("apq,bqp->ab", turned, spread) / 2
    first = ((slopes @ bread) * cross).sum(axis=1)
    second = ((slopes @ (bread @ inner @ bread)) * slopes).sum(axis=1)
    result: Array = whole - 2 * first + second
    return result
