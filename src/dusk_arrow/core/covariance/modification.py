"""Modification indices: what freeing one more parameter would do, by score tests at the solution."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations
from typing import NamedTuple

import numpy as np

from dusk_arrow.core.covariance.compiled import CompiledModel, lay_out_all
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.implied import information
from dusk_arrow.core.covariance.parameters import Parameter, ParameterTable, count_free
from dusk_arrow.core.covariance.point import Point
from dusk_arrow.core.covariance.robust import guarded_inverse
from dusk_arrow.core.family import Modification
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.parameter_key import HELD


def candidates(table: ParameterTable) -> list[Parameter]:
    """Omitted loadings, paths, residual and disturbance covariances, and parameters that a sentence fixed."""
    there = {(p.matrix, p.row, p.column) for p in table.parameters}
    there |= {(p.matrix, p.column, p.row) for p in table.parameters if p.matrix in ("node", "residual")}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    composites = {c.name for c in table.constructs if c.mode == "formative"}
    held = [p for p in table.parameters if p.why_fixed == HELD]
    found: list[Parameter] = []
    items = [(i, name) for i, name in enumerate(table.observed) if name not in node_at]
    for (i, first), (j, second) in combinations(items, 2):
        if ("residual", j, i) not in there:
            found.append(Parameter("covariance", first, second, "residual", j, i))
    for construct in table.constructs:
        column = node_at[construct.name]
        own = [name for name in construct.indicators if name not in node_at]
        if construct.mode == "reflective" and own:
            found += [
                Parameter("loading", construct.name, name, "loading", i, column)
                for i, name in items
                if ("loading", i, column) not in there
            ]
    endogenous = {p.row for p in table.parameters if p.matrix == "effect"} - {node_at[name] for name in composites}
    for target in sorted(endogenous):
        for source in table.structural:
            column = node_at[source]
            if column != target and ("effect", target, column) not in there:
                found.append(Parameter("path", source, table.nodes[target], "effect", target, column))
    for a, b in combinations(sorted(endogenous), 2):
        if ("node", a, b) not in there:
            found.append(Parameter("covariance", table.nodes[a], table.nodes[b], "node", b, a, role="disturbance"))
    return [*held, *(replace(p, group=table.group) for p in found)]


def tied(tables: Sequence[ParameterTable]) -> list[Parameter]:
    """Members of equalities, of one group or several, each of which could be released; of two equal parameters only the second."""
    equal: dict[int, list[Parameter]] = {}
    for parameter in (p for table in tables for p in table.parameters):
        if parameter.index is not None:
            equal.setdefault(parameter.index, []).append(parameter)
    return [p for members in equal.values() if len(members) > 1 for p in (members if len(members) > 2 else members[1:])]


def extend(tables: Sequence[ParameterTable], extra: list[Parameter]) -> CompiledModel:
    """The model with further free values after its own, each in the table of its group."""
    freed_ones = {id(p) for p in extra}
    q = count_free(tables)
    freed = [p.freed(q + k) for k, p in enumerate(extra)]
    wider = []
    for table in tables:
        kept = [p for p in table.parameters if id(p) not in freed_ones]
        wider.append(replace(table, parameters=(*kept, *(p for p in freed if p.group == table.group))))
    return lay_out_all(wider)


def _standardized(parameter: Parameter, change: float, nodes: Array, covariance: Array) -> float:
    sd_node, sd_observed = np.sqrt(np.diag(nodes)), np.sqrt(np.diag(covariance))
    row, column = parameter.row, parameter.column
    if parameter.matrix in ("intercept", "mean"):
        return float(change / (sd_observed if parameter.matrix == "intercept" else sd_node)[row])
    if parameter.matrix == "loading":
        return float(change * sd_node[column] / sd_observed[row])
    if parameter.matrix == "effect":
        return float(change * sd_node[column] / sd_node[row])
    sd = sd_node if parameter.matrix == "node" else sd_observed
    return float(change / (sd[row] * sd[column]))


def _released(point: Point, member: Parameter) -> tuple[CompiledModel, Array]:
    """One member of an equality with a value of its own: the model and its values (q+1,), the last being the member's."""
    q = point.model.n_free
    tables = [
        replace(table, parameters=tuple(replace(p, index=q) if p is member else p for p in table.parameters))
        for table in (block.table for block in point.model.blocks)
    ]
    return lay_out_all(tables), np.append(point.theta, point.theta[member.index])


