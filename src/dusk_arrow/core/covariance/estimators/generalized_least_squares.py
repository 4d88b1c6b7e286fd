"""Generalized least squares: residuals weighted by the inverse of the sample's own covariances."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.squares import WeightedSquares
from dusk_arrow.core.covariance.estimators.estimator import (
    Estimator,
    sandwiched_variances,
    weighted_squares,
)
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.robust import Errors, Traces, baseline_trace, fourth_moment_trace
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky
from dusk_arrow.core.observations.evidence import MatrixEvidence, Samples


class GeneralizedLeastSquares(Estimator):
    """W = S⁻¹ (Browne 1974); robust errors by an expected bread (Browne 1984)."""

    words = "generalized least squares"
    transforms = True

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """Squares in the weight S⁻¹ of each sample."""
        _, safe, good = guarded_cholesky(samples.covariances)
        means = samples.means if layout.means else None
        return WeightedSquares(safe, np.linalg.inv(safe), means), good & samples.usable

    def block_baseline(self, point: BlockPoint, errors: Errors) -> float:
        """The best diagonal matrix, from its normal equations."""
        sample = point.evidence.covariance
        weight = np.linalg.inv(sample)
        diagonal = np.linalg.solve(weight**2, np.diag(weight))
        product = np.eye(len(sample)) - weight * diagonal
        return point.evidence.multiplier * float((product * product.T).sum()) / 2

    def squares(self, point: BlockPoint) -> tuple[float, float]:
        """In the weight S⁻¹."""
        return weighted_squares(self._own_weight(point), point.evidence.covariance, point.covariance)

    def residual_variances(self, point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
        """Normal data at the implied covariances, through the weight S⁻¹."""
        return sandwiched_variances(point, block, bread)

    def traces(self, point: BlockPoint, errors: Errors) -> Traces | None:
        """Satorra & Bentler (1994) in the weight S⁻¹."""
        evidence = point.evidence
        assert not isinstance(evidence, MatrixEvidence)
        weight = self._own_weight(point)
        sample = evidence.covariance * (evidence.multiplier / evidence.n)
        whole = fourth_moment_trace(evidence.values, weight, sample)
        whole += float(np.trace(weight @ sample)) if point.model.means else 0.0
        return Traces(whole, baseline_trace(evidence.values, sample, weight, None))

    def normal_weights(self, point: BlockPoint) -> tuple[Array, Array]:
        """S⁻¹ in both."""
        return self._own_weight(point), self._own_weight(point)

    def _own_weight(self, point: BlockPoint) -> Array:
        result: Array = np.linalg.inv(point.evidence.covariance)
        return result

    def _score_weight(self, point: BlockPoint, errors: Errors) -> Array | None:
        return self._own_weight(point)


ESTIMATOR = GeneralizedLeastSquares()
