"""Unweighted least squares: every residual counts alike. Its F is no χ², so test and errors are Browne's."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.squares import WeightedSquares
from dusk_arrow.core.covariance.estimators.estimator import (
    Estimator,
    normal_variances,
    quadratic_minimum,
    sandwiched_variances,
)
from dusk_arrow.core.covariance.implied import CompiledModel
from dusk_arrow.core.covariance.least_squares import Moments, error_covariance, settle, settled_solution, uneven
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import Point
from dusk_arrow.core.covariance.robust import NEED_CASES, Errors, residual_based
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.linear_algebra import Array, correlation_from, guarded_cholesky
from dusk_arrow.core.observations.evidence import Evidence, MatrixEvidence, Samples
from dusk_arrow.core.problems import Problem


def too_few_for(what: str, evidence: Evidence, layout: MomentLayout) -> list[Problem]:
    """The covariances of k moments are singular unless there are more cases than moments."""
    if evidence.n > layout.size:
        return []
    message = (
        f"{what} weighs {layout.size} moments by their own covariances and needs more cases than that; there are "
        f"{evidence.n}. Use maximum likelihood with robust errors, or fewer columns."
    )
    return [Problem("too_few_cases", "error", message)]


def _size(samples: Samples) -> float:
    """The mean variance of the full sample."""
    return float(np.trace(samples.reference) / samples.reference.shape[-1])


class UnweightedLeastSquares(Estimator):
    """W = I up to the data's own unit; residual-based test and sandwich errors (Browne 1984)."""

    key = "uls"
    words = "unweighted least squares"
    is_chi_square = False
    score_tests = False

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """Squares in the weight I, divided by the size of the full sample so that F has no unit."""
        _, _, good = guarded_cholesky(samples.covariances)
        p = layout.variables
        size = 1.0 if layout.means else _size(samples)
        weight = np.broadcast_to(np.eye(p) / size, samples.covariances.shape)
        means = samples.means if layout.means else None
        return WeightedSquares(samples.covariances, weight, means), good & samples.usable

    def unit(self, samples: Samples, layout: MomentLayout) -> float:
        """F was divided by the square of the size of the variables."""
        return 1.0 if layout.means else _size(samples) ** 2

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """Robust errors are sandwich errors, and their test weighs the cases' own moments."""
        if errors == "satorra-bentler":
            message = "ULS has the residual-based test and sandwich errors; choose expected or sandwich errors."
            return [Problem("errors_not_available", "error", message)]
        return too_few_for("The robust test of ULS", evidence, layout) if errors == "sandwich" else []

    def settle(self, model: CompiledModel, samples: Samples, solution: Solution, start: Array) -> Solution:
        """By steps that take every parameter in its own unit."""
        if not model.n_free:
            return solution
        means = samples.means if model.means else None
        return settled_solution(model, Moments(samples.covariances, means), solution, start)

    def settle_batch(
        self, model: CompiledModel, samples: Samples, theta: Array, converged: NDArray[np.bool_], start: Array
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The same, where variables differ much in size."""
        if not uneven(samples.reference):
            return theta, converged
        moments = Moments(samples.covariances, samples.means if model.means else None)
        found, rest, _ = settle(model, moments, np.where(converged[:, None], theta, start))
        return found, rest

    def baseline(self, point: Point, errors: Errors) -> float:
        """The residual-based test of the diagonal, with normal-theory moments or the cases' own."""
        evidence, layout = point.evidence, point.layout
        rows, columns, sample = layout.rows, layout.columns, evidence.covariance
        moments = sample[rows, columns]
        if errors not in NEED_CASES or isinstance(evidence, MatrixEvidence):
            correlation = moments / np.sqrt(sample[rows, rows] * sample[columns, columns])
            return evidence.multiplier * float((correlation[rows != columns] ** 2).sum())
        only = MomentLayout(layout.variables, False)
        weight = np.linalg.inv(only.covariance_of_moments(evidence.values))
        return evidence.multiplier * quadratic_minimum(moments, weight, only.left_free)

    def goodness_of_fit(self, point: Point) -> float:
        """Unweighted."""
        sample = point.evidence.covariance
        return float(1 - ((sample - point.covariance) ** 2).sum() / (sample**2).sum())

    def residual_variances(self, point: Point, bread: Array, slopes: Array) -> tuple[Array, Array]:
        """Normal data at the implied covariances, through the weight I."""
        assert isinstance(point.discrepancy, WeightedSquares)
        return sandwiched_variances(point, point.discrepancy.weights[0], slopes, bread), normal_variances(point)

    def statistic(self, point: Point, value: float, errors: Errors) -> float:
        """The residual-based test, with the cases' own moments for robust errors."""
        gamma = None
        if errors in NEED_CASES and not isinstance(point.evidence, MatrixEvidence):
            gamma = point.layout.covariance_of_moments(point.evidence.values)
            if np.linalg.matrix_rank(correlation_from(gamma)) < gamma.shape[0]:
                return float("nan")
        return point.evidence.multiplier * residual_based(point, gamma)

    def score_unit(self, point: Point) -> float | None:
        """The weight of every residual."""
        assert isinstance(point.discrepancy, WeightedSquares)
        return float(point.discrepancy.weights[0, 0, 0])

    def covariance(self, point: Point, errors: Errors) -> Array:
        """Always a sandwich, with normal-theory moments for *expected* and *observed*."""
        evidence = point.evidence
        means = evidence.means[None] if point.model.means and evidence.means is not None else None
        moments = Moments(evidence.covariance[None], means)
        cases = None if errors not in NEED_CASES or isinstance(evidence, MatrixEvidence) else evidence.values
        found: Array = error_covariance(point.model, moments, point.theta, point.covariance, cases)
        return found / evidence.multiplier