class _Scores(NamedTuple):
    """Scores g (e,), their curvatures given the free values and alone (e,), and their variances where F is no χ²."""

    gradient: Array
    left: Array
    alone: Array
    variance: Array | None

    def indices_and_changes(self, multiplier: float) -> tuple[Array, Array]:
        """N·g²/(2H) and −g/H (e,); nan where the parameter could not be told from the free ones."""
        told = self.left > 1e-8 * np.abs(self.alone)
        spread = 2 * self.left
        if self.variance is not None:
            told &= self.variance > 1e-10 * np.abs(self.alone)
            spread = 4 * self.variance
        safe = np.where(told, spread, np.nan)
        return multiplier * self.gradient**2 / safe, -self.gradient / np.where(told, self.left, np.nan)


def _score_variance(point: Point, model: CompiledModel, values: Array, unit: float | None) -> Array | None:
    """Where all residuals weigh `unit`: the variance (q, q) of scores at values (q,) of a wider model, moments being those of
    normal data."""
    if unit is None:
        return None
    found = [
        one.share * information(block, values, unit**2 * one.covariance)
        for one, block in zip(point.blocks, model.blocks, strict=True)
    ]
    total: Array = np.sum(found, axis=0)
    return total


def _scores_of_fixed(point: Point, extra: list[Parameter], unit: float | None) -> _Scores | None:
    model = extend([block.table for block in point.model.blocks], extra)
    q = point.model.n_free
    values = np.concatenate([point.theta, [p.value or 0.0 for p in extra]])
    _, slopes = point.discrepancy.evaluate(model, values[None], ONLY)
    own, between, alone = point.discrepancy.extension(model, point.model, values)
    weights = guarded_inverse(own) @ between
    if np.isnan(weights).any():
        return None
    left = alone - np.einsum("qe,qe->e", between, weights)
    variance = None
    full = _score_variance(point, model, values, unit)
    if full is not None:  # of each score less what it leans on the first q ones
        lean = np.einsum("qe,qe->e", weights, full[:q, q:])
        variance = np.diag(full)[q:] - 2 * lean + (weights * (full[:q, :q] @ weights)).sum(axis=0)
    return _Scores(slopes[0, q:], left, alone, variance)


def _score_of_tied(point: Point, member: Parameter, unit: float | None) -> _Scores | None:
    q = point.model.n_free
    model, values = _released(point, member)
    _, gradient = point.discrepancy.evaluate(model, values[None], ONLY)
    apart = np.eye(q + 1)  # from the member's own value to its distance from the others
    apart[q, member.index] = 1.0
    curvature = apart.T @ point.discrepancy.score_curvature(model, values) @ apart
    weights = guarded_inverse(curvature[:q, :q]) @ curvature[:q, q:]
    if np.isnan(weights).any():
        return None
    left = curvature[q:, q] - (curvature[:q, q:] * weights).sum(axis=0)
    variance = None
    scores = _score_variance(point, model, values, unit)
    if scores is not None:
        full = apart.T @ scores @ apart
        lean = np.append(-weights[:, 0], 1.0)
        variance = np.array([lean @ full @ lean])
    return _Scores(gradient[0, q:], left, curvature[q:, q], variance)


def modification_indices(estimation: Estimation, least: float = 3.84) -> list[Modification]:
    """Indices of at least `least`, the largest first (Sörbom 1989; expected change: Saris, Satorra & Sörbom 1987).

    With g the derivative of F by the parameter and H its second derivative given the free ones, the index is
    N·g²/(2H) and the expected change −g/H; with missing answers H is observed, otherwise expected. For ULS the score
    is divided by its own variance. Parameters that could not be identified beside the free ones are left out.
    """
    point = estimation.point
    tables = [block.model.table for block in point.blocks]
    unit = estimation.estimator.score_unit(point)
    extra = [parameter for table in tables for parameter in candidates(table)]
    of_group = {block.model.table.group: block for block in point.blocks}
    scored = [(extra, _scores_of_fixed(point, extra, unit) if extra else None)]
    scored += [([member], _score_of_tied(point, member, unit)) for member in tied(tables)]
    result = []
    for parameters, scores in scored:
        if scores is None:
            continue
        indices, changes = scores.indices_and_changes(point.multiplier)
        for at in np.flatnonzero(indices >= least).tolist():
            parameter, change = parameters[at], float(changes[at])
            block = of_group[parameter.group]
            standardized = _standardized(parameter, change, block.found.nodes, block.covariance)
            release = parameter.free and parameter.index is not None
            residual = parameter.matrix == "residual"
            result.append(Modification(parameter.key, residual, release, float(indices[at]), change, standardized))
    return sorted(result, key=lambda m: -m.index)
