"""Unweighted least squares: every residual counts alike. Its F is no χ², so test and errors are Browne's."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.squares import WeightedSquares
from dusk_arrow.core.covariance.estimators.estimator import (
    Estimator,
    join,
    quadratic_minimum,
    sandwiched_variances,
    weight_of,
)
from dusk_arrow.core.covariance.least_squares import (
    BlockMoments,
    Moments,
    error_covariance,
    settle,
    settled_solution,
    uneven,
)
from dusk_arrow.core.covariance.moment_layout import MomentLayout, layout_of
from dusk_arrow.core.covariance.point import BlockPoint, Point, shares_of
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


def _size(samples: Sequence[Samples]) -> float:
    """The mean variance of the full sample, of all blocks together."""
    variances = np.concatenate([np.diag(own.reference) for own in samples])
    return float(variances.mean())


class UnweightedLeastSquares(Estimator):
    """W = I up to the data's own unit; residual-based test and sandwich errors (Browne 1984)."""

    words = "unweighted least squares"
    own_test = "residual-based"
    is_chi_square = False
    score_tests = False

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """Squares in the weight I, divided by the size of the full sample so that F has no unit."""
        return self._in_unit(samples, layout, 1.0 if layout.means else _size([samples]))

    def joined(
        self, samples: Sequence[Samples], model: CompiledModel, shares: Sequence[float]
    ) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """All blocks in one unit."""
        size = self._unit_size(samples, model)
        each = zip(samples, model.blocks, strict=True)
        return join([self._in_unit(own, layout_of(block), size) for own, block in each], shares)

    def _unit_size(self, samples: Sequence[Samples], model: CompiledModel) -> float:
        return 1.0 if any(block.means for block in model.blocks) else _size(samples)

    def _in_unit(self, samples: Samples, layout: MomentLayout, size: float) -> tuple[Discrepancy, NDArray[np.bool_]]:
        _, _, good = guarded_cholesky(samples.covariances)
        p = layout.variables
        weight = np.broadcast_to(np.eye(p) / size, samples.covariances.shape)
        means = samples.means if layout.means else None
        return WeightedSquares(samples.covariances, weight, means), good & samples.usable

    def unit(self, samples: Sequence[Samples], model: CompiledModel) -> float:
        """F was divided by the square of the size of the variables."""
        return self._unit_size(samples, model) ** 2

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """Robust errors are sandwich errors, and their test weighs the cases' own moments."""
        if errors == "satorra-bentler":
            message = "ULS has the residual-based test and sandwich errors; choose expected or sandwich errors."
            return [Problem("errors_not_available", "error", message)]
        return too_few_for("The robust test of ULS", evidence, layout) if errors == "sandwich" else []

    def settle(self, model: CompiledModel, evidence: Sequence[Evidence], solution: Solution, start: Array) -> Solution:
        """By steps that take every parameter in its own unit."""
        if not model.n_free:
            return solution
        samples = [own.samples() for own in evidence]
        return settled_solution(model, _moments(model, samples, shares_of(evidence)), solution, start)

    def settle_batch(
        self,
        model: CompiledModel,
        samples: Sequence[Samples],
        shares: Sequence[float],
        theta: Array,
        converged: NDArray[np.bool_],
        start: Array,
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The same, where variables differ much in size."""
        if not any(uneven(own.reference) for own in samples):
            return theta, converged
        moments = _moments(model, samples, shares)
        found, rest, _ = settle(model, moments, np.where(converged[:, None], theta, start))
        return found, rest

    def block_baseline(self, point: BlockPoint, errors: Errors) -> float:
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

    def squares(self, point: BlockPoint) -> tuple[float, float]:
        """Unweighted."""
        sample = point.evidence.covariance
        return float(((sample - point.covariance) ** 2).sum()), float((sample**2).sum())

    def residual_variances(self, point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
        """Normal data at the implied covariances, through the weight I."""
        return sandwiched_variances(point, block, bread)

    def statistic(self, point: Point, value: float, errors: Errors) -> float:
        """The residual-based test, with the cases' own moments for robust errors."""
        gammas: list[Array | None] = []
        for block in point.blocks:
            gamma = None
            if errors in NEED_CASES and not isinstance(block.evidence, MatrixEvidence):
                gamma = block.layout.covariance_of_moments(block.evidence.values)
                if np.linalg.matrix_rank(correlation_from(gamma)) < gamma.shape[0]:
                    return float("nan")
            gammas.append(gamma)
        return point.multiplier * residual_based(point, gammas)

    def score_unit(self, point: Point) -> float | None:
        """The weight of every residual."""
        return float(weight_of(point.blocks[-1])[0, 0])

    def covariance(self, point: Point, errors: Errors) -> Array:
        """Always a sandwich, with normal-theory moments for *expected* and *observed*."""
        moments = _moments(point.model, [own.samples() for own in point.evidence], shares_of(point.evidence))
        cases = [
            None if errors not in NEED_CASES or isinstance(own, MatrixEvidence) else own.values
            for own in point.evidence
        ]
        covariances = [block.covariance for block in point.blocks]
        found: Array = error_covariance(point.model, moments, point.theta, covariances, cases)
        return found / point.multiplier


def _moments(model: CompiledModel, samples: Sequence[Samples], shares: Sequence[float]) -> Moments:
    """The moments of samples of all blocks, as steps and errors take them."""
    each = zip(model.blocks, samples, shares, strict=True)
    return Moments(
        [BlockMoments(own.covariances, own.means if block.means else None, share) for block, own, share in each]
    )


ESTIMATOR = UnweightedLeastSquares()
