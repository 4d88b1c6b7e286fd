"""Minimising the discrepancy: a safeguarded solver for one sample and a batched one for many resamples."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from dusk_arrow.core.covariance.implied import CompiledModel, information, maximum_likelihood
from dusk_arrow.core.covariance.starting import starting_values
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, log_determinant

CONVERGED = 1e-6
ASKED = 1e-9
MOST_ITERATIONS = 200
MEMORY = 6


@dataclass(frozen=True)
class Solution:
    """Free values θ (q,) at the minimum F, whether it is one (scaled gradient below 1e-6) and how it got there."""

    theta: Array
    discrepancy: float
    converged: bool
    iterations: int
    scaled_gradient: float


def _curvature(model: CompiledModel, theta: Array) -> Array | None:
    """Expected second derivatives (q, q) of F, or None where Σ is singular."""
    try:
        found = 2.0 * information(model, theta)
    except np.linalg.LinAlgError:
        return None
    return found if np.isfinite(found).all() else None


def _step(curvature: Array, gradient: Array, damping: float) -> Array:
    """A damped scoring step; parameters are scaled to unit curvature first, so units do not matter."""
    size = np.sqrt(np.maximum(np.diag(curvature), 1e-300))
    scaled = curvature / np.outer(size, size)
    values, vectors = np.linalg.eigh(scaled)
    kept = values > 1e-12 * values[-1]
    along = vectors.T @ (gradient / size)
    step: Array = -(vectors[:, kept] @ (along[kept] / (values[kept] + damping))) / size
    return step


def _score(model: CompiledModel, theta: Array, sample: Array, log_det: float) -> Solution:
    """Fisher scoring with damping from one start."""
    given = np.asarray(log_det)
    value, gradient = maximum_likelihood(model, theta, sample, given)
    damping, iteration, scaled = 0.0, 0, np.inf
    for iteration in range(MOST_ITERATIONS):
        curvature = _curvature(model, theta)
        if curvature is None or not np.isfinite(value):
            break
        scaled = float(np.max(np.abs(gradient) / np.sqrt(np.maximum(np.diag(curvature), 1e-300)), initial=0.0))
        if scaled < ASKED:
            break
        moved = False
        for _ in range(12):
            step = _step(curvature, gradient, damping)
            for length in (1.0, 0.5, 0.25):
                trial = theta + length * step
                try:
                    next_value, next_gradient = maximum_likelihood(model, trial, sample, given)
                except np.linalg.LinAlgError:
                    continue
                if next_value <= value + 1e-4 * length * float(gradient @ step) + 1e-13:
                    theta, value, gradient, moved = trial, next_value, next_gradient, True
                    break
            if moved:
                damping = 0.0 if damping < 1e-4 else damping / 10
                break
            damping = max(10 * damping, 1e-4)
        if not moved:
            break
    return Solution(theta, float(value), scaled < CONVERGED, iteration, scaled)


def _quasi_newton(model: CompiledModel, theta: Array, sample: Array, log_det: float) -> Array:
    """A BFGS descent from a start where scoring failed."""

    def objective(values: Array) -> tuple[float, Array]:
        try:
            value, gradient = maximum_likelihood(model, values, sample, np.asarray(log_det))
        except np.linalg.LinAlgError:
            return 1e10, np.zeros_like(values)
        return (float(value), gradient) if np.isfinite(value) else (1e10, np.zeros_like(values))

    found: Array = minimize(objective, theta, jac=True, method="BFGS", options={"maxiter": 500}).x
    return found


def solve(model: CompiledModel, sample: Array, start: Array | None = None) -> Solution:
    """The maximum likelihood solution for one sample covariance matrix (p, p), positive definite.

    Scoring from good starting values; where that fails, quasi-Newton steps and several perturbed starts (seeded).
    """
    factors, _, _ = guarded_cholesky(sample)
    log_det = float(log_determinant(factors))
    first = starting_values(model.table, sample) if start is None else start
    if model.n_free == 0:
        value, _ = maximum_likelihood(model, first, sample, np.asarray(log_det))
        return Solution(first, float(value), bool(np.isfinite(value)), 0, 0.0)
    best = _score(model, first, sample, log_det)
    if best.converged:
        return best
    rng = np.random.default_rng(20261123)
    for attempt in range(6):
        begin = best.theta if attempt == 0 and np.isfinite(best.discrepancy) else first
        if attempt > 1:
            begin = first * rng.uniform(0.3, 1.2, first.shape) + 0.02 * rng.standard_normal(first.shape)
        tried = _score(model, _quasi_newton(model, begin, sample, log_det), sample, log_det)
        if tried.converged:
            return tried
        if tried.discrepancy < best.discrepancy:
            best = tried
    return best


def _direction(gradient: Array, metric: Array, changes: list[tuple[Array, Array]]) -> Array:
    """L-BFGS two-loop recursion for a batch: −H g with H₀ the fixed metric; arrays (b, q), metric (q, q)."""
    found = gradient.copy()
    coefficients = []
    for step, difference in reversed(changes):
        curvature = (step * difference).sum(axis=1)
        usable = curvature > 1e-300
        inverse = np.where(usable, 1.0 / np.where(usable, curvature, 1.0), 0.0)
        share = inverse * (step * found).sum(axis=1)
        found -= share[:, None] * difference
        coefficients.append((share, inverse))
    found = found @ metric
    for (step, difference), (share, inverse) in zip(changes, reversed(coefficients), strict=True):
        back = inverse * (difference * found).sum(axis=1)
        found += (share - back)[:, None] * step
    return -found


def solve_batch(
    model: CompiledModel, samples: Array, start: Array, metric: Array, scale: Array
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Solutions for a batch of sample matrices (b, p, p) near a known one: θ (b, q), F (b,), converged (b,).

    Batched L-BFGS from `start` (q,) on the fixed `metric` (q, q), the inverse curvature there; `scale` (q,) is the
    square root of the curvature's diagonal. Those that have converged leave the batch; those that fail go to the
    safeguarded solver one by one. A sample that is not positive definite is reported as not converged.
    """
    count = samples.shape[0]
    factors, samples, usable = guarded_cholesky(samples)
    log_det = log_determinant(factors)
    theta = np.broadcast_to(start, (count, start.size)).copy()
    value = np.full(count, np.inf)
    done = np.zeros(count, dtype=bool)
    active = np.flatnonzero(usable)
    value_active, gradient = maximum_likelihood(model, theta[active], samples[active], log_det[active])
    changes: list[tuple[Array, Array]] = []
    for _ in range(40):
        if active.size == 0:
            break
        direction = _direction(gradient, metric, changes)
        slope = (gradient * direction).sum(axis=1)
        length = np.ones(active.size)
        current, current_samples, current_log_det = theta[active], samples[active], log_det[active]
        trial = current + direction
        trial_value, trial_gradient = maximum_likelihood(model, trial, current_samples, current_log_det)
        for _ in range(8):
            worse = ~(trial_value <= value_active + 1e-4 * length * slope + 1e-13)
            if not worse.any():
                break
            length[worse] *= 0.5
            trial[worse] = current[worse] + length[worse, None] * direction[worse]
            trial_value[worse], trial_gradient[worse] = maximum_likelihood(
                model, trial[worse], current_samples[worse], current_log_det[worse]
            )
        failed = ~(trial_value <= value_active + 1e-4 * length * slope + 1e-13)
        changes.append((trial - current, trial_gradient - gradient))
        changes = changes[-MEMORY:]
        theta[active[~failed]] = trial[~failed]
        value[active[~failed]] = trial_value[~failed]
        small = np.abs(trial_gradient / scale).max(axis=1) < CONVERGED
        done[active[small & ~failed]] = True
        stay = ~(small | failed)
        active, value_active, gradient = active[stay], trial_value[stay], trial_gradient[stay]
        changes = [(a[stay], b[stay]) for a, b in changes]
    for index in np.flatnonzero(usable & ~done):
        single = solve(model, samples[index], start)
        if not single.converged:
            single = solve(model, samples[index])
        theta[index], value[index], done[index] = single.theta, single.discrepancy, single.converged
    return theta, value, done
