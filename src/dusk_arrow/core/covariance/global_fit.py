"""The test of a whole model: its baseline, its goodness of fit in the discrepancy's own weight, what follows."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.fit import (
    Fit,
    FitTest,
    Traces,
    adjusted_test,
    assess_fit,
    own_test,
    srmr,
    srmr_with_means,
)
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.observations.evidence import never_together


def assess_model(estimation: Estimation) -> Fit:
    """All statistics of fit of an estimated model. Where some columns are never seen together, nothing that rests on their covariance is
    among them."""
    point, estimator = estimation.point, estimation.estimator
    unknown = sum(len(never_together(own)) for own in point.evidence)
    pairs = sum(block.layout.pairs for block in point.blocks)
    residual = sum(block.evidence.n / point.n * _srmr(block) for block in point.blocks)
    return assess_fit(
        Ground(
            chi_square=max(estimation.statistic, 0.0),
            df=estimation.df,
            baseline=estimator.baseline(point, estimation.errors),
            baseline_df=pairs - unknown,
            n_parameters=estimation.model.n_free,
            n=point.n,
            multiplier=point.multiplier,
            srmr=None if unknown else residual,
            gfi=None if unknown else estimator.goodness_of_fit(point),
            n_second_order=sum(block.layout.second_order for block in point.blocks),
            likelihoods=estimator.log_likelihoods(point),
            groups=len(point.blocks),
        )
    )


def _srmr(block: BlockPoint) -> float:
    evidence = block.evidence
    if block.means is not None and evidence.means is not None:
        return srmr_with_means(evidence.covariance, block.covariance, evidence.means, block.means)
    return float(srmr(evidence.covariance, block.covariance))


def assess_tests(estimation: Estimation, fit: Fit) -> tuple[FitTest, ...]:
    """The estimator's own test, and those that go beside it with where errors come from."""
    estimator, point = estimation.estimator, estimation.point
    own = own_test(estimator.own_test, fit)
    kinds = estimator.further_tests(estimation.errors)
    scaled = estimator.scaled_test(point, fit.df, estimation.errors) if kinds else None
    if scaled is None:
        return (own,)
    squared = estimator.squared_traces(point) if len(kinds) > 1 else None
    model = Traces(scaled.scaling_factor * fit.df, squared and squared[0])
    baseline = Traces(scaled.baseline_factor * fit.ground.baseline_df, squared and squared[1])
    found = (adjusted_test(kind, fit.ground, model, baseline) for kind in kinds)
    return own, *(test for test in found if test is not None)
