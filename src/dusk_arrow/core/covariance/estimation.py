"""Fitting one model to one sample: solution, errors and what is wrong with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from dusk_arrow.core.covariance.compiled import CompiledModel, lay_out_all
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.estimators.estimator import Estimator
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.implied import information
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.parameters import ParameterTable, count_free, free_keys
from dusk_arrow.core.covariance.point import Point, shares_of
from dusk_arrow.core.covariance.robust import Errors
from dusk_arrow.core.covariance.scales import align_signs
from dusk_arrow.core.covariance.search import search
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.covariance.starting import starting_values
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence, never_together
from dusk_arrow.core.problems import Problem, Repair, listed
from dusk_arrow.core.specification.changes import Hold

MAXIMUM_LIKELIHOOD = ESTIMATORS["ml"]


class SingularMomentsError(np.linalg.LinAlgError):
    """The sample's covariances, or the covariances of its moments, are singular; `what` says which."""

    def __init__(self, what: Literal["sample", "moments"]) -> None:
        super().__init__(f"singular {what}")
        self.what = what


@dataclass(frozen=True)
class Estimation:
    """A fitted model: how it was estimated, where the solution stands, covariance (q, q) of θ (nan when not identified),
    the test statistic T, the different minima F that were found, and whether F fell below all of them without coming to
    rest."""

    estimator: Estimator
    errors: Errors
    point: Point
    solution: Solution
    covariance: Array
    statistic: float
    minima: tuple[float, ...] = ()
    falls_lower: bool = False

    @property
    def model(self) -> CompiledModel:
        """The model."""
        return self.point.model

    @property
    def evidence(self) -> tuple[Evidence, ...]:
        """What every block of it was fitted to."""
        return self.point.evidence

    @property
    def discrepancy(self) -> Discrepancy:
        """The discrepancy that was minimised."""
        return self.point.discrepancy

    @property
    def df(self) -> int:
        """Degrees of freedom: moments that the data say something of, less what is free."""
        moments = sum(block.layout.size - len(never_together(block.evidence)) for block in self.point.blocks)
        return moments - self.model.n_free


def _unscaled(table: ParameterTable) -> list[Problem]:
    """Constructs whose unit nothing fixes, because what carries the scale by default was released."""
    found = []
    for construct in table.constructs:
        name, kind = construct.name, "loading" if construct.mode == "reflective" else "weight"
        own = [p for p in table.parameters if p.kind == kind and name == (p.source if kind == "loading" else p.target)]
        variance = next(p for p in table.parameters if p.kind == "variance" and p.source == name)
        fixed = own if kind == "weight" else [*own, variance]
        if not own or any(p.value for p in fixed):
            continue
        other = own[min(1, len(own) - 1)]
        message = (
            f"{name} has no scale: its {kind}s{' and its variance' if kind == 'loading' else ''} are all free, so its unit "
            f"could be anything. Hold one {kind} at 1{', or its variance' if kind == 'loading' else ''}."
        )
        repairs = [
            Repair(
                f"Let {other.target if kind == 'loading' else other.source} carry the scale", Hold((other.key,), 1.0)
            )
        ]
        if kind == "loading":
            repairs.append(Repair(f"Hold the variance of {name} at 1", Hold((variance.key,), 1.0)))
        found.append(Problem("no_scale", "error", message, (name,), tuple(repairs)))
    return found


