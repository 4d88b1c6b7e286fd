"""Fitting one model to one sample: solution, errors and what is wrong with it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.covariance.discrepancies import Discrepancy
from dusk_arrow.core.covariance.evidence import Evidence, discrepancy_of
from dusk_arrow.core.covariance.implied import CompiledModel, implied, implied_means, information, lay_out, matrices
from dusk_arrow.core.covariance.least_squares import settled_solution
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.covariance.robust import Errors, model_statistic, parameter_covariance
from dusk_arrow.core.covariance.scales import align_signs
from dusk_arrow.core.covariance.search import search
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.covariance.starting import starting_values
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.problems import Problem, listed


@dataclass(frozen=True)
class Estimation:
    """A fitted model: Σ (p, p), μ (p,) where means are modelled, node covariances C (m, m), covariance (q, q) of θ (nan
    when not identified), the test statistic T, the different minima F that were found, and whether F fell below all of
    them without coming to rest."""

    model: CompiledModel
    discrepancy: Discrepancy
    solution: Solution
    implied: Array
    implied_means: Array | None
    nodes: Array
    covariance: Array
    statistic: float
    minima: tuple[float, ...] = ()
    falls_lower: bool = False


def identification(table: ParameterTable) -> list[Problem]:
    """Problems of a model that cannot be estimated whatever the data: too many parameters, or undetermined ones.

    The rank of the Jacobian of Σ is taken at random points (seeded); parameters with weight in its null space
    are named. The verdict is about the model, not about one sample.
    """
    p, q = len(table.observed), table.n_free
    moments = table.n_moments
    if q > moments:
        kinds = "variances, covariances and means" if table.means else "variances and covariances"
        message = (
            f"The model asks for {q} parameters, but {p} variables give only {moments} {kinds}. "
            "Remove paths or covariances, fix parameters, or add indicators."
        )
        paths = tuple(p.key for p in table.parameters if p.kind == "path" and p.free)[::-1]
        about = tuple(key.words for key in paths)
        return [Problem("too_many_parameters", "error", message, about, parameters=paths)]
    if q == 0:
        return []
    model = lay_out(table)
    rng = np.random.default_rng(7)
    best: tuple[int, Array] | None = None
    for _ in range(2):
        theta = rng.uniform(0.3, 0.9, q)
        for parameter in table.parameters:
            if parameter.index is not None and parameter.kind == "variance":
                theta[parameter.index] = rng.uniform(1.0, 2.0)
            elif parameter.index is not None and parameter.kind == "covariance":
                theta[parameter.index] = rng.uniform(0.1, 0.3)
        gram = information(model, theta, np.eye(p))
        size = np.sqrt(np.diag(gram))
        size = np.where(size > 1e-12, size, 1.0)
        values, vectors = np.linalg.eigh(gram / np.outer(size, size))
        null = vectors[:, values < 1e-11 * max(values[-1], 1.0)]
        if best is None or null.shape[1] < best[0]:
            best = (null.shape[1], null)
    assert best is not None
    missing, null = best
    if missing == 0:
        return []
    keys = [key for key, weight in zip(table.free_keys(), np.abs(null).max(axis=1), strict=True) if weight > 1e-4]
    names = [key.words for key in keys]
    message = (
        f"The model is not identified: {listed(names)} cannot be told apart by any data. "
        f"Fix {'one of them' if missing == 1 else f'{missing} of them'}, remove a path or covariance, or add indicators."
    )
    return [Problem("not_identified", "error", message, tuple(names[:12]), parameters=tuple(keys[:12]))]


def estimate(table: ParameterTable, evidence: Evidence, errors: Errors = "expected") -> Estimation:
    """Estimates of a model from evidence in the order of `table.observed`.

    `errors` says where the errors come from; robust ones need cases. They are nan where the information is singular.
    Raises SingularMomentsError where the sample or ADF's weights are singular.
    """
    model = lay_out(table)
    discrepancy = discrepancy_of(evidence)
    start = starting_values(table, evidence.covariance, evidence.means)
    found_minima = search(model, discrepancy, start, evidence.n)
    solution = found_minima.solution
    if evidence.estimator == "uls" and model.n_free:
        means = evidence.means if model.means else None
        solution = settled_solution(model, evidence.covariance, means, solution, start)
    solution = replace(solution, theta=align_signs(model, solution.theta))
    theta = solution.theta
    parts = matrices(model, theta)
    found = implied(parts)
    q = model.n_free
    covariance = np.full((q, q), np.nan)
    if solution.converged and q:
        covariance = parameter_covariance(model, theta, evidence, discrepancy, errors)
    statistic = model_statistic(model, theta, evidence, solution.discrepancy, errors) if solution.converged else np.nan
    means = implied_means(parts, found)[0] if model.means else None
    return Estimation(
        model, discrepancy, solution, found.covariance, means, found.nodes, covariance, statistic,
        found_minima.minima, found_minima.falls_lower,
    )  # fmt: skip
