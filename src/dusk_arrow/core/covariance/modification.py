"""Modification indices: what freeing one more parameter would do, by score tests at the solution."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    derivative_factors,
    gradient_of,
    implied,
    lay_out,
    matrices,
)
from dusk_arrow.core.covariance.parameters import Parameter, ParameterTable
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Modification:
    """One parameter that is not free: by how much χ² would fall (`index`, about χ² with 1 df) and where the parameter
    would go from its fixed value (`expected_change`; `standardized_change` in SDs implied by the model)."""

    parameter: Parameter
    index: float
    expected_change: float
    standardized_change: float


def candidates(table: ParameterTable) -> list[Parameter]:
    """Omitted loadings, paths, residual and disturbance covariances, and parameters that a sentence fixed."""
    there = {(p.matrix, p.row, p.column) for p in table.parameters}
    there |= {(p.matrix, p.column, p.row) for p in table.parameters if p.matrix in ("node", "residual")}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    composites = {c.name for c in table.constructs if c.mode == "formative"}
    found = [p for p in table.parameters if p.why_fixed == "fixed by a sentence"]
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
    return found


def _extended(table: ParameterTable, extra: list[Parameter]) -> CompiledModel:
    kept = [p for p in table.parameters if p not in extra]
    q = table.n_free
    freed = [replace(p, value=None, index=q + k) for k, p in enumerate(extra)]
    return lay_out(replace(table, parameters=(*kept, *freed)))


def _standardized(table: ParameterTable, parameter: Parameter, change: float, nodes: Array, covariance: Array) -> float:
    sd_node, sd_observed = np.sqrt(np.diag(nodes)), np.sqrt(np.diag(covariance))
    row, column = parameter.row, parameter.column
    if parameter.matrix == "loading":
        return float(change * sd_node[column] / sd_observed[row])
    if parameter.matrix == "effect":
        return float(change * sd_node[column] / sd_node[row])
    sd = sd_node if parameter.matrix == "node" else sd_observed
    return float(change / (sd[row] * sd[column]))


def modification_indices(
    table: ParameterTable, theta: Array, sample: Array, multiplier: float, least: float = 3.84
) -> list[Modification]:
    """Indices of at least `least`, the largest first (Sörbom 1989; expected change: Saris, Satorra & Sörbom 1987).

    With s the score of the parameter and J its information given the free ones, the index is s²/J and the expected
    change s/J. Parameters that could not be identified beside the free ones are left out.
    """
    extra = candidates(table)
    if not extra:
        return []
    model = _extended(table, extra)
    q = table.n_free
    values = np.concatenate([theta, [p.value or 0.0 for p in extra]])
    parts = matrices(model, values)
    found = implied(parts)
    inverse = np.linalg.inv(found.covariance)
    gradient = gradient_of(model, parts, found, inverse - inverse @ sample @ inverse)[q:]
    u, v = derivative_factors(model, parts, found)
    wu, wv = inverse @ u, inverse @ v
    new = model.slots >= q
    cross_old = v[:, ~new].T @ wu, wu[:, ~new].T @ v
    mixed_old = (v[:, ~new].T @ wv) * (u[:, ~new].T @ wu)
    with_old = cross_old[0] * cross_old[1] + mixed_old
    own = np.einsum("pk,pk->k", v, wu) ** 2 + np.einsum("pk,pk->k", v, wv) * np.einsum("pk,pk->k", u, wu)
    slots = model.slots[~new]
    order = np.argsort(model.slots[new])
    inner, between = np.zeros((q, q)), np.zeros((order.size, q))
    np.add.at(inner, (slots[:, None], slots[None, :]), with_old[:, ~new])
    np.add.at(between.T, slots, with_old[:, new][:, order])
    own = own[new][order]
    size = np.sqrt(np.maximum(np.diag(inner), 1e-300))
    weights = np.linalg.lstsq(inner / np.outer(size, size), (between / size).T, rcond=1e-12)[0]
    left = own - np.einsum("rq,qr->r", between / size, weights)
    result = []
    for k, parameter in enumerate(extra):
        if left[k] <= 1e-8 * own[k]:
            continue
        index = float(multiplier * gradient[k] ** 2 / (4 * left[k]))
        change = float(-gradient[k] / (2 * left[k]))
        if index >= least:
            standardized = _standardized(table, parameter, change, found.nodes, found.covariance)
            result.append(Modification(parameter, index, change, standardized))
    return sorted(result, key=lambda m: -m.index)
