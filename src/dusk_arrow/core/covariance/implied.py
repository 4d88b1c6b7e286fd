"""The model-implied covariance matrix, its derivatives and the maximum likelihood discrepancy, all batched."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.parameters import Matrix, ParameterTable
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, log_determinant

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


@dataclass(frozen=True)
class CompiledModel:
    """A parameter table laid out as index arrays, so that a batch of values becomes matrices in four steps.

    `values` holds the fixed values (n,), `free` the positions of free parameters (r,), `slots` the index among
    the free values θ (r,) for each of them: equal parameters share a slot.
    """

    table: ParameterTable
    values: Array
    free: NDArray[np.intp]
    slots: NDArray[np.intp]
    cells: dict[Matrix, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]]
    ones: tuple[NDArray[np.intp], NDArray[np.intp]]

    @property
    def n_free(self) -> int:
        """The number of free values q."""
        return int(self.slots.max()) + 1 if self.slots.size else 0


def lay_out(table: ParameterTable) -> CompiledModel:
    """The index arrays of a parameter table."""
    values = np.array([0.0 if p.value is None else p.value for p in table.parameters], dtype=float)
    free = np.array([i for i, p in enumerate(table.parameters) if p.index is not None], dtype=np.intp)
    slots = np.array([p.index for p in table.parameters if p.index is not None], dtype=np.intp)
    node_at = {name: i for i, name in enumerate(table.nodes)}
    ones = [(i, node_at[name]) for i, name in enumerate(table.observed) if name in node_at]
    pairs = np.array(ones, dtype=np.intp).reshape(-1, 2)
    return CompiledModel(
        table, values, free, slots, {m: table.positions(m) for m in MATRICES}, (pairs[:, 0], pairs[:, 1])
    )


def all_values(model: CompiledModel, theta: Numbers) -> Numbers:
    """Every parameter's value (…, n) from the free values θ (…, q)."""
    result = np.broadcast_to(model.values, (*theta.shape[:-1], model.values.size)).astype(theta.dtype)
    result[..., model.free] = theta[..., model.slots]
    return result


def matrices(model: CompiledModel, theta: Numbers) -> Matrices:
    """The four matrices for a batch of free values θ (…, q), real or complex."""
    values = all_values(model, theta)
    p, m = len(model.table.observed), len(model.table.nodes)
    shapes = {"loading": (p, m), "effect": (m, m), "node": (m, m), "residual": (p, p)}
    built: dict[str, Numbers] = {}
    for name in MATRICES:
        matrix = np.zeros((*theta.shape[:-1], *shapes[name]), dtype=theta.dtype)
        at, rows, columns = model.cells[name]
        matrix[..., rows, columns] = values[..., at]
        if name in ("node", "residual"):
            matrix[..., columns, rows] = values[..., at]
        built[name] = matrix
    built["loading"][..., model.ones[0], model.ones[1]] = 1.0
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
    """U and V (…, p, r) with ∂Σ/∂(free parameter k) = u_k v_kᵀ + v_k u_kᵀ, one column per free parameter."""
    p = len(model.table.observed)
    shape = (*found.covariance.shape[:-2], p, model.values.size)
    u, v = np.zeros(shape), np.zeros(shape)
    loaded = parts.loading @ found.nodes
    at, rows, columns = model.cells["loading"]
    u[..., rows, at] = 1.0
    v[..., :, at] = loaded[..., :, columns]
    at, rows, columns = model.cells["effect"]
    u[..., :, at] = found.through[..., :, rows]
    v[..., :, at] = loaded[..., :, columns]
    at, rows, columns = model.cells["node"]
    u[..., :, at] = found.through[..., :, rows]
    v[..., :, at] = found.through[..., :, columns] * np.where(rows == columns, 0.5, 1.0)
    at, rows, columns = model.cells["residual"]
    u[..., rows, at] = 1.0
    v[..., columns, at] = np.where(rows == columns, 0.5, 1.0)
    return u[..., :, model.free], v[..., :, model.free]


def _sum_slots(model: CompiledModel, values: Numbers) -> Numbers:
    """Sums over equal parameters along the last axis: (…, r) → (…, q)."""
    if model.slots.size == model.n_free:
        result: Numbers = values[..., np.argsort(model.slots)]
        return result
    total = np.zeros((*values.shape[:-1], model.n_free), dtype=values.dtype)
    for position, slot in enumerate(model.slots):
        total[..., slot] += values[..., position]
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
    ut, vt = np.swapaxes(u, -1, -2), np.swapaxes(v, -1, -2)
    wu, wv = weight @ u, weight @ v
    cross = vt @ wu
    full = cross * np.swapaxes(cross, -1, -2) + (vt @ wv) * (ut @ wu)
    return _sum_slots(model, np.swapaxes(_sum_slots(model, full), -1, -2))


def gradient_of(model: CompiledModel, parts: Matrices, found: Implied, omega: Numbers) -> Numbers:
    """Gradient (…, q) of any F with dF = tr(Ω dΣ), Ω symmetric (…, p, p)."""
    inner = np.swapaxes(parts.loading, -1, -2) @ omega
    by_matrix: dict[Matrix, Numbers] = {"residual": omega, "loading": 2.0 * omega @ parts.loading @ found.nodes}
    between = np.swapaxes(found.inverse, -1, -2) @ inner
    by_matrix["effect"] = 2.0 * between @ parts.loading @ found.nodes
    by_matrix["node"] = between @ parts.loading @ found.inverse
    values = np.zeros((*omega.shape[:-2], model.values.size), dtype=omega.dtype)
    for name, matrix in by_matrix.items():
        at, rows, columns = model.cells[name]
        twice = np.where(rows == columns, 1.0, 2.0) if name in ("node", "residual") else 1.0
        values[..., at] = matrix[..., rows, columns] * twice
    return _sum_slots(model, values[..., model.free])


def maximum_likelihood(
    model: CompiledModel, theta: Array, sample: Array, sample_log_determinant: Array
) -> tuple[Array, Array]:
    """F = ln|Σ| + tr(SΣ⁻¹) − ln|S| − p (…) and its gradient (…, q); F is infinite where Σ is not positive definite.

    Shapes: theta (…, q), sample (…, p, p), sample_log_determinant (…). Source: Jöreskog (1967).
    """
    parts = matrices(model, theta)
    found = implied(parts)
    factors, covariance, good = guarded_cholesky(found.covariance)
    inverse = np.linalg.inv(covariance)
    product = inverse @ sample
    value = log_determinant(factors) + np.trace(product, axis1=-2, axis2=-1) - sample_log_determinant
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
