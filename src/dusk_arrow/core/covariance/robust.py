"""Errors of the estimates, and tests that do not lean on normality: sandwich, Satorra–Bentler, Yuan–Bentler, Browne.

The robust ones come from one matrix of casewise scores: with ∂Σ = u vᵀ + v uᵀ the derivative of a case's quadratic
form ½ xᵀWx is −(xᵀWu)(xᵀWv), so fourth moments need not be formed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies import Discrepancy, jacobian, moment_vector
from dusk_arrow.core.covariance.evidence import Evidence, moment_covariance
from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    derivative_factors,
    gradient_of,
    implied,
    implied_means,
    information,
    lay_out,
    matrices,
    mean_derivatives,
)
from dusk_arrow.core.covariance.least_squares import Moments, error_covariance
from dusk_arrow.core.covariance.parameters import independence_table, saturated_table
from dusk_arrow.core.linear_algebra import Array, correlation_from

Errors = Literal["expected", "observed", "sandwich", "satorra-bentler"]
NEED_CASES = ("sandwich", "satorra-bentler")
MOST_VARIABLES = 60


@dataclass(frozen=True)
class ScaledTest:
    """A mean-scaled χ²: the statistic divided by its scaling factor, for the model and for the baseline."""

    scaling_factor: float
    baseline_factor: float


def _patterns(evidence: Evidence) -> Iterator[tuple[NDArray[np.bool_], NDArray[np.intp]]]:
    assert evidence.values is not None
    if evidence.groups is None:
        yield np.ones(evidence.values.shape[1], dtype=bool), np.arange(evidence.values.shape[0])
    else:
        for group in evidence.groups:
            yield group.present, group.rows


def casewise_scores(model: CompiledModel, theta: Array, evidence: Evidence, weight: Array | None = None) -> Array:
    """Scores (n, q) of the log-likelihood of the cases at θ (q,), up to a constant for complete cases.

    With a `weight` (p, p) in the place of Σ⁻¹ deviations are from the sample's means: the estimating equations of
    weighted squares.
    """
    assert evidence.values is not None
    assert evidence.means is not None
    parts = matrices(model, theta)
    found = implied(parts)
    u, v = derivative_factors(model, parts, found)
    slopes = mean_derivatives(model, parts, found) if model.means else None
    about = implied_means(parts, found)[0] if model.means and weight is None else evidence.means
    scores = np.zeros((evidence.values.shape[0], model.n_free))
    for present, rows in _patterns(evidence):
        inner = np.linalg.inv(found.covariance[np.ix_(present, present)]) if weight is None else weight
        scaled = (evidence.values[rows][:, present] - about[present]) @ inner
        products = (scaled @ u[present]) * (scaled @ v[present])
        if evidence.groups is not None:
            products = products - np.einsum("pk,pk->k", v[present], inner @ u[present])
        if slopes is not None:
            products = products + scaled @ slopes[present]
        block = np.zeros((model.n_free, rows.size))
        np.add.at(block, model.slots, products.T)
        scores[rows] = block.T
    return scores


def _meat(scores: Array) -> Array:
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


def _own_weight(evidence: Evidence) -> Array | None:
    """The weight of the discrepancy, where it is not the inverse of the implied covariances."""
    return np.linalg.inv(evidence.covariance) if evidence.estimator == "gls" else None


def parameter_covariance(
    model: CompiledModel, theta: Array, evidence: Evidence, discrepancy: Discrepancy, errors: Errors
) -> Array:
    """The covariance matrix (q, q) of the estimates; nan where the information is singular.

    *expected*: inverse expected curvature. *observed*: inverse second derivatives (Efron & Hinkley 1978).
    *sandwich*: for ML observed bread around the scores' covariance (Huber 1967; White 1982), for GLS and ULS expected
    bread (Browne 1984). *satorra-bentler*: expected bread (Satorra & Bentler 1994). ULS is no likelihood, so its
    errors are always a sandwich, with normal-theory moments for *expected* and *observed*. ADF's own errors hold
    whatever the distribution.
    """
    robust = errors in NEED_CASES and evidence.estimator != "adf"
    if evidence.estimator == "uls":
        means = evidence.means[None] if model.means and evidence.means is not None else None
        moments = Moments(evidence.covariance[None], means)
        expected = implied(matrices(model, theta)).covariance
        cases = evidence.values if robust else None
        unweighted: Array = error_covariance(model, moments, theta, expected, cases) / evidence.multiplier
        return unweighted
    only = np.zeros(1, dtype=np.intp)
    observed = errors == "observed" or (errors == "sandwich" and evidence.estimator == "ml")
    curvature = discrepancy.exact(model, theta, 0) if observed else discrepancy.curvature(model, theta[None], only)[0]
    bread = guarded_inverse(curvature / 2)
    if not robust:
        return bread / evidence.multiplier
    about_sample = errors == "satorra-bentler" and model.means and evidence.estimator == "ml"
    weight = np.linalg.inv(implied(matrices(model, theta)).covariance) if about_sample else _own_weight(evidence)
    meat = _meat(casewise_scores(model, theta, evidence, weight))
    result: Array = bread @ meat @ bread / evidence.multiplier
    return result


def residual_based(model: CompiledModel, theta: Array, evidence: Evidence, gamma: Array | None = None) -> float:
    """Browne's (1984) test of residuals, per unit of the multiplier: the part of s−σ that no parameter could take up.

    Moments have the covariance `gamma` (k, k), or that of normal data at the implied covariances.
    """
    parts = matrices(model, theta)
    found = implied(parts)
    if gamma is not None:
        rows, columns = np.tril_indices(evidence.covariance.shape[0])
        sample = evidence.covariance[rows, columns]
        if model.means and evidence.means is not None:
            sample = np.concatenate([sample, evidence.means])
        size = np.sqrt(np.diag(gamma))  # every moment in its own error, so that large variables do not drown small ones
        gap = (sample - moment_vector(model, theta)) / size
        slopes = jacobian(model, theta) / size[:, None]
        scaled = np.linalg.solve(gamma / np.outer(size, size), np.column_stack([gap, slopes]))
        score = slopes.T @ scaled[:, 0]
        return float(gap @ scaled[:, 0] - score @ guarded_inverse(slopes.T @ scaled[:, 1:]) @ score)
    inverse = np.linalg.inv(found.covariance)
    product = inverse @ (evidence.covariance - found.covariance)
    value = float((product * product.T).sum()) / 2
    shift = None
    if model.means and evidence.means is not None:
        gap = evidence.means - implied_means(parts, found)[0]
        shift = inverse @ gap
        value += float(gap @ shift)
    score = gradient_of(model, parts, found, product @ inverse / 2, shift)
    return value - float(score @ guarded_inverse(information(model, theta)) @ score)


def model_statistic(
    model: CompiledModel, theta: Array, evidence: Evidence, discrepancy: float, errors: Errors
) -> float:
    """T: the multiplier times F; for ULS the residual-based test, with the cases' own moments for robust errors."""
    if evidence.estimator != "uls":
        return evidence.multiplier * discrepancy
    gamma = None
    if errors in NEED_CASES and evidence.values is not None:
        gamma = moment_covariance(evidence.values, model.means)
        if np.linalg.matrix_rank(correlation_from(gamma)) < gamma.shape[0]:
            return float("nan")
    return evidence.multiplier * residual_based(model, theta, evidence, gamma)


