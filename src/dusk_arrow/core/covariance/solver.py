"""Minimising the discrepancy. One sample is a batch of one: both solvers are built from the same two batched moves.

*Scoring* takes damped steps with the expected curvature at the current values (or with the exact one, for the few
that expected curvature serves badly: long flat valleys of nearly collinear constructs); *descent* is L-BFGS on a
fixed metric.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.coordinates import Coordinates, coordinates_at
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY, Discrepancy
from dusk_arrow.core.covariance.objective import Curvature, Objective, TurnedObjective, decompose, scale_of
from dusk_arrow.core.linear_algebra import Array, members, times

CONVERGED = 1e-6
RESAMPLED = 1e-6  # with the step that is left, resamples are then within 1e-6 of fits of their own
ASKED = 1e-8
MEMORY, SHORT_MEMORY = 6, 4  # changes that are remembered on metrics of their own, and on one for all
SPARE = 0.15  # of a batch on one metric that may have converged before it is worth to part from them
SLACK = 1e-13


@dataclass(frozen=True)
class Solution:
    """Free values θ (q,) at the minimum F, whether it is one (scaled gradient below 1e-6) and how it got there."""

    theta: Array
    discrepancy: float
    converged: bool
    iterations: int
    scaled_gradient: float


class State(NamedTuple):
    """Where a batch stands: θ (b, q), F (b,), largest scaled gradient (b,), iterations so far (b,)."""

    theta: Array
    value: Array
    gradient_size: Array
    iterations: NDArray[np.intp]


def _score(
    objective: Objective, state: State, steps: int, tolerance: float, exact: bool = False
) -> tuple[State, Curvature]:
    """Up to `steps` damped scoring steps for every member; stops where F no longer falls. Also the last curvature seen
    of each member, the identity where there was none."""
    theta, value, size, iterations = (np.array(part) for part in state)
    damping = np.zeros(value.size)
    active = np.arange(value.size)
    current_value, gradient = objective.evaluate(theta, active)
    value[:] = current_value
    b, q = theta.shape
    last = Curvature(np.ones((b, q)), np.broadcast_to(np.eye(q), (b, q, q)).copy(), np.ones((b, q)))
    for _ in range(steps):
        active = active[np.isfinite(value[active])]
        if active.size == 0:
            break
        decompose = objective.exact_curvature if exact else objective.curvature
        here = decompose(theta[active], active)
        for kept_part, part in zip(last, here, strict=True):
            kept_part[active] = part
        size[active] = np.abs(gradient[active] / here.scale).max(axis=1)
        far = size[active] >= tolerance
        here = here.members(far)
        active = active[far]
        waiting = np.arange(active.size)
        along = here.along(gradient[active])
        values = np.abs(here.values)
        kept = values > 1e-12 * values.max(axis=1, keepdims=True)
        for _ in range(12):
            if waiting.size == 0:
                break
            who = active[waiting]
            inverse = np.where(kept[waiting], 1.0 / (values[waiting] + damping[who, None]), 0.0)
            move = here.members(waiting).back(along[waiting] * inverse)
            trial = theta[who] - move
            trial_value, trial_gradient = objective.evaluate(trial, who)
            slope = (gradient[who] * move).sum(axis=1)
            better = trial_value <= value[who] - 1e-4 * slope + SLACK
            good = who[better]
            theta[good], value[good], gradient[good] = trial[better], trial_value[better], trial_gradient[better]
            iterations[good] += 1
            damping[good] = np.where(damping[good] < 1e-3, 0.0, damping[good] / 10)
            damping[who[~better]] = np.maximum(10 * damping[who[~better]], 1e-3)
            waiting = waiting[~better]
        active = np.delete(active, waiting)
    return State(theta, value, size, iterations), last


class Change(NamedTuple):
    """A step s (b, q), the change y (b, q) of the gradient along it, and 1/sᵀy (b,), zero where there was none."""

    step: Array
    difference: Array
    inverse: Array


def _change(step: Array, difference: Array) -> Change:
    curvature = np.einsum("bq,bq->b", step, difference)
    usable = curvature > 1e-300
    return Change(step, difference, np.where(usable, 1.0 / np.where(usable, curvature, 1.0), 0.0))


def _direction(gradient: Array, metric: Array, changes: list[Change]) -> Array:
    """L-BFGS two-loop recursion: −H g with H₀ the metric, (q, q) for all or (b, q, q); gradients (b, q)."""
    found = gradient.copy(order="K")
    shares = []
    for step, difference, inverse in reversed(changes):
        share = inverse * np.einsum("bq,bq->b", step, found)
        found -= share[:, None] * difference
        shares.append(share)
    found = times(found, metric) if metric.ndim == 2 else np.einsum("bkq,bq->bk", metric, found)
    for (step, difference, inverse), share in zip(changes, reversed(shares), strict=True):
        back = inverse * np.einsum("bq,bq->b", difference, found)
        found += (share - back)[:, None] * step
    return -found


def _descend(
    objective: Objective | TurnedObjective, state: State, metric: Array, scale: Array, most: int, tolerance: float
) -> State:
    """Batched L-BFGS on a fixed metric. Members leave the batch where they can get no lower, or have converged.

    On metrics of their own (b, q, q) they have where the largest scaled gradient is below the tolerance. On one metric (q, q) for
    all that says little where the discrepancy is flat; there gᵀHg counts, the square of the step that is left in units of the
    curvature, and the step itself (as a share of what is larger than 1), which is taken, as it costs no evaluation.
    """
    theta, value, size, iterations = (np.array(part) for part in state)
    active = np.arange(value.size)
    alike = bool((theta == theta[0]).all())
    value_active, gradient = objective.evaluate_alike(theta[0]) if alike else objective.evaluate(theta, active)
    value[:] = value_active
    inside = np.isfinite(value_active)
    own = metric.ndim == 3
    if not inside.all():
        active, value_active, gradient = active[inside], value_active[inside], gradient[inside]
        objective = objective.take(active)
    metric, scale = (metric[inside], scale[inside]) if own else (metric, scale)
    size[active] = np.abs(gradient / scale).max(axis=1, initial=0.0)
    current = np.asfortranarray(theta[active])
    changes: list[Change] = []
    stuck = np.zeros(active.size, dtype=bool)
    done = stuck.copy()
    for _ in range(most):
        if active.size == 0:
            break
        direction = _direction(gradient, metric, changes)
        slope = np.einsum("bq,bq->b", gradient, direction)
        if own:
            near = np.flatnonzero(~(done | stuck) & (size[active] < tolerance))
        else:
            near = np.flatnonzero(~(done | stuck) & (-slope < tolerance**2))
            left = np.abs(direction[near]) / np.maximum(np.abs(current[near]), 1.0)
            near = near[left.max(axis=1, initial=0.0) < tolerance]
            current[near] += direction[near]
            size[active[near]] = -slope[near]  # what is left then is of second order
        stuck[near] = True
        leaving = np.flatnonzero(stuck & ~done)
        theta[active[leaving]], value[active[leaving]] = current[leaving], value_active[leaving]
        done |= stuck
        if done.sum() > (0.0 if own else SPARE * done.size):
            at = np.flatnonzero(~done)
            objective = objective.take(at)
            active, value_active, done, slope = active[at], value_active[at], done[at], slope[at]
            current, gradient, direction = members(current, at), members(gradient, at), members(direction, at)
            changes = [
                Change(members(step, at), members(difference, at), inverse[at]) for step, difference, inverse in changes
            ]
            if own:
                metric, scale = metric[at], scale[at]
            if active.size == 0:
                break
        length = np.ones(active.size)
        direction[done] = 0.0  # they stay where they are until they are parted from
        trial = current + direction
        trial_value, trial_gradient = objective.evaluate(trial, np.arange(active.size))
        for _ in range(8):
            worse = np.flatnonzero(~(done | (trial_value <= value_active + 1e-4 * length * slope + SLACK)))
            if worse.size == 0:
                break
            length[worse] *= 0.4
            trial[worse] = current[worse] + length[worse, None] * direction[worse]
            trial_value[worse], trial_gradient[worse] = objective.evaluate(trial[worse], worse)
        stuck = ~(done | (trial_value <= value_active + 1e-4 * length * slope + SLACK))
        iterations[active[~(done | stuck)]] += 1
        changes = [*changes, _change(trial - current, trial_gradient - gradient)][-(MEMORY if own else SHORT_MEMORY) :]
        if own:
            size[active[~stuck]] = np.abs(trial_gradient / scale).max(axis=1)[~stuck]
        trial[stuck], trial_value[stuck] = current[stuck], value_active[stuck]
        current, value_active, gradient = trial, trial_value, trial_gradient
    theta[active[~done]], value[active[~done]] = current[~done], value_active[~done]
    return State(theta, value, size, iterations)


class Phase(NamedTuple):
    """So many scoring steps, with exact second derivatives or expected ones, then so many of descent."""

    exact: bool
    steps: int
    descent: int


THOROUGH = (Phase(False, 2, 40), Phase(False, 40, 40), Phase(True, 12, 0))
PATIENT = (*3 * (Phase(True, 4, 100),), Phase(True, 12, 0))  # where a valley is long, or leads down without end
BRIEF = (Phase(False, 2, 25), Phase(False, 8, 20))  # for many starts, most of which lead to one place


def _refine(objective: Objective, state: State, tolerance: float, phases: tuple[Phase, ...] = THOROUGH) -> State:
    """Scoring and descent on the metric found there, then exact second derivatives, for those not yet converged."""
    for exact, steps, descent in phases:
        open_ = np.flatnonzero(~(state.gradient_size < tolerance))
        if open_.size == 0:
            break
        part = objective.take(open_)
        begin = State(*(field[open_] for field in state))
        found, here = _score(part, begin, steps, tolerance, exact)
        if descent and not (found.gradient_size < tolerance).all():
            found = _descend(part, found, here.metric(), here.scale, descent, tolerance)
        for target, source in zip(state, found, strict=True):
            target[open_] = source
    return state


def _begin(theta: Array) -> State:
    count = theta.shape[0]
    return State(theta.copy(), np.full(count, np.inf), np.full(count, np.inf), np.zeros(count, dtype=np.intp))


def quasi_newton(model: CompiledModel, discrepancy: Discrepancy, theta: Array) -> Array:
    """Where a BFGS descent leads from a start (q,) at which scoring failed."""
    from scipy.optimize import minimize  # loaded late: it takes long, and most fits do not need it

    objective = Objective(model, discrepancy)

    def single(values: Array) -> tuple[float, Array]:
        value, gradient = objective.evaluate(values[None, :], ONLY)
        return (float(value[0]), gradient[0]) if np.isfinite(value[0]) else (1e10, np.zeros_like(values))

    found: Array = minimize(single, theta, jac=True, method="BFGS", options={"maxiter": 300}).x
    return found


def attempt_many(
    model: CompiledModel, discrepancy: Discrepancy, starts: Array, phases: tuple[Phase, ...] = BRIEF
) -> list[Solution]:
    """Where scoring and descent lead from several starts (k, q), for a discrepancy with one sample in it."""
    if starts.shape[0] == 0:
        return []
    if model.n_free == 0:
        value, _ = Objective(model, discrepancy).evaluate(starts[:1], ONLY)
        return [Solution(starts[0], float(value[0]), bool(np.isfinite(value[0])), 0, 0.0)]
    alike = discrepancy.take(np.zeros(starts.shape[0], dtype=np.intp))
    state = _refine(Objective(model, alike), _begin(starts), ASKED, phases)
    return [
        Solution(theta, float(value), bool(size < CONVERGED), int(iterations), float(size))
        for theta, value, size, iterations in zip(*state, strict=True)
    ]


def attempt(model: CompiledModel, discrepancy: Discrepancy, start: Array) -> Solution:
    """Where scoring and descent lead from one start (q,)."""
    return attempt_many(model, discrepancy, start[None], THOROUGH)[0]


def solve(model: CompiledModel, discrepancy: Discrepancy, start: Array) -> Solution:
    """A minimum of a discrepancy with one sample in it, from starting values (q,): by scoring and descent, and by
    quasi-Newton steps where those fail."""
    best = attempt(model, discrepancy, start)
    if best.converged:
        return best
    points = [start, best.theta] if np.isfinite(best.discrepancy) else [start]
    tried = [attempt(model, discrepancy, quasi_newton(model, discrepancy, point)) for point in points]
    return min([best, *tried], key=lambda s: (not s.converged, s.discrepancy))


class Metric(NamedTuple):
    """The inverse curvature (q, q) at a known solution and the square roots (q,) of the curvature's diagonal: in the `coordinates` in
    which resamples of it are solved, and by θ itself (`plain`)."""

    inverse: Array
    scale: Array
    coordinates: Coordinates
    plain_inverse: Array
    plain_scale: Array


def metric_at(model: CompiledModel, discrepancy: Discrepancy, theta: Array) -> Metric:
    """The metric of one sample's solution θ (q,), on which resamples of it are solved."""
    coordinates = coordinates_at(model, theta)
    slopes = coordinates.slopes(theta)
    found = discrepancy.nearby_curvature(model, theta)[None]
    plain = np.where(np.isfinite(found), found, 0.0)
    turned = slopes.T @ plain @ slopes
    there, here = decompose(plain, scale_of(plain)), decompose(turned, scale_of(turned))
    return Metric(here.metric()[0], here.scale[0], coordinates, there.metric()[0], there.scale[0])


