"""Errors of the estimates, and tests that do not lean on normality: sandwich, Satorra–Bentler, Yuan–Bentler, Browne.

The robust ones come from one matrix of casewise scores: with ∂Σ = u vᵀ + v uᵀ the derivative of a case's quadratic
form ½ xᵀWx is −(xᵀWu)(xᵀWv), so fourth moments need not be formed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import block_diag

from dusk_arrow.core.covariance.compiled import lay_out
from dusk_arrow.core.covariance.implied import gradient_of, information
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.parameters import independence_table, saturated_table
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence, IncompleteCases, MatrixEvidence

Errors = Literal["expected", "observed", "sandwich", "satorra-bentler"]
NEED_CASES = ("sandwich", "satorra-bentler")
MOST_VARIABLES = 60


@dataclass(frozen=True)
class ScaledTest:
    """A mean-scaled χ²: the statistic divided by its scaling factor, for the model and for the baseline."""

    scaling_factor: float
    baseline_factor: float


def _patterns(evidence: Evidence) -> Iterator[tuple[NDArray[np.bool_], NDArray[np.intp]]]:
    if isinstance(evidence, IncompleteCases):
        for pattern in evidence.patterns:
            yield pattern.present, pattern.rows
    else:
        n, p = cases_of(evidence).shape
        yield np.ones(p, dtype=bool), np.arange(n)


def cases_of(evidence: Evidence) -> Array:
    """The cases (n, p). Raises ValueError for a matrix, which has none."""
    if isinstance(evidence, MatrixEvidence):
        raise ValueError("a matrix has no cases")
    return evidence.values


def casewise_scores(point: BlockPoint, weight: Array | None = None) -> Array:
    """Scores (n, q) of the log-likelihood of the cases, up to a constant for complete cases.

    With a `weight` (p, p) in the place of Σ⁻¹ deviations are from the sample's means: the estimating equations of
    weighted squares.
    """
    model, evidence, values = point.model, point.evidence, cases_of(point.evidence)
    (u, v), slopes = point.factors, point.mean_slopes
    about = point.means if point.means is not None and weight is None else evidence.means
    assert about is not None
    scores = np.zeros((values.shape[0], model.n_free))
    for present, rows in _patterns(evidence):
        inner = np.linalg.inv(point.covariance[np.ix_(present, present)]) if weight is None else weight
        scaled = (values[rows][:, present] - about[present]) @ inner
        products = (scaled @ u[present]) * (scaled @ v[present])
        if isinstance(evidence, IncompleteCases):
            products = products - np.einsum("pk,pk->k", v[present], inner @ u[present])
        if slopes is not None:
            products = products + scaled @ slopes[present]
        block = np.zeros((model.n_free, rows.size))
        np.add.at(block, model.slots, products.T)
        scores[rows] = block.T
    return scores


def meat(scores: Array) -> Array:
    """The covariance (q, q) of casewise scores (n, q), with divisor n."""
    centred = scores - scores.mean(axis=0)
    result: Array = centred.T @ centred / scores.shape[0]
    return result


def guarded_inverse(matrix: Array) -> Array:
    """The inverse of a symmetric matrix in parameter units, nan where it is not positive definite."""
    if matrix.size == 0:
        return matrix
    size = np.sqrt(np.maximum(np.abs(np.diag(matrix)), 1e-300))
    scaled = matrix / np.outer(size, size)
    values = np.linalg.eigvalsh(scaled)
    if not values[0] > 1e-12 * values[-1]:
        return np.full_like(matrix, np.nan)
    result: Array = np.linalg.inv(scaled) / np.outer(size, size)
    return result


def residual_based(point: Point, gammas: Sequence[Array | None]) -> float:
    """Browne's (1984) test of residuals, per unit of the multiplier: the part of s−σ that no parameter could take up.

    The moments of each block have the covariance `gamma` (k, k), or that of normal data at the implied covariances.
    """
    q = point.model.n_free
    value, score, curvature = 0.0, np.zeros(q), np.zeros((q, q))
    for block, gamma in zip(point.blocks, gammas, strict=True):
        own = _residuals(block, gamma)
        value += block.share * own[0]
        score += block.share * own[1]
        curvature += block.share * own[2]
    return float(value - score @ guarded_inverse(curvature) @ score)


def _residuals(point: BlockPoint, gamma: Array | None) -> tuple[float, Array, Array]:
    """Of one block: the weighted squares of its residuals, their slope by θ (q,) and the information of it (q, q)."""
    model, evidence = point.model, point.evidence
    if gamma is not None:
        sample = point.layout.vector(evidence.covariance, evidence.means)
        size = np.sqrt(np.diag(gamma))  # every moment in its own error, so that large variables do not drown small ones
        gap = (sample - point.layout.vector(point.covariance, point.means)) / size
        slopes = point.slopes / size[:, None]
        scaled = np.linalg.solve(gamma / np.outer(size, size), np.column_stack([gap, slopes]))
        return float(gap @ scaled[:, 0]), slopes.T @ scaled[:, 0], slopes.T @ scaled[:, 1:]
    product = point.inverse @ (evidence.covariance - point.covariance)
    value = float((product * product.T).sum()) / 2
    shift = None
    if point.means is not None and evidence.means is not None:
        gap = evidence.means - point.means
        shift = point.inverse @ gap
        value += float(gap @ shift)
    score = gradient_of(model, point.parts, point.found, product @ point.inverse / 2, shift)
    return value, score, information(model, point.theta)


def fourth_moment_trace(values: Array, inverse: Array, sample: Array) -> float:
    """tr(VΓ): ½(mean of (xᵀWx)² − tr(WSWS)), Γ the fourth moments of the cases with divisor n."""
    centred = values - values.mean(axis=0)
    lengths = ((centred @ inverse) * centred).sum(axis=1)
    product = inverse @ sample
    return float((lengths**2).mean() - np.trace(product @ product)) / 2


def spread_of_scores(points: Iterable[BlockPoint], weights: Iterable[Array | None]) -> Array:
    """B (q, q): the covariances of the scores of every block's cases, each by the block's share."""
    found = [point.share * meat(casewise_scores(point, weight)) for point, weight in zip(points, weights, strict=True)]
    total: Array = np.sum(found, axis=0)
    return total


def lost_trace(curvature: Array, spread: Array) -> float:
    """tr(A⁻¹B): what the parameters take up of the trace, from the curvature of F and the spread of the scores."""
    return float(np.trace(guarded_inverse(curvature / 2) @ spread))


def baseline_trace(values: Array, sample: Array, weight: Array | None, saturated: Array | None) -> float:
    """What the scaling factor times the df is of the model in which all variables are uncorrelated and have their own means.

    Yuan & Bentler's takes the whole trace at the saturated model, whose inverse covariances are then given.
    """
    inverse = np.diag(1 / np.diag(sample)) if weight is None else weight
    scores = ((values - values.mean(axis=0)) @ inverse) ** 2 / 2
    lost = float(np.trace(np.linalg.inv(inverse**2 / 2) @ meat(scores)))
    whole = fourth_moment_trace(values, inverse if saturated is None else saturated, sample)
    return float(whole - lost)


class Traces(NamedTuple):
    """What one block adds to the scaling of a test: the whole trace tr(VΓ) of its moments, and that of its baseline less what is
    lost to the baseline's parameters."""

    whole: float
    baseline: float