def _fourth_moment_trace(values: Array, inverse: Array, sample: Array) -> float:
    """tr(VΓ): ½(mean of (xᵀWx)² − tr(WSWS)), Γ the fourth moments of the cases with divisor n."""
    centred = values - values.mean(axis=0)
    lengths = ((centred @ inverse) * centred).sum(axis=1)
    product = inverse @ sample
    return float((lengths**2).mean() - np.trace(product @ product)) / 2


def _lost(model: CompiledModel, theta: Array, evidence: Evidence, curvature: Array, weight: Array | None) -> float:
    """tr(A⁻¹B): what the parameters take up of the trace."""
    return float(np.trace(guarded_inverse(curvature / 2) @ _meat(casewise_scores(model, theta, evidence, weight))))


def _independent_values(evidence: Evidence) -> tuple[CompiledModel, Array]:
    """The model of uncorrelated variables with means, and its estimates."""
    assert evidence.values is not None
    names = tuple(f"v{i}" for i in range(evidence.covariance.shape[0]))
    theta = np.concatenate([np.nanvar(evidence.values, axis=0), np.nanmean(evidence.values, axis=0)])
    return lay_out(independence_table(names)), theta


def _incomplete_factors(
    model: CompiledModel, theta: Array, evidence: Evidence, discrepancy: Discrepancy, df: int
) -> ScaledTest:
    """Yuan & Bentler's factor with missing answers, the saturated model's part from its own observed information."""
    assert evidence.means is not None
    names = tuple(f"v{i}" for i in range(evidence.covariance.shape[0]))
    full = lay_out(saturated_table(names))
    rows, columns = np.tril_indices(len(names))
    at_full = np.concatenate([evidence.covariance[rows, columns], evidence.means])
    base, at_base = _independent_values(evidence)
    whole, own, independent = (
        _lost(m, at, evidence, discrepancy.exact(m, at, 0), None)
        for m, at in ((full, at_full), (model, theta), (base, at_base))
    )
    p = len(names)
    return ScaledTest((whole - own) / df, (whole - independent) / (p * (p - 1) / 2))