def solve_batch(
    model: CompiledModel, discrepancy: Discrepancy, usable: NDArray[np.bool_], start: Array, metric: Metric
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Solutions for a batch of samples near a known one: θ (b, q), F (b,), converged (b,).

    Where they are known directly nothing is searched for; else descent from `start` (q,) on one metric in its coordinates, and by θ
    itself for those that find no minimum there. What is left is refined on metrics of its own, and what has then not come to rest is
    followed with patience. A sample whose F falls without end has not converged, nor has one that is not `usable`, which is not
    tried.
    """
    if not usable.all():
        theta, value, done = np.tile(start, (usable.size, 1)), np.full(usable.size, np.inf), usable.copy()
        own = np.flatnonzero(usable)
        if own.size:
            some = np.ones(own.size, dtype=bool)
            theta[own], value[own], done[own] = solve_batch(model, discrepancy.take(own), some, start, metric)
        return theta, value, done
    known = discrepancy.direct(model)
    if known is not None and known[2].all():
        return known[0], known[1], usable
    turned = TurnedObjective(model, discrepancy, metric.coordinates)
    state = _begin(np.broadcast_to(start, (discrepancy.size, start.size)))
    state = _descend(turned, state, metric.inverse, metric.scale, 30, RESAMPLED)
    units = metric.coordinates.units(state.theta)
    state = state._replace(theta=metric.coordinates.theta(state.theta, units))
    everything = Objective(model, discrepancy)
    open_ = np.flatnonzero(~(state.gradient_size < RESAMPLED))
    if open_.size:  # such as variances whose minimum is beyond zero
        again = _begin(np.broadcast_to(start, (open_.size, start.size)))
        again = _descend(everything.take(open_), again, metric.plain_inverse, metric.plain_scale, 30, RESAMPLED)
        for whole, part in zip(state, again, strict=True):
            whole[open_] = part
    everything = Objective(model.unsplit(), discrepancy)
    state = _refine(everything, state, ASKED)
    done = state.gradient_size < ASKED
    left = np.flatnonzero(~done)
    if left.size:
        remaining = everything.take(left)
        begin = State(*(field[left] for field in state))
        begin.theta[~np.isfinite(begin.value)] = start
        found = _refine(remaining, begin, ASKED, PATIENT)
        for whole, part in zip(state, found, strict=True):
            whole[left] = part
        done[left] = (found.gradient_size < CONVERGED) & remaining.at_rest(found.theta, np.arange(left.size))
    return state.theta, state.value, done
