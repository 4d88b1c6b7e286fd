"""Errors and tests that do not lean on normality: observed information, sandwich, Satorra–Bentler, Yuan–Bentler.

All of them come from one matrix of casewise scores: with ∂Σ = u vᵀ + v uᵀ the derivative of a case's quadratic form
½ xᵀΣ⁻¹x is −(xᵀΣ⁻¹u)(xᵀΣ⁻¹v), so fourth moments are never formed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    derivative_factors,
    hessian,
    implied,
    information,
    matrices,
)
from dusk_arrow.core.linear_algebra import Array

Errors = Literal["expected", "observed", "sandwich", "satorra-bentler"]
NEED_CASES = ("sandwich", "satorra-bentler")


@dataclass(frozen=True)
class ScaledTest:
    """A mean-scaled χ²: the statistic divided by its scaling factor, for the model and for the baseline."""

    scaling_factor: float
    baseline_factor: float


def casewise_scores(model: CompiledModel, theta: Array, values: Array) -> Array:
    """Scores (n, q) of the covariance part, up to a constant, for cases (n, p) and free values θ (q,)."""
    parts = matrices(model, theta)
    found = implied(parts)
    u, v = derivative_factors(model, parts, found)
    weighted = (values - values.mean(axis=0)) @ np.linalg.inv(found.covariance)
    products = (weighted @ u) * (weighted @ v)
    scores = np.zeros((values.shape[0], model.n_free))
    np.add.at(scores.T, model.slots, products.T)
    return scores


def _meat(scores: Array) -> Array:
    centred = scores - scores.mean(axis=0)
    result: Array = centred.T @ centred / scores.shape[0]
    return result


def _inverse(matrix: Array) -> Array:
    """The inverse of a symmetric matrix in parameter units, nan where it is not positive definite."""
    size = np.sqrt(np.maximum(np.abs(np.diag(matrix)), 1e-300))
    scaled = matrix / np.outer(size, size)
    values = np.linalg.eigvalsh(scaled)
    if not values[0] > 1e-12 * values[-1]:
        return np.full_like(matrix, np.nan)
    result: Array = np.linalg.inv(scaled) / np.outer(size, size)
    return result


def parameter_covariance(
    model: CompiledModel, theta: Array, sample: Array, multiplier: float, errors: Errors, values: Array | None
) -> Array:
    """The covariance matrix (q, q) of the estimates; nan where the information is singular.

    *expected*: inverse expected information. *observed*: inverse second derivatives (Efron & Hinkley 1978).
    *sandwich*: observed bread around the scores' covariance (Huber 1967; White 1982). *satorra-bentler*: expected
    bread (Satorra & Bentler 1994). The last two need the complete cases `values` (n, p).
    """
    if errors in ("expected", "satorra-bentler"):
        bread = _inverse(information(model, theta))
    else:
        bread = _inverse(hessian(model, theta, sample) / 2)
    if errors in ("expected", "observed"):
        return bread / multiplier
    assert values is not None
    result: Array = bread @ _meat(casewise_scores(model, theta, values)) @ bread / multiplier
    return result


def _fourth_moment_trace(values: Array, covariance: Array, sample: Array) -> float:
    """tr(VΓ): ½(mean of (xᵀΣ⁻¹x)² − tr(Σ⁻¹SΣ⁻¹S)), Γ the fourth moments of the cases with divisor n."""
    centred = values - values.mean(axis=0)
    inverse = np.linalg.inv(covariance)
    lengths = np.einsum("np,pq,nq->n", centred, inverse, centred)
    product = inverse @ sample
    return float((lengths**2).mean() - np.trace(product @ product)) / 2


def _baseline_factor(values: Array, sample: Array) -> float:
    """The scaling factor of the model in which all variables are uncorrelated."""
    p = sample.shape[0]
    variances = np.diag(sample)
    centred = values - values.mean(axis=0)
    scores = centred**2 / (2 * variances**2)
    lost = float((np.diag(_meat(scores)) * 2 * variances**2).sum())
    trace = _fourth_moment_trace(values, np.diag(variances), sample)
    return float((trace - lost) / (p * (p - 1) / 2))


def scaled_test(
    model: CompiledModel, theta: Array, sample: Array, values: Array, df: int, errors: Errors
) -> ScaledTest | None:
    """The scaling factors of the test: Satorra & Bentler (1994), or Yuan & Bentler (2000) with sandwich errors.

    `sample` has divisor n. None where there is nothing to test.
    """
    if df <= 0:
        return None
    meat = _meat(casewise_scores(model, theta, values))
    covariance = implied(matrices(model, theta)).covariance
    if errors == "satorra-bentler":
        lost = float(np.trace(_inverse(information(model, theta)) @ meat))
        factor = (_fourth_moment_trace(values, covariance, sample) - lost) / df
    else:
        lost = float(np.trace(_inverse(hessian(model, theta, sample) / 2) @ meat))
        means = sample.shape[0] - float(np.trace(np.linalg.solve(covariance, sample)))
        factor = (_fourth_moment_trace(values, sample, sample) - lost + means) / df
    return ScaledTest(factor, _baseline_factor(values, sample))
