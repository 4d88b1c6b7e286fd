"""Fitting one model to one sample: solution, errors and what is wrong with it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.covariance.implied import CompiledModel, implied, information, lay_out, matrices
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.covariance.robust import Errors, parameter_covariance
from dusk_arrow.core.covariance.signs import align_signs
from dusk_arrow.core.covariance.solver import Solution, solve
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.problems import Problem, listed


@dataclass(frozen=True)
class Estimation:
    """A fitted model: Σ (p, p), node covariances C (m, m), covariance (q, q) of θ (nan when not identified)."""

    model: CompiledModel
    solution: Solution
    implied: Array
    nodes: Array
    covariance: Array
    multiplier: float


def identification(table: ParameterTable) -> list[Problem]:
    """Problems of a model that cannot be estimated whatever the data: too many parameters, or undetermined ones.

    The rank of the Jacobian of Σ is taken at random points (seeded); parameters with weight in its null space
    are named. The verdict is about the model, not about one sample.
    """
    p, q = len(table.observed), table.n_free
    moments = p * (p + 1) // 2
    if q > moments:
        message = (
            f"The model asks for {q} parameters, but {p} variables give only {moments} variances and covariances. "
            "Remove paths or covariances, fix parameters, or add indicators."
        )
        return [Problem("too_many_parameters", "error", message)]
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
    names = [word for word, weight in zip(table.free_words(), np.abs(null).max(axis=1), strict=True) if weight > 1e-4]
    message = (
        f"The model is not identified: {listed(names)} cannot be told apart by any data. "
        f"Fix {'one of them' if missing == 1 else f'{missing} of them'}, remove a path or covariance, or add indicators."
    )
    return [Problem("not_identified", "error", message, tuple(names[:12]))]


def estimate(
    table: ParameterTable,
    sample: Array,
    multiplier: float,
    errors: Errors = "expected",
    values: Array | None = None,
) -> Estimation:
    """Maximum likelihood estimates for a sample covariance matrix (p, p) in the order of `table.observed`.

    `multiplier` is what F is multiplied with for χ² and for the errors: N or N−1. `errors` says where the errors
    come from; robust ones need the complete cases `values` (n, p). They are nan where the information is singular.
    """
    model = lay_out(table)
    solution = solve(model, sample)
    solution = replace(solution, theta=align_signs(model, solution.theta))
    found = implied(matrices(model, solution.theta))
    q = model.n_free
    covariance = np.full((q, q), np.nan)
    if solution.converged and q:
        covariance = parameter_covariance(model, solution.theta, sample, multiplier, errors, values)
    return Estimation(model, solution, found.covariance, found.nodes, covariance, multiplier)
