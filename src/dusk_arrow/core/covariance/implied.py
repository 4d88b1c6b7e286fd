"""The model-implied covariance matrix, its derivatives and the maximum likelihood discrepancy, all batched."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.parameters import Matrix, ParameterTable
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_from_cholesky, log_determinant

Numbers = NDArray[Any]
MATRICES: tuple[Matrix, ...] = ("loading", "effect", "node", "residual")


class Matrices(NamedTuple):
    """Λ (…, p, m), B (…, m, m), Ψ (…, m, m) and Θ (…, p, p)."""

    loading: Numbers
    effect: Numbers
    node: Numbers
    residual: Numbers


class Implied(NamedTuple):
    """Σ (…, p, p), the covariance C (…, m, m) of the nodes, and Λ(I−B)⁻¹ (…, p, m)."""

    covariance: Numbers
    nodes: Numbers
    through: Numbers
    inverse: Numbers


class Cells(NamedTuple):
    """Where the free parameters of one matrix stand, all arrays (f,) but the last two.

    `rows` and `columns` in the matrix, `flat` in its ravelled form, `slots` among the free values θ, `positions`
    among all parameters, `twice` how often each stands there (2 off the diagonal of a symmetric matrix);
    `fill` and `fill_slots` name every cell to be written, mirrored ones included.
    """

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    flat: NDArray[np.intp]
    slots: NDArray[np.intp]
    positions: NDArray[np.intp]
    twice: Array
    fill: NDArray[np.intp]
    fill_slots: NDArray[np.intp]


@dataclass(frozen=True)
class CompiledModel:
    """A parameter table laid out as index arrays, so that a batch of values becomes matrices in four steps.

    `values` holds the fixed values (n,), `free` the positions of free parameters (r,), `slots` the index among
    the free values θ (r,) for each of them: equal parameters share a slot. `base` holds each matrix with its fixed
    values alone, `cells` where its free ones stand, `tied` whether any slot is shared.
    """

    table: ParameterTable
    values: Array
    free: NDArray[np.intp]
    slots: NDArray[np.intp]
    base: dict[Matrix, Array]
    cells: dict[Matrix, Cells]
    n_free: int
    tied: bool


def _cells(table: ParameterTable, name: Matrix, width: int) -> Cells:
    chosen = [(i, p) for i, p in enumerate(table.parameters) if p.matrix == name and p.index is not None]
    rows = np.array([p.row for _, p in chosen], dtype=np.intp)
    columns = np.array([p.column for _, p in chosen], dtype=np.intp)
    slots = np.array([p.index for _, p in chosen], dtype=np.intp)
    flat = rows * width + columns
    mirrored = np.flatnonzero(rows != columns) if name in ("node", "residual") else np.zeros(0, dtype=np.intp)
    fill = np.concatenate([flat, columns[mirrored] * width + rows[mirrored]])
    twice = np.ones(rows.size)
    twice[mirrored] = 2.0
    positions = np.array([i for i, _ in chosen], dtype=np.intp)
    return Cells(rows, columns, flat, slots, positions, twice, fill, np.concatenate([slots, slots[mirrored]]))


def lay_out(table: ParameterTable) -> CompiledModel:
    """The index arrays of a parameter table."""
    values = np.array([0.0 if p.value is None else p.value for p in table.parameters], dtype=float)
    free = np.array([i for i, p in enumerate(table.parameters) if p.index is not None], dtype=np.intp)
    slots = np.array([p.index for p in table.parameters if p.index is not None], dtype=np.intp)
    p, m = len(table.observed), len(table.nodes)
    base: dict[Matrix, Array] = {
        "loading": np.zeros((p, m)),
        "effect": np.zeros((m, m)),
        "node": np.zeros((m, m)),
        "residual": np.zeros((p, p)),
    }
    for parameter in table.parameters:
        if parameter.value is not None:
            base[parameter.matrix][parameter.row, parameter.column] = parameter.value
            if parameter.matrix in ("node", "residual"):
                base[parameter.matrix][parameter.column, parameter.row] = parameter.value
    node_at = {name: i for i, name in enumerate(table.nodes)}
    for i, name in enumerate(table.observed):
        if name in node_at:
            base["loading"][i, node_at[name]] = 1.0
    cells = {name: _cells(table, name, base[name].shape[1]) for name in MATRICES}
    n_free = int(slots.max()) + 1 if slots.size else 0
    return CompiledModel(table, values, free, slots, base, cells, n_free, slots.size > n_free)


def all_values(model: CompiledModel, theta: Numbers) -> Numbers:
    """Every parameter's value (…, n) from the free values θ (…, q)."""
    result = np.broadcast_to(model.values, (*theta.shape[:-1], model.values.size)).astype(theta.dtype)
    result[..., model.free] = theta[..., model.slots]
    return result


def matrices(model: CompiledModel, theta: Numbers) -> Matrices:
    """The four matrices for a batch of free values θ (…, q), real or complex."""
    lead = theta.shape[:-1]
    built: dict[str, Numbers] = {}
    for name in MATRICES:
        base, cells = model.base[name], model.cells[name]
        flat = np.empty((*lead, base.size), dtype=theta.dtype)
        flat[...] = base.ravel()
        flat[..., cells.fill] = theta[..., cells.fill_slots]
        built[name] = flat.reshape(*lead, *base.shape)
    return Matrices(**built)


