"""The estimators there are, by the name they have in the settings."""

from __future__ import annotations

from dusk_arrow.core.covariance.estimators.distribution_free import DistributionFree
from dusk_arrow.core.covariance.estimators.estimator import Estimator
from dusk_arrow.core.covariance.estimators.generalized_least_squares import GeneralizedLeastSquares
from dusk_arrow.core.covariance.estimators.maximum_likelihood import MaximumLikelihood
from dusk_arrow.core.covariance.estimators.unweighted_least_squares import UnweightedLeastSquares

ESTIMATORS: dict[str, Estimator] = {
    estimator.key: estimator
    for estimator in (MaximumLikelihood(), GeneralizedLeastSquares(), UnweightedLeastSquares(), DistributionFree())
}
