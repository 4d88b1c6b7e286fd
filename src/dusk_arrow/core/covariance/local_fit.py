"""Local fit: residuals divided by their own errors."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.covariance.robust import guarded_inverse
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import IncompleteCases

MOST_VARIABLES = 80


def standardized_residuals(estimation: Estimation, block: BlockPoint) -> Array | None:
    """(s−σ̂) of one block over its asymptotic standard error (p, p); nan where the model reproduces a moment whatever the data.

    The residuals' covariance is PΓPᵀ with P = I − Δ(ΔᵀVΔ)⁻¹ΔᵀV, Γ that of the moments of normal data at the implied
    covariances (Jöreskog 1981; Bollen 1989), or ADF's own. None for incomplete cases and very many variables.
    """
    point, evidence, layout = estimation.point, block.evidence, block.layout
    if isinstance(evidence, IncompleteCases) or layout.variables > MOST_VARIABLES:
        return None
    bread = guarded_inverse(point.curvature / 2)
    if np.isnan(bread).any():
        return None
    variance, whole = estimation.estimator.residual_variances(point, block, bread)
    gap = (evidence.covariance - block.covariance)[layout.rows, layout.columns]
    settled = variance <= 1e-9 * whole
    with np.errstate(divide="ignore", invalid="ignore"):
        values = gap / np.sqrt(np.where(settled, np.nan, variance) / evidence.multiplier)
    return layout.matrix(values)
