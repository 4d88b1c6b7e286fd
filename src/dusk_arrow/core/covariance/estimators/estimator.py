"""What an estimator answers. Everything that depends on it is asked of it, so that adding one is adding a file."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.implied import CompiledModel
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import Point
from dusk_arrow.core.covariance.robust import (
    NEED_CASES,
    Errors,
    ScaledTest,
    casewise_scores,
    guarded_inverse,
    meat,
)
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence, Samples
from dusk_arrow.core.problems import Problem


class Estimator(ABC):
    """One way of estimating a covariance structure; what is not said otherwise is as for most of them.

    `key` is its name in settings, `words` in sentences; `needs_cases` says that a matrix will not do, `takes_incomplete`
    that cases with missing answers will, `is_chi_square` that the multiplier times F is a χ², `transforms` that data can be transformed to the model (Bollen & Stine 1992),
    `score_tests` that a score divided by F's curvature is a χ².
    """

    key: ClassVar[str]
    words: ClassVar[str]
    needs_cases: ClassVar[bool] = False
    takes_incomplete: ClassVar[bool] = False
    is_chi_square: ClassVar[bool] = True
    transforms: ClassVar[bool] = False
    score_tests: ClassVar[bool] = True

    @abstractmethod
    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """The discrepancy of a batch of samples, and which of them can be used (b,)."""

    @abstractmethod
    def baseline(self, point: Point, errors: Errors) -> float:
        """T of the model of uncorrelated variables with their own variances and means, by this estimator."""

    @abstractmethod
    def goodness_of_fit(self, point: Point) -> float:
        """GFI: 1 less the weighted squares of the residuals over those of the moments (Tanaka & Huba 1985)."""

    @abstractmethod
    def residual_variances(self, point: Point, bread: Array, slopes: Array) -> tuple[Array, Array]:
        """Variances (k,) of the residuals s−σ̂ times the multiplier, and of the moments themselves, from the inverse
        information `bread` (q, q) and the Jacobian (k, q) of variances and covariances."""

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """What stands against this estimator on this evidence, each with the way out."""
        return []

    def settle(self, model: CompiledModel, samples: Samples, solution: Solution, start: Array) -> Solution:
        """The solution of one sample, moved on to where it really rests."""
        return solution

    def settle_batch(
        self, model: CompiledModel, samples: Samples, theta: Array, converged: NDArray[np.bool_], start: Array
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The same for a batch of solutions (b, q), converged or not (b,), of resamples of one whose solution is `start`."""
        return theta, converged

    def unit(self, samples: Samples, layout: MomentLayout) -> float:
        """What F is multiplied by to be what its definition says, where it was freed of the data's own unit."""
        return 1.0

    def statistic(self, point: Point, value: float, errors: Errors) -> float:
        """T of a model with discrepancy F; nan where it cannot be computed."""
        return point.evidence.multiplier * value

    def log_likelihoods(self, evidence: Evidence, value: float) -> tuple[float, float] | None:
        """logL of a model with discrepancy F and of the saturated model; None without a likelihood."""
        return None

    def scaled_test(self, point: Point, df: int, errors: Errors) -> ScaledTest | None:
        """The scaling factors of the test; None where the estimator's own test is robust or there is nothing to test."""
        return None

    def score_unit(self, point: Point) -> float | None:
        """The weight that all residuals share where F is no χ², so that scores are divided by their own variance."""
        return None

    def covariance(self, point: Point, errors: Errors) -> Array:
        """The covariance matrix (q, q) of the estimates; nan where the information is singular.

        *expected*: inverse expected curvature. *observed*: inverse second derivatives (Efron & Hinkley 1978). *sandwich*
        and *satorra-bentler*: bread around the covariance of the casewise scores.
        """
        bread = guarded_inverse(self._bread(point, errors) / 2)
        if errors not in NEED_CASES:
            return bread / point.evidence.multiplier
        spread = meat(casewise_scores(point, self._score_weight(point, errors)))
        result: Array = bread @ spread @ bread / point.evidence.multiplier
        return result

    def _bread(self, point: Point, errors: Errors) -> Array:
        return point.exact if errors == "observed" else point.curvature

    def _score_weight(self, point: Point, errors: Errors) -> Array | None:
        """The weight of the scores in the place of Σ⁻¹ (p, p)."""
        return None


def quadratic_minimum(moments: Array, weight: Array, free: Array) -> float:
    """Minimum of rᵀWr over the moments that are free, the others' model values being 0."""
    inner = weight[np.ix_(free, free)]
    cross = weight[free] @ moments
    return float(moments @ weight @ moments - cross @ np.linalg.solve(inner, cross))


def share_explained(weight: Array, sample: Array, implied: Array) -> float:
    """1 − tr[(W(S−Σ))²]/tr[(WS)²]."""
    weighted = weight @ np.stack([sample - implied, sample])
    squares = (weighted * np.swapaxes(weighted, -1, -2)).sum(axis=(-2, -1))
    return float(1 - squares[0] / squares[1])


def normal_variances(point: Point) -> Array:
    """The variances (k,) of the sample covariances of normal data at the implied ones, times the multiplier."""
    sigma, rows, columns = point.covariance, point.layout.rows, point.layout.columns
    result: Array = sigma[rows, rows] * sigma[columns, columns] + sigma[rows, columns] ** 2
    return result


def sandwiched_variances(point: Point, weight: Array, slopes: Array, bread: Array) -> Array:
    """diag(PΓPᵀ) (k,) with P = I − Δ(ΔᵀVΔ)⁻¹ΔᵀV, Γ of normal data and V = ½Dᵀ(W⊗W)D, without forming any."""
    sigma, layout = point.covariance, point.layout
    derivative = layout.matrix(slopes.T)
    turned = weight @ derivative @ weight
    spread = sigma @ turned @ sigma
    cross = spread[:, layout.rows, layout.columns].T
    inner = np.einsum("apq,bqp->ab", turned, spread) / 2
    first = ((slopes @ bread) * cross).sum(axis=1)
    second = ((slopes @ (bread @ inner @ bread)) * slopes).sum(axis=1)
    result: Array = normal_variances(point) - 2 * first + second
    return result