def scaled_test(
    model: CompiledModel, theta: Array, evidence: Evidence, discrepancy: Discrepancy, df: int, errors: Errors
) -> ScaledTest | None:
    """The scaling factors of the test: Satorra & Bentler (1994), or Yuan & Bentler (2000) with sandwich errors of ML.

    None where there is nothing to test, where the estimator's own test is robust, and for incomplete cases of more
    variables than can be worked off.
    """
    p = evidence.covariance.shape[0]
    if df <= 0 or evidence.values is None or evidence.estimator in ("uls", "adf"):
        return None
    if evidence.groups is not None:
        return _incomplete_factors(model, theta, evidence, discrepancy, df) if p <= MOST_VARIABLES else None
    values = evidence.values
    sample = evidence.covariance if evidence.divisor == "n" else evidence.covariance * (evidence.n - 1) / evidence.n
    own = _own_weight(evidence)
    inverse = np.linalg.inv(implied(matrices(model, theta)).covariance) if own is None else own
    if errors == "satorra-bentler" or evidence.estimator == "gls":
        about = inverse if model.means or own is not None else None
        curvature = discrepancy.curvature(model, theta[None], np.zeros(1, dtype=np.intp))[0]
        whole = _fourth_moment_trace(values, inverse, sample)
    else:
        about = None
        curvature = discrepancy.exact(model, theta, 0)
        whole = _fourth_moment_trace(values, np.linalg.inv(sample), sample)
    if model.means:
        whole += float(np.trace(inverse @ sample)) if errors == "satorra-bentler" or own is not None else p
    elif errors == "sandwich" and own is None:
        whole += p - float(np.trace(inverse @ sample))
    lost = _lost(model, theta, evidence, curvature, about)
    by_likelihood = np.linalg.inv(sample) if errors == "sandwich" and own is None else None
    return ScaledTest((whole - lost) / df, _baseline_factor(values, sample, own, by_likelihood))


def _baseline_factor(values: Array, sample: Array, weight: Array | None, saturated: Array | None) -> float:
    """The scaling factor of the model in which all variables are uncorrelated and have their own means.

    Yuan & Bentler's takes the whole trace at the saturated model, whose inverse covariances are then given.
    """
    p = sample.shape[0]
    inverse = np.diag(1 / np.diag(sample)) if weight is None else weight
    scores = ((values - values.mean(axis=0)) @ inverse) ** 2 / 2
    lost = float(np.trace(np.linalg.inv(inverse**2 / 2) @ _meat(scores)))
    whole = _fourth_moment_trace(values, inverse if saturated is None else saturated, sample)
    return float((whole - lost) / (p * (p - 1) / 2))
