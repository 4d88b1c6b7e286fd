"""Asymptotically distribution-free estimation: moments weighted by their own covariances."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.distribution_free import DistributionFree as DistributionFreeDiscrepancy
from dusk_arrow.core.covariance.estimators.estimator import Estimator, quadratic_minimum, second_order_slopes
from dusk_arrow.core.covariance.estimators.unweighted_least_squares import too_few_for
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.robust import NEED_CASES, Errors
from dusk_arrow.core.linear_algebra import Array, correlation_from, guarded_cholesky, positive_definite
from dusk_arrow.core.observations.evidence import Evidence, Samples
from dusk_arrow.core.problems import Problem

SINGULAR = 1e-9  # smallest eigenvalue of the moments' correlations: below it they depend on each other but for rounding


class DistributionFree(Estimator):
    """W = Γ̂⁻¹ (Browne 1984); its own errors and test hold whatever the distribution."""

    words = "ADF"
    needs_cases = True

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """Squares in the weight Γ̂⁻¹ of each sample's cases. Raises ValueError without cases."""
        if samples.cases is None:
            raise ValueError("distribution-free weights need complete cases")
        _, _, good = guarded_cholesky(samples.covariances)
        gamma = np.stack([layout.covariance_of_moments(samples.cases(i)) for i in range(len(samples.covariances))])
        invertible = positive_definite(correlation_from(gamma) - SINGULAR * np.eye(gamma.shape[-1]))
        gamma = np.where(invertible[:, None, None], gamma, np.eye(gamma.shape[-1]))
        moments = layout.vector(samples.covariances, samples.means)
        return DistributionFreeDiscrepancy(moments, np.linalg.inv(gamma)), good & invertible & samples.usable

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """More cases than moments."""
        return too_few_for("ADF", evidence, layout)

    def block_baseline(self, point: BlockPoint, errors: Errors) -> float:
        """The least of the weighted squares over variances and means."""
        assert isinstance(point.discrepancy, DistributionFreeDiscrepancy)
        moments, weight = point.discrepancy.moments[0], point.discrepancy.weights[0]
        return point.evidence.multiplier * quadratic_minimum(moments, weight, point.layout.left_free)

    def squares(self, point: BlockPoint) -> tuple[float, float]:
        """In the weight of variances and covariances."""
        assert isinstance(point.discrepancy, DistributionFreeDiscrepancy)
        k, rows, columns = point.layout.second_order, point.layout.rows, point.layout.columns
        weight, whole = point.discrepancy.weights[0][:k, :k], point.discrepancy.moments[0][:k]
        gap = (point.evidence.covariance - point.covariance)[rows, columns]
        return float(gap @ weight @ gap), float(whole @ weight @ whole)

    def residual_variances(self, point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
        """By the moments' own covariances."""
        assert isinstance(block.discrepancy, DistributionFreeDiscrepancy)
        gamma, slopes = np.linalg.inv(block.discrepancy.weights[0]), second_order_slopes(block)
        whole = np.diag(gamma)[: block.layout.second_order]
        return whole - block.share * ((slopes @ bread) * slopes).sum(axis=1), whole

    def covariance(self, point: Point, errors: Errors) -> Array:
        """Robust already, so that the choice of robust errors changes nothing."""
        return super().covariance(point, "expected" if errors in NEED_CASES else errors)


ESTIMATOR = DistributionFree()
