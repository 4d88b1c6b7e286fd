"""Starting values that are near enough to the solution for a handful of iterations."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.evidence import Evidence


def _one_factor(correlation: Array) -> Array:
    """Loadings (k,) of the first common factor of a block with communalities of ½, the largest sum positive."""
    k = correlation.shape[0]
    if k == 1:
        return np.ones(1)
    reduced = correlation.copy()
    np.fill_diagonal(reduced, 0.5)
    values, vectors = np.linalg.eigh(reduced)
    loading = vectors[:, -1] * np.sqrt(max(values[-1], 0.05))
    loading = np.clip(loading, -0.95, 0.95)
    loading = np.where(np.abs(loading) < 0.1, 0.1, loading)
    return loading if loading.sum() >= 0 else -loading


def _node_weights(table: ParameterTable, correlation: Array, sd: Array) -> tuple[Array, Array]:
    """Weights (p, m) that turn observed into node scores with the right covariances, and loadings (p, m)."""
    p, m = len(table.observed), len(table.nodes)
    at = {name: i for i, name in enumerate(table.observed)}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    loading, weight = np.zeros((p, m)), np.zeros((p, m))
    for name in table.nodes:
        if name in at:
            loading[at[name], node_at[name]] = weight[at[name], node_at[name]] = 1.0
    pending = list(table.constructs)
    for _ in range(len(pending)):
        for construct in list(pending):
            column = node_at[construct.name]
            direct = [at[n] for n in construct.indicators if n in at]
            inner = [n for n in construct.indicators if n in node_at and n not in at]
            if any(c.name in inner for c in pending):
                continue
            pending.remove(construct)
            if construct.mode == "formative":
                weight[direct, column] = 1.0 / sd[direct]
                continue
            if direct:
                found = _one_factor(correlation[np.ix_(direct, direct)])
                loading[direct, column] = found * sd[direct]
                weight[direct, column] = found / sd[direct] / (found @ found)
            for name in inner:
                weight[:, column] += weight[:, node_at[name]] / len(inner)
    return weight, loading


def _node_covariance(table: ParameterTable, sample: Array, weight: Array, loading: Array) -> Array:
    """A positive definite guess (m, m) at the covariances of the nodes."""
    guess: Array = weight.T @ sample @ weight
    node_at = {name: i for i, name in enumerate(table.nodes)}
    for construct in table.constructs:
        if construct.mode == "reflective" and not any(n in node_at for n in construct.indicators):
            guess[node_at[construct.name], node_at[construct.name]] = 1.0
    sd = np.sqrt(np.maximum(np.diag(guess), 1e-12))
    correlation = np.clip(guess / np.outer(sd, sd), -0.9, 0.9)
    np.fill_diagonal(correlation, 1.0)
    smallest = float(np.linalg.eigvalsh(correlation)[0])
    if smallest < 0.05:
        correlation = (correlation + (0.05 - smallest) * np.eye(len(sd))) / (1.05 - smallest)
    result: Array = correlation * np.outer(sd, sd)
    return result


def starting_values(model: CompiledModel, evidence: Sequence[Evidence]) -> Array:
    """Free values (q,) to start from, given the evidence on every block. What several blocks share begins at the mean of what
    each would begin with."""
    raw, count = np.zeros(model.n_free), np.zeros(model.n_free)
    for block, own in zip(model.blocks, evidence, strict=True):
        values = _raw(block.table, own.covariance, own.means if block.means else None)
        last = dict(zip(block.slots.tolist(), values[block.free].tolist(), strict=True))  # of equal ones the last
        slots = np.array(list(last), dtype=np.intp)
        raw[slots] += list(last.values())
        count[slots] += 1
    found: Array = raw / np.maximum(count, 1)
    for parameter in (p for block in model.blocks for p in block.table.parameters):
        if parameter.index is not None and parameter.start is not None:
            found[parameter.index] = parameter.start
    return found


def _raw(table: ParameterTable, sample: Array, means: Array | None) -> Array:
    """Values (n,) of all parameters of one block to start from, of its covariances (p, p) and means (p,).

    Loadings come from one factor per block, covariances of the nodes from weighted composites, paths from
    regressions among them; then everything is brought to the scale that the fixed values set.
    """
    sd_observed = np.sqrt(np.diag(sample))
    weight, loading = _node_weights(table, correlation_from(sample), sd_observed)
    nodes = _node_covariance(table, sample, weight, loading)
    at = {name: i for i, name in enumerate(table.observed)}
    scale = np.ones(len(table.nodes))
    raw = np.zeros(len(table.parameters))
    into: dict[int, list[int]] = {}
    for parameter in table.parameters:
        if parameter.matrix == "effect":
            into.setdefault(parameter.row, []).append(parameter.column)
    effect = np.zeros_like(nodes)
    disturbance = np.diag(nodes).copy()
    for row, columns in into.items():
        effect[row, columns] = np.linalg.solve(nodes[np.ix_(columns, columns)], nodes[columns, row])
        explained = effect[row, columns] @ nodes[columns, row]
        disturbance[row] = max(nodes[row, row] - explained, 0.1 * nodes[row, row])
    for parameter in table.parameters:
        if parameter.value and parameter.kind == "loading" and parameter.matrix == "loading":
            scale[parameter.column] = loading[at[parameter.target], parameter.column] / parameter.value
        elif parameter.value and parameter.kind == "weight":
            scale[parameter.row] = parameter.value * sd_observed[at[parameter.source]]
        elif parameter.value and parameter.kind == "variance" and parameter.matrix == "node":
            current = disturbance[parameter.row]
            scale[parameter.row] = np.sqrt(abs(parameter.value) / current) if current > 0 else 1.0
    for parameter in table.parameters:
        if parameter.value and parameter.kind == "loading" and parameter.matrix == "effect":
            source = effect[parameter.row, parameter.column] * scale[parameter.row]
            scale[parameter.column] = source / parameter.value if abs(source) > 1e-8 else 1.0
    for i, parameter in enumerate(table.parameters):
        row, column = parameter.row, parameter.column
        if parameter.matrix == "loading":
            raw[i] = loading[row, column] / scale[column]
        elif parameter.kind == "weight":
            raw[i] = scale[row] / sd_observed[at[parameter.source]]
        elif parameter.matrix == "effect":
            raw[i] = effect[row, column] * scale[row] / scale[column]
        elif parameter.matrix == "node" and row == column:
            raw[i] = disturbance[row] * scale[row] ** 2
        elif parameter.matrix == "node":
            exogenous = row not in into and column not in into
            raw[i] = nodes[row, column] * scale[row] * scale[column] if exogenous else 0.0
        elif row == column:
            explained = (loading[row] ** 2).sum()
            raw[i] = max(sample[row, row] - explained, 0.2 * sample[row, row])
    if table.means and means is not None:
        _start_means(table, raw, means)
    return raw


def _start_means(table: ParameterTable, raw: Array, means: Array) -> None:
    """Writes intercepts and means into `raw` (n,) that reproduce the observed means exactly where they are free."""
    at = {name: i for i, name in enumerate(table.observed)}
    p, m = len(table.observed), len(table.nodes)
    effect, loading, origin = np.zeros((m, m)), np.zeros((p, m)), np.zeros(m)
    for i, parameter in enumerate(table.parameters):
        value = raw[i] if parameter.value is None else parameter.value
        if parameter.matrix == "effect":
            effect[parameter.row, parameter.column] = value
        elif parameter.matrix == "loading":
            loading[parameter.row, parameter.column] = value
        elif parameter.matrix == "mean" and parameter.value is not None:
            origin[parameter.row] = parameter.value
    known = np.array([i for i, name in enumerate(table.nodes) if name in at], dtype=np.intp)
    hidden = np.array([i for i, name in enumerate(table.nodes) if name not in at], dtype=np.intp)
    nodes = np.zeros(m)
    nodes[known] = means[[at[table.nodes[i]] for i in known]]
    inner = np.eye(hidden.size) - effect[np.ix_(hidden, hidden)]
    nodes[hidden] = np.linalg.lstsq(inner, origin[hidden] + effect[np.ix_(hidden, known)] @ nodes[known], rcond=None)[0]
    for i, parameter in enumerate(table.parameters):
        if parameter.matrix == "mean":
            raw[i] = nodes[parameter.row] - effect[parameter.row] @ nodes
        elif parameter.matrix == "intercept":
            raw[i] = means[parameter.row] - loading[parameter.row] @ nodes