def identification(tables: Sequence[ParameterTable]) -> list[Problem]:
    """Problems of a model that cannot be estimated whatever the data: too many parameters, or undetermined ones.

    The rank of the Jacobian of Σ is taken at random points (seeded); parameters with weight in its null space
    are named. The verdict is about the model, not about one sample.
    """
    unscaled = [problem for table in tables for problem in _unscaled(table)]
    if unscaled:
        return unscaled
    q, everything = count_free(tables), [p for table in tables for p in table.parameters]
    moments = sum(MomentLayout(len(table.observed), table.means).size for table in tables)
    if q > moments:
        means = any(table.means for table in tables)
        kinds = "variances, covariances and means" if means else "variances and covariances"
        variables = len(dict.fromkeys(name for table in tables for name in table.observed))
        message = (
            f"The model asks for {q} parameters, but {variables} variables give only {moments} {kinds}. "
            "Remove paths or covariances, fix parameters, or add indicators."
        )
        paths = tuple(p.key for p in everything if p.kind == "path" and p.free)[::-1]
        about = tuple(key.words for key in paths)
        return [Problem("too_many_parameters", "error", message, about, parameters=paths)]
    if q == 0:
        return []
    model = lay_out_all(tables)
    rng = np.random.default_rng(7)
    best: tuple[int, Array] | None = None
    for _ in range(2):
        theta = rng.uniform(0.3, 0.9, q)
        for parameter in everything:
            if parameter.index is not None and parameter.kind == "variance":
                theta[parameter.index] = rng.uniform(1.0, 2.0)
            elif parameter.index is not None and parameter.kind == "covariance":
                theta[parameter.index] = rng.uniform(0.1, 0.3)
        grams = [information(block, theta, np.eye(len(block.table.observed))) for block in model.blocks]
        gram: Array = np.sum(grams, axis=0)
        size = np.sqrt(np.diag(gram))
        size = np.where(size > 1e-12, size, 1.0)
        values, vectors = np.linalg.eigh(gram / np.outer(size, size))
        null = vectors[:, values < 1e-11 * max(values[-1], 1.0)]
        if null.shape[1] == 0:
            return []
        if best is None or null.shape[1] < best[0]:
            best = (null.shape[1], null)
    assert best is not None
    missing, null = best
    keys = [key for key, weight in zip(free_keys(tables), np.abs(null).max(axis=1), strict=True) if weight > 1e-4]
    names = [key.words for key in keys]
    message = (
        f"The model is not identified: {listed(names)} cannot be told apart by any data. "
        f"Fix {'one of them' if missing == 1 else f'{missing} of them'}, remove a path or covariance, or add indicators."
    )
    return [Problem("not_identified", "error", message, tuple(names[:12]), parameters=tuple(keys[:12]))]


def discrepancy_of(model: CompiledModel, evidence: Sequence[Evidence], estimator: Estimator) -> Discrepancy:
    """The discrepancy of the evidence on every block as a batch of one. Raises SingularMomentsError where an S or its weights are
    singular."""
    discrepancy, usable = estimator.joined([own.samples() for own in evidence], model, shares_of(evidence))
    if not usable.all():
        raise SingularMomentsError("moments" if estimator.needs_cases else "sample")
    return discrepancy


def estimate(
    tables: Sequence[ParameterTable],
    evidence: Sequence[Evidence],
    estimator: Estimator = MAXIMUM_LIKELIHOOD,
    errors: Errors = "expected",
) -> Estimation:
    """Estimates of a model from the evidence on each of its groups, in the order of `table.observed`.

    `errors` says where the errors come from; robust ones need cases. They are nan where the information is singular.
    Raises SingularMomentsError where the sample or the estimator's weights are singular.
    """
    model, evidence = lay_out_all(tables), tuple(evidence)
    discrepancy = discrepancy_of(model, evidence, estimator)
    start = starting_values(model, evidence)
    minima = search(model, discrepancy, start, min(own.n for own in evidence))
    solution = estimator.settle(model, evidence, minima.solution, start)
    solution = replace(solution, theta=align_signs(model, solution.theta))
    point = Point(model, solution.theta, evidence, discrepancy)
    covariance = np.full((model.n_free, model.n_free), np.nan)
    if solution.converged and model.n_free:
        covariance = estimator.covariance(point, errors)
    statistic = estimator.statistic(point, solution.discrepancy, errors) if solution.converged else np.nan
    return Estimation(estimator, errors, point, solution, covariance, statistic, minima.minima, minima.falls_lower)
