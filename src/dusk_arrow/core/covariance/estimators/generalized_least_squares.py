"""Generalized least squares: residuals weighted by the inverse of the sample's own covariances."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.squares import WeightedSquares
from dusk_arrow.core.covariance.estimators.estimator import (
    Estimator,
    normal_variances,
    sandwiched_variances,
    share_explained,
)
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import Point
from dusk_arrow.core.covariance.robust import Errors, ScaledTest, baseline_factor, fourth_moment_trace, lost_trace
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky
from dusk_arrow.core.observations.evidence import MatrixEvidence, Samples


class GeneralizedLeastSquares(Estimator):
    """W = S⁻¹ (Browne 1974); robust errors by an expected bread (Browne 1984)."""

    key = "gls"
    words = "generalized least squares"
    transforms = True

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """Squares in the weight S⁻¹ of each sample."""
        _, safe, good = guarded_cholesky(samples.covariances)
        means = samples.means if layout.means else None
        return WeightedSquares(safe, np.linalg.inv(safe), means), good & samples.usable

    def baseline(self, point: Point, errors: Errors) -> float:
        """The best diagonal matrix, from its normal equations."""
        sample = point.evidence.covariance
        weight = np.linalg.inv(sample)
        diagonal = np.linalg.solve(weight**2, np.diag(weight))
        product = np.eye(len(sample)) - weight * diagonal
        return point.evidence.multiplier * float((product * product.T).sum()) / 2

    def goodness_of_fit(self, point: Point) -> float:
        """In the weight S⁻¹."""
        return share_explained(self._own_weight(point), point.evidence.covariance, point.covariance)

    def residual_variances(self, point: Point, bread: Array, slopes: Array) -> tuple[Array, Array]:
        """Normal data at the implied covariances, through the weight S⁻¹."""
        assert isinstance(point.discrepancy, WeightedSquares)
        return sandwiched_variances(point, point.discrepancy.weights[0], slopes, bread), normal_variances(point)

    def scaled_test(self, point: Point, df: int, errors: Errors) -> ScaledTest | None:
        """Satorra & Bentler (1994) in the weight S⁻¹."""
        evidence = point.evidence
        if df <= 0 or isinstance(evidence, MatrixEvidence):
            return None
        weight = self._own_weight(point)
        sample = evidence.covariance * (evidence.multiplier / evidence.n)
        whole = fourth_moment_trace(evidence.values, weight, sample)
        whole += float(np.trace(weight @ sample)) if point.model.means else 0.0
        lost = lost_trace(point, point.curvature, weight)
        return ScaledTest((whole - lost) / df, baseline_factor(evidence.values, sample, weight, None))

    def _own_weight(self, point: Point) -> Array:
        result: Array = np.linalg.inv(point.evidence.covariance)
        return result

    def _score_weight(self, point: Point, errors: Errors) -> Array | None:
        return self._own_weight(point)