def scaled_test(traces: Sequence[Traces], lost: float, df: int, baseline_df: int) -> ScaledTest:
    """The scaling factors from the traces of all blocks and what the model's parameters take up."""
    whole, baseline = (sum(own) for own in zip(*traces, strict=True))
    return ScaledTest((whole - lost) / df, baseline / baseline_df)


def normal_weight(weight: Array, layout: MomentLayout) -> Array:
    """V = ½Dᵀ(W⊗W)D (k, k) of variances and covariances, and W itself of means, from W (p, p)."""
    rows, columns = layout.rows, layout.columns
    twice = np.where(rows == columns, 1.0, 2.0)
    second = weight[np.ix_(rows, rows)] * weight[np.ix_(columns, columns)]
    second += weight[np.ix_(rows, columns)] * weight[np.ix_(columns, rows)]
    second *= np.outer(twice, twice) / 4
    return block_diag(second, weight) if layout.means else second


def squared_trace(weights: Sequence[Array], gammas: Sequence[Array], slopes: Sequence[Array]) -> float:
    """tr[(UΓ)²] over all blocks with U = V − VΔ(ΔᵀVΔ)⁻¹ΔᵀV (Satorra & Bentler 1994), from each block's V and Γ (k, k), times and over its
    share, and its Δ (k, q)."""
    weight, gamma, delta = block_diag(*weights), block_diag(*gammas), np.vstack(slopes)
    across = weight @ delta
    product = (weight - across @ guarded_inverse(delta.T @ across) @ across.T) @ gamma
    return float((product * product.T).sum())


def incomplete_traces(point: BlockPoint, evidence: IncompleteCases) -> Traces | None:
    """Yuan & Bentler's traces with missing answers, the saturated model's from its own observed information; None
    for more variables than can be worked off, and where that information is singular: some are never seen together."""
    p = point.layout.variables
    if p > MOST_VARIABLES or evidence.never_together:
        return None
    names = tuple(f"v{i}" for i in range(p))
    at_full = point.layout.vector(evidence.covariance, evidence.means)
    at_base = np.concatenate([np.nanvar(evidence.values, axis=0), np.nanmean(evidence.values, axis=0)])
    full = BlockPoint(lay_out(saturated_table(names)), at_full, evidence, point.discrepancy)
    base = BlockPoint(lay_out(independence_table(names)), at_base, evidence, point.discrepancy)
    whole, independent = (lost_trace(one.exact, spread_of_scores([one], [None])) for one in (full, base))
    return Traces(whole, whole - independent)
