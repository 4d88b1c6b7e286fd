"""The test of a whole model: its baseline, its goodness of fit in the discrepancy's own weight, its fit figures."""

from __future__ import annotations

from dusk_arrow.core.assessment.fit import Fit, ScaledFit, assess_fit, scale_fit, srmr, srmr_with_means
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.robust import NEED_CASES
from dusk_arrow.core.observations.evidence import never_together


def assess_model(estimation: Estimation) -> Fit:
    """All fit figures of an estimated model. Where some columns are never seen together, nothing that rests on their covariance is
    among them."""
    point, evidence, estimator = estimation.point, estimation.evidence, estimation.estimator
    p, unknown = point.layout.variables, len(never_together(evidence))
    if point.means is not None and evidence.means is not None:
        residual = srmr_with_means(evidence.covariance, point.covariance, evidence.means, point.means)
    else:
        residual = float(srmr(evidence.covariance, point.covariance))
    return assess_fit(
        estimation.statistic,
        estimation.df,
        estimator.baseline(point, estimation.errors),
        p * (p - 1) // 2 - unknown,
        n_parameters=estimation.model.n_free,
        n=evidence.n,
        multiplier=evidence.multiplier,
        srmr=None if unknown else residual,
        gfi=None if unknown else estimator.goodness_of_fit(point),
        n_second_order=point.layout.second_order,
        likelihoods=estimator.log_likelihoods(evidence, estimation.solution.discrepancy),
    )


def assess_scaled(estimation: Estimation, fit: Fit) -> ScaledFit | None:
    """The figures of the mean-scaled test, where errors are robust and there is one."""
    if estimation.errors not in NEED_CASES:
        return None
    test = estimation.estimator.scaled_test(estimation.point, fit.df, estimation.errors)
    if test is None:
        return None
    return scale_fit(fit, test.scaling_factor, test.baseline_factor, estimation.evidence.multiplier)
