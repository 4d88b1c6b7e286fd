"""The test of a whole model: its baseline, its goodness of fit in the discrepancy's own weight, its fit figures."""

from __future__ import annotations

from dusk_arrow.core.assessment.fit import Fit, ScaledFit, assess_fit, scale_fit, srmr, srmr_with_means
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.covariance.robust import NEED_CASES
from dusk_arrow.core.observations.evidence import never_together


def assess_model(estimation: Estimation) -> Fit:
    """All fit figures of an estimated model. Where some columns are never seen together, nothing that rests on their covariance is
    among them."""
    point, estimator = estimation.point, estimation.estimator
    unknown = sum(len(never_together(own)) for own in point.evidence)
    pairs = sum(block.layout.variables * (block.layout.variables - 1) // 2 for block in point.blocks)
    residual = sum(block.evidence.n / point.n * _srmr(block) for block in point.blocks)
    return assess_fit(
        estimation.statistic,
        estimation.df,
        estimator.baseline(point, estimation.errors),
        pairs - unknown,
        n_parameters=estimation.model.n_free,
        n=point.n,
        multiplier=point.multiplier,
        groups=len(point.blocks),
        srmr=None if unknown else residual,
        gfi=None if unknown else estimator.goodness_of_fit(point),
        n_second_order=sum(block.layout.second_order for block in point.blocks),
        likelihoods=estimator.log_likelihoods(point),
    )


def _srmr(block: BlockPoint) -> float:
    evidence = block.evidence
    if block.means is not None and evidence.means is not None:
        return srmr_with_means(evidence.covariance, block.covariance, evidence.means, block.means)
    return float(srmr(evidence.covariance, block.covariance))


def assess_scaled(estimation: Estimation, fit: Fit) -> ScaledFit | None:
    """The figures of the mean-scaled test, where errors are robust and there is one."""
    if estimation.errors not in NEED_CASES:
        return None
    test = estimation.estimator.scaled_test(estimation.point, fit.df, estimation.errors)
    if test is None:
        return None
    return scale_fit(
        fit, test.scaling_factor, test.baseline_factor, estimation.point.multiplier / len(estimation.point.blocks)
    )