def implied(parts: Matrices) -> Implied:
    """Σ = Λ(I−B)⁻¹Ψ(I−B)⁻ᵀΛᵀ + Θ and what it is made of. Raises LinAlgError where I−B is singular."""
    identity = np.eye(parts.effect.shape[-1])
    inverse = np.linalg.inv(identity - parts.effect)
    nodes = inverse @ parts.node @ np.swapaxes(inverse, -1, -2)
    through = parts.loading @ inverse
    covariance = parts.loading @ nodes @ np.swapaxes(parts.loading, -1, -2) + parts.residual
    return Implied(covariance, nodes, through, inverse)


def derivative_factors(model: CompiledModel, parts: Matrices, found: Implied) -> tuple[Array, Array]:
    """U and V (…, p, r) with ∂Σ/∂(free parameter k) = u_k v_kᵀ + v_k u_kᵀ, in the order of `model.free`."""
    p = len(model.table.observed)
    shape = (*found.covariance.shape[:-2], p, model.free.size)
    u, v = np.zeros(shape), np.zeros(shape)
    at = {position: i for i, position in enumerate(model.free.tolist())}
    loaded = parts.loading @ found.nodes
    for name in MATRICES:
        cells = model.cells[name]
        place = [at[position] for position in cells.positions.tolist()]
        if name in ("loading", "residual"):
            u[..., cells.rows, place] = 1.0
        else:
            u[..., :, place] = found.through[..., :, cells.rows]
        if name in ("loading", "effect"):
            v[..., :, place] = loaded[..., :, cells.columns]
        elif name == "node":
            v[..., :, place] = found.through[..., :, cells.columns] * (cells.twice / 2)
        else:
            v[..., cells.columns, place] = cells.twice / 2
    return u, v


def _sum_slots(model: CompiledModel, values: Numbers, slots: NDArray[np.intp]) -> Numbers:
    """Values (…, f) brought to their slots (…, q); those of equal parameters are added."""
    total = np.zeros((*values.shape[:-1], model.n_free), dtype=values.dtype)
    if model.tied:
        for position, slot in enumerate(slots.tolist()):
            total[..., slot] += values[..., position]
    else:
        total[..., slots] = values
    return total


def information(model: CompiledModel, theta: Array, weight: Array | None = None) -> Array:
    """Expected information per case (…, q, q): ½ tr(W ∂Σ W ∂Σ), W = Σ⁻¹ unless given.

    With W the identity it is the Gram matrix of the Jacobian of Σ, whose rank decides identification.
    """
    parts = matrices(model, theta)
    found = implied(parts)
    u, v = derivative_factors(model, parts, found)
    if weight is None:
        weight = np.linalg.inv(found.covariance)
    wu, wv = weight @ u, weight @ v
    vt = np.swapaxes(v, -1, -2)
    cross = vt @ wu
    full = cross * np.swapaxes(cross, -1, -2) + (vt @ wv) * (np.swapaxes(u, -1, -2) @ wu)
    by_row = _sum_slots(model, full, model.slots)
    return _sum_slots(model, np.swapaxes(by_row, -1, -2), model.slots)


def gradient_of(model: CompiledModel, parts: Matrices, found: Implied, omega: Numbers) -> Numbers:
    """Gradient (…, q) of any F with dF = tr(Ω dΣ), Ω symmetric (…, p, p)."""
    weighted = omega @ parts.loading
    back = np.swapaxes(found.inverse, -1, -2) @ (np.swapaxes(parts.loading, -1, -2) @ weighted)
    by_matrix: dict[Matrix, Numbers] = {
        "loading": 2.0 * (weighted @ found.nodes),
        "effect": 2.0 * (back @ found.nodes),
        "node": back @ found.inverse,
        "residual": omega,
    }
    total = np.zeros((*omega.shape[:-2], model.n_free), dtype=omega.dtype)
    for name, matrix in by_matrix.items():
        cells = model.cells[name]
        values = matrix.reshape(*matrix.shape[:-2], -1)[..., cells.flat] * cells.twice
        if model.tied:
            total += _sum_slots(model, values, cells.slots)
        else:
            total[..., cells.slots] = values
    return total


def maximum_likelihood(
    model: CompiledModel, theta: Array, sample: Array, sample_log_determinant: Array
) -> tuple[Array, Array]:
    """F = ln|Σ| + tr(SΣ⁻¹) − ln|S| − p (…) and its gradient (…, q); F is infinite where Σ is not positive definite.

    Shapes: theta (…, q), sample (…, p, p), sample_log_determinant (…). Source: Jöreskog (1967).
    """
    parts = matrices(model, theta)
    found = implied(parts)
    factors, covariance, good = guarded_cholesky(found.covariance)
    inverse = inverse_from_cholesky(factors, covariance)
    product = inverse @ sample
    value = log_determinant(factors) + (inverse * sample).sum(axis=(-2, -1)) - sample_log_determinant
    omega = inverse - product @ inverse
    gradient = gradient_of(model, parts, found._replace(covariance=covariance), omega)
    return np.where(good, value - sample.shape[-1], np.inf), gradient


STEP = 1e-20


def hessian(model: CompiledModel, theta: Array, sample: Array) -> Array:
    """Second derivatives (q, q) of F at θ (q,) for one sample (p, p), by complex steps through the gradient."""
    steps = theta + 1j * STEP * np.eye(theta.size)
    parts = matrices(model, steps)
    found = implied(parts)
    inverse = np.linalg.inv(found.covariance)
    omega = inverse - inverse @ sample @ inverse
    rows: Array = gradient_of(model, parts, found, omega).imag / STEP
    return (rows + rows.T) / 2
