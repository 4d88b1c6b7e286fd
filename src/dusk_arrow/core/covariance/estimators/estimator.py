"""What an estimator answers. Everything that depends on it is asked of it, so that adding one is adding a file."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import block_diag

from dusk_arrow.core.assessment.fit import TestKind
from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.joined import JoinedDiscrepancy
from dusk_arrow.core.covariance.discrepancies.squares import WeightedSquares
from dusk_arrow.core.covariance.moment_layout import MomentLayout, layout_of
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.robust import (
    MOST_VARIABLES,
    NEED_CASES,
    Errors,
    ScaledTest,
    Traces,
    cases_of,
    guarded_inverse,
    lost_trace,
    normal_weight,
    scaled_test,
    spread_of_scores,
    squared_trace,
)
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence, MatrixEvidence, Samples
from dusk_arrow.core.problems import Problem


class Estimator(ABC):
    """One way of estimating a covariance structure; what is not said otherwise is as for most of them.

    `words` are its name in sentences; `own_test` is what kind of test its statistic is; `needs_cases` says that a matrix will not do, `takes_incomplete`
    that cases with missing answers will, `is_chi_square` that the multiplier times F is a χ², `transforms` that data can be transformed to the model (Bollen & Stine 1992),
    `score_tests` that a score divided by F's curvature is a χ².
    """

    words: ClassVar[str]
    own_test: ClassVar[TestKind] = "plain"
    needs_cases: ClassVar[bool] = False
    takes_incomplete: ClassVar[bool] = False
    is_chi_square: ClassVar[bool] = True
    transforms: ClassVar[bool] = False
    score_tests: ClassVar[bool] = True

    @abstractmethod
    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """The discrepancy of a batch of one block's samples, and which of them can be used (b,)."""

    @abstractmethod
    def block_baseline(self, point: BlockPoint, errors: Errors) -> float:
        """T of one block's model of uncorrelated variables with their own variances and means, by this estimator."""

    @abstractmethod
    def squares(self, point: BlockPoint) -> tuple[float, float]:
        """The weighted squares of one block's residuals, and of its moments."""

    @abstractmethod
    def residual_variances(self, point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
        """Variances (k,) of one block's residuals s−σ̂ times its multiplier, and of its moments themselves, from the inverse
        information `bread` (q, q)."""

    def joined(
        self, samples: Sequence[Samples], model: CompiledModel, shares: Sequence[float]
    ) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """The discrepancy of a batch of samples of all blocks, which count by their shares, and which can be used (b,)."""
        found = [self.discrepancy(own, layout_of(block)) for own, block in zip(samples, model.blocks, strict=True)]
        return join(found, shares)

    def baseline(self, point: Point, errors: Errors) -> float:
        """T of the model of uncorrelated variables with their own variances and means, by this estimator."""
        return sum(self.block_baseline(block, errors) for block in point.blocks)

    def goodness_of_fit(self, point: Point) -> float:
        """GFI: 1 less the weighted squares of the residuals over those of the moments (Tanaka & Huba 1985)."""
        left, whole = (
            sum(block.share * own for block, own in zip(point.blocks, values, strict=True))
            for values in zip(*(self.squares(block) for block in point.blocks), strict=True)
        )
        return float(1 - left / whole)

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """What stands against this estimator on this evidence, each with the way out."""
        return []

    def settle(self, model: CompiledModel, evidence: Sequence[Evidence], solution: Solution, start: Array) -> Solution:
        """The solution of one sample, moved on to where it really rests."""
        return solution

    def settle_batch(
        self,
        model: CompiledModel,
        samples: Sequence[Samples],
        shares: Sequence[float],
        theta: Array,
        converged: NDArray[np.bool_],
        start: Array,
    ) -> tuple[Array, NDArray[np.bool_]]:
        """The same for a batch of solutions (b, q), converged or not (b,), of resamples of one whose solution is `start`."""
        return theta, converged

    def unit(self, samples: Sequence[Samples], model: CompiledModel) -> float:
        """What F is multiplied by to be what its definition says, where it was freed of the data's own unit."""
        return 1.0

    def statistic(self, point: Point, value: float, errors: Errors) -> float:
        """T of a model with discrepancy F; nan where it cannot be computed."""
        return point.multiplier * value

    def log_likelihoods(self, point: Point) -> tuple[float, float] | None:
        """logL of a model and of the saturated model; None without a likelihood."""
        return None

    def further_tests(self, errors: Errors) -> tuple[TestKind, ...]:
        """The tests that are asked for beside the plain one, where errors come from there."""
        if errors == "satorra-bentler":
            return ("mean-scaled", "mean-and-variance-adjusted", "scaled-shifted")
        return ("mean-scaled",) if errors in NEED_CASES else ()

    def traces(self, point: BlockPoint, errors: Errors) -> Traces | None:
        """What a block adds to the scaling of the test; None where the estimator's own test is robust, or it is not known."""
        return None

    def scaled_test(self, point: Point, df: int, errors: Errors) -> ScaledTest | None:
        """The scaling factors of the test (Satorra & Bentler 1994; Yuan & Bentler 2000); None where there is none or nothing
        to test."""
        if df <= 0 or any(isinstance(own, MatrixEvidence) for own in point.evidence):
            return None
        traces = [self.traces(block, errors) for block in point.blocks]
        known = [own for own in traces if own is not None]
        if len(known) < len(traces):
            return None
        spread = spread_of_scores(point.blocks, [self._score_weight(block, errors) for block in point.blocks])
        pairs = sum(block.layout.pairs for block in point.blocks)
        return scaled_test(known, lost_trace(self._bread(point, errors), spread), df, pairs)

    def normal_weights(self, point: BlockPoint) -> tuple[Array, Array] | None:
        """The weights W (p, p) of a block's residuals in the model and in the baseline; None where the test is not scaled by them."""
        return None

    def squared_traces(self, point: Point) -> tuple[float, float] | None:
        """tr[(UΓ)²] of the model and of its baseline, which a test of the right variance needs; None for more variables than can be
        worked off."""
        weights = [self.normal_weights(block) for block in point.blocks]
        if sum(block.layout.variables for block in point.blocks) > MOST_VARIABLES or None in weights:
            return None
        gammas = [b.layout.covariance_of_moments(cases_of(b.evidence)) / b.share for b in point.blocks]
        free = [np.eye(block.layout.size)[:, block.layout.left_free] for block in point.blocks]
        ends = np.cumsum([block.layout.size for block in point.blocks])[:-1]
        slopes = [block.slopes for block in point.blocks], np.split(block_diag(*free), ends)
        found = []
        for which, own in enumerate(slopes):
            each = [
                block.share * normal_weight(weight[which], block.layout)
                for block, weight in zip(point.blocks, weights, strict=True)
                if weight is not None
            ]
            found.append(squared_trace(each, gammas, own))
        return found[0], found[1]

    def score_unit(self, point: Point) -> float | None:
        """The weight that all residuals of all blocks share where F is no χ², so that scores are divided by their own variance."""
        return None

    def covariance(self, point: Point, errors: Errors) -> Array:
        """The covariance matrix (q, q) of the estimates; nan where the information is singular.

        *expected*: inverse expected curvature. *observed*: inverse second derivatives (Efron & Hinkley 1978). *sandwich*
        and *satorra-bentler*: bread around the covariance of the casewise scores.
        """
        bread = guarded_inverse(self._bread(point, errors) / 2)
        if errors not in NEED_CASES:
            return bread / point.multiplier
        spread = spread_of_scores(point.blocks, [self._score_weight(block, errors) for block in point.blocks])
        result: Array = bread @ spread @ bread / point.multiplier
        return result

    def _bread(self, point: Point, errors: Errors) -> Array:
        return point.exact if errors == "observed" else point.curvature

    def _score_weight(self, point: BlockPoint, errors: Errors) -> Array | None:
        """The weight of the scores in the place of Σ⁻¹ (p, p)."""
        return None


def quadratic_minimum(moments: Array, weight: Array, free: Array) -> float:
    """Minimum of rᵀWr over the moments that are free, the others' model values being 0."""
    inner = weight[np.ix_(free, free)]
    cross = weight[free] @ moments
    return float(moments @ weight @ moments - cross @ np.linalg.solve(inner, cross))


def join(
    found: Sequence[tuple[Discrepancy, NDArray[np.bool_]]], shares: Sequence[float]
) -> tuple[Discrepancy, NDArray[np.bool_]]:
    """The discrepancies of all blocks as one, that of a single block as it is."""
    parts, usable = zip(*found, strict=True)
    if len(parts) == 1:
        return parts[0], usable[0]
    return JoinedDiscrepancy(tuple(parts), tuple(shares)), np.logical_and.reduce(usable)


def weighted_squares(weight: Array, sample: Array, implied: Array) -> tuple[float, float]:
    """tr[(W(S−Σ))²] and tr[(WS)²]."""
    weighted = weight @ np.stack([sample - implied, sample])
    squares = (weighted * np.swapaxes(weighted, -1, -2)).sum(axis=(-2, -1))
    return float(squares[0]), float(squares[1])


def normal_variances(point: BlockPoint) -> Array:
    """The variances (k,) of the sample covariances of normal data at the implied ones, times the multiplier."""
    sigma, rows, columns = point.covariance, point.layout.rows, point.layout.columns
    result: Array = sigma[rows, rows] * sigma[columns, columns] + sigma[rows, columns] ** 2
    return result


def sandwiched_variances(point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
    """diag(PΓPᵀ) (k,) of one block with P = I − Δ(ΔᵀVΔ)⁻¹ΔᵀV over all blocks, Γ of normal data and V = ½Dᵀ(W⊗W)D, without
    forming any, and diag(Γ)."""
    inner = np.zeros_like(bread)
    cross = np.zeros(0)
    for one in point.blocks:
        layout, sigma, weight = one.layout, one.covariance, weight_of(one)
        turned = weight @ layout.matrix(second_order_slopes(one).T) @ weight
        spread = sigma @ turned @ sigma
        inner += one.share * np.einsum("apq,bqp->ab", turned, spread) / 2
        if one is block:
            cross = spread[:, layout.rows, layout.columns].T
    slopes, whole = second_order_slopes(block), normal_variances(block)
    first = ((slopes @ bread) * cross).sum(axis=1)
    second = ((slopes @ (bread @ inner @ bread)) * slopes).sum(axis=1)
    return whole - block.share * (2 * first - second), whole


def weight_of(point: BlockPoint) -> Array:
    """The weight (p, p) of a block's residuals."""
    assert isinstance(point.discrepancy, WeightedSquares)
    found: Array = point.discrepancy.weights[0]
    return found


def second_order_slopes(point: BlockPoint) -> Array:
    """The Jacobian (k, q) of a block's variances and covariances."""
    found: Array = point.slopes[: point.layout.second_order]
    return found
