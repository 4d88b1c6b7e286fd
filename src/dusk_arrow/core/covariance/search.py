"""The lowest minimum: one start where nothing speaks against it, many solved together where something does."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.covariance.compiled import Block, CompiledModel
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY, Discrepancy
from dusk_arrow.core.covariance.implied import all_values, spread
from dusk_arrow.core.covariance.objective import Objective
from dusk_arrow.core.covariance.scales import MARKER, UnitVariance, unit_variance_form
from dusk_arrow.core.covariance.solver import PATIENT, Solution, attempt, attempt_many, quasi_newton
from dusk_arrow.core.covariance.statistics import standardize
from dusk_arrow.core.linear_algebra import Array

STARTS = 12
FEW_STARTS = 5
PURSUED = 2
FEW_CASES = 100
WEAK_MARKER = 0.35
FLAT = 1e-4
APART = 1e-5  # of F: minima nearer than this are the same


@dataclass(frozen=True)
class Search:
    """The solution, and the different minima F that were found on the way to it, the lowest first (one, if nothing was
    in doubt); `falls_lower` says that F fell below the lowest of them without coming to rest."""

    solution: Solution
    minima: tuple[float, ...]
    falls_lower: bool = False


def _weak_marker(block: Block, theta: Array) -> bool:
    markers = [i for i, p in enumerate(block.table.parameters) if p.kind == "loading" and p.why_fixed == MARKER]
    if not markers:
        return False
    loadings = standardize(block, all_values(block, theta), spread(block, theta))[markers]
    return bool(np.isnan(loadings).any() or np.abs(loadings).min() < WEAK_MARKER)


def _negative_variance(block: Block, theta: Array) -> bool:
    values = all_values(block, theta)
    return any(p.kind == "variance" and values[i] < 0 for i, p in enumerate(block.table.parameters))


def _flat(model: CompiledModel, discrepancy: Discrepancy, theta: Array) -> bool:
    values = Objective(model, discrepancy).curvature(theta[None], ONLY).values[0]
    return bool(values[0] < FLAT * values[-1])


def doubtful(model: CompiledModel, discrepancy: Discrepancy, solution: Solution, n: int) -> bool:
    """Whether another start could lead lower: few cases, a negative variance, a marker that hardly loads, a flat valley,
    or no minimum at all."""
    if not solution.converged or n < FEW_CASES:
        return True
    theta = solution.theta
    odd = any(_negative_variance(block, theta) or _weak_marker(block, theta) for block in model.blocks)
    return odd or _flat(model, discrepancy, theta)


def _starts(form: UnitVariance, own: Array | None, solved: Array | None, count: int) -> Array:
    """Different starts (k, q): as given, from the first solution, all positive, and seeded changes of them."""
    rng = np.random.default_rng(20261123)
    known = [start for start in (own, solved) if start is not None and np.isfinite(start).all()]
    if own is None or not known:
        return np.array(known).reshape(len(known), form.model.n_free)
    half = (count - len(known)) // 2
    near = [own * rng.uniform(0.3, 1.2, own.shape) + 0.05 * np.abs(own).mean() * rng.standard_normal(own.shape)
            for _ in range(half)]  # fmt: skip
    turned = [own * rng.uniform(0.3, 1.6, own.shape) * _turn(form.model, rng) for _ in range(count - len(known) - half)]
    return np.array([*known, *near, *turned])


def _turn(model: CompiledModel, rng: np.random.Generator) -> Array:
    """Signs (q,): some loadings the other way round, everything else as it is."""
    signs = np.ones(model.n_free)
    for parameter in (p for block in model.blocks for p in block.table.parameters):
        if parameter.index is not None and parameter.kind == "loading" and rng.random() < 0.25:
            signs[parameter.index] = -1.0
    return signs


def search(model: CompiledModel, discrepancy: Discrepancy, start: Array, n: int) -> Search:
    """The lowest minimum of a discrepancy with one sample of n cases in it, from starting values (q,) and, in doubt,
    from others (seeded), solved as one batch in the form without markers."""
    first = attempt_many(model, discrepancy, start[None])[0]
    if model.n_free == 0 or not doubtful(model, discrepancy, first, n):
        return Search(first, (first.discrepancy,))
    form = unit_variance_form(model)
    form = replace(form, model=form.model.unsplit())
    with np.errstate(all="ignore"):  # starts that lead nowhere end in infinities, which are sorted out below
        begin, solved = form.there(start), form.there(first.theta) if np.isfinite(first.theta).all() else None
        starts = _starts(form, begin, solved, FEW_STARTS if discrepancy.slow else STARTS)
        found = attempt_many(form.model, discrepancy, starts)
        found += _pursued(form.model, discrepancy, found)
    candidates = [first, *(s for s in (_original(form, one) for one in found) if s is not None)]
    settled = sorted((s for s in candidates if s.converged), key=lambda s: s.discrepancy)
    lowest = None
    while settled and lowest is None:
        # The first solution where it is at the same minimum: the figures of an undoubted fit stay as they are.
        near = [i for i, s in enumerate(settled) if s is first and s.discrepancy - settled[0].discrepancy <= APART]
        at = near[0] if near else 0
        rested = _rested(model, discrepancy, settled.pop(at))
        if rested.converged:
            lowest = rested
        candidates.append(rested)
    if lowest is None:
        return Search(min((s for s in candidates if not s.converged), key=lambda s: s.discrepancy), ())
    settled = sorted([lowest, *settled], key=lambda s: s.discrepancy)
    minima: list[float] = []
    for one in settled:
        if not minima or one.discrepancy - minima[-1] > APART:
            minima.append(one.discrepancy)
    below = any(not s.converged and s.discrepancy < lowest.discrepancy - APART for s in candidates)
    return Search(lowest, tuple(minima), below)


def _original(form: UnitVariance, found: Solution) -> Solution | None:
    """A solution in the model's own scale. What has converged without markers has converged: the point is the same."""
    if not np.isfinite(found.theta).all() or not np.isfinite(found.discrepancy):
        return None
    theta = form.back(found.theta)
    return None if theta is None else replace(found, theta=theta)


def _rested(model: CompiledModel, discrepancy: Discrepancy, found: Solution) -> Solution:
    """What has converged, if it has come to rest, or where patience leads from it; else it has not converged."""
    objective = Objective(model.unsplit(), discrepancy)

    def rests(one: Solution) -> bool:
        return one.converged and bool(objective.at_rest(one.theta[None], ONLY)[0])

    if rests(found):
        return found
    followed = attempt_many(objective.model, discrepancy, found.theta[None], PATIENT)[0]
    return followed if rests(followed) else replace(found, converged=False)


def _pursued(model: CompiledModel, discrepancy: Discrepancy, found: list[Solution]) -> list[Solution]:
    """The lowest points that have not come to rest, if they are lower than all that have, followed with patience."""
    rest = min((s.discrepancy for s in found if s.converged), default=np.inf)
    lower = [s for s in found if not s.converged and s.discrepancy < rest - APART]
    result: list[Solution] = []
    for one in sorted(lower, key=lambda s: s.discrepancy)[:PURSUED]:
        tried = attempt(model, discrepancy, one.theta)
        if not tried.converged:
            tried = attempt(model, discrepancy, quasi_newton(model, discrepancy, tried.theta))
        result.append(tried)
        if tried.converged:
            break
    return result
