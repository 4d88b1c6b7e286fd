"""The model-implied covariance matrix and means with their derivatives, all batched."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import MATRICES, Block
from dusk_arrow.core.covariance.parameters import Matrix
from dusk_arrow.core.linear_algebra import Array, resolvent, slices

Numbers = NDArray[Any]


class Matrices(NamedTuple):
    """Λ (…, p, m), B (…, m, m), Ψ (…, m, m), Θ (…, p, p), ν (…, p, 1) and α (…, m, 1)."""

    loading: Numbers
    effect: Numbers
    node: Numbers
    residual: Numbers
    intercept: Numbers
    mean: Numbers


class Implied(NamedTuple):
    """Σ (…, p, p), the covariance C (…, m, m) of the nodes, and Λ(I−B)⁻¹ (…, p, m)."""

    covariance: Numbers
    nodes: Numbers
    through: Numbers
    inverse: Numbers


def all_values(model: Block, theta: Numbers) -> Numbers:
    """Every parameter's value (…, n) from the free values θ (…, q)."""
    result = np.broadcast_to(model.values, (*theta.shape[:-1], model.values.size)).astype(theta.dtype)
    result[..., model.free] = theta[..., model.slots]
    return result


def matrix(model: Block, name: Matrix, theta: Numbers) -> Numbers:
    """One of the matrices for a batch of free values θ (…, q), real or complex."""
    lead, base, cells = theta.shape[:-1], model.base[name], model.cells[name]
    if cells.fill.size == 0:
        return np.broadcast_to(base, (*lead, *base.shape))
    flat = np.empty((*lead, base.size), dtype=theta.dtype)
    flat[...] = base.ravel()
    flat[..., cells.fill] = theta[..., cells.fill_slots]
    return flat.reshape(*lead, *base.shape)


def matrices(model: Block, theta: Numbers) -> Matrices:
    """All of them."""
    return Matrices(*(matrix(model, name, theta) for name in MATRICES))


def residual_variances(model: Block, theta: Numbers) -> Numbers:
    """The diagonal (…, p) of Θ for free values θ (…, q)."""
    cells = model.cells["residual"]
    own = cells.rows == cells.columns
    found = np.empty((*theta.shape[:-1], model.base["residual"].shape[0]), dtype=theta.dtype)
    found[...] = np.diagonal(model.base["residual"])
    found[..., cells.rows[own]] = theta[..., cells.slots[own]]
    return found


def residuals_covary(model: Block) -> bool:
    """Whether Θ has more than its diagonal."""
    cells, base = model.cells["residual"], model.base["residual"]
    return bool((cells.rows != cells.columns).any() or np.count_nonzero(base - np.diag(np.diagonal(base))))


def implied(parts: Matrices) -> Implied:
    """Σ = Λ(I−B)⁻¹Ψ(I−B)⁻ᵀΛᵀ + Θ and what it is made of.

    Raises LinAlgError where I−B is singular.
    """
    identity = np.eye(parts.effect.shape[-1])
    inverse = np.linalg.inv(identity - parts.effect)
    nodes = inverse @ parts.node @ np.swapaxes(inverse, -1, -2)
    through = parts.loading @ inverse
    whole = parts.loading @ nodes @ np.swapaxes(parts.loading, -1, -2) + parts.residual
    return Implied(whole, nodes, through, inverse)


class Spread(NamedTuple):
    """Variances that a model implies, without Σ: Ψ and C (…, m, m) of the nodes, the variances (…, p) of observed variables and of
    their residuals, and Θ (…, p, p) where residuals covary."""

    own: Numbers
    nodes: Numbers
    observed: Numbers
    residual: Numbers
    crossed: Numbers | None


def spread(model: Block, theta: Numbers) -> Spread:
    """The variances at free values θ (…, q), real or complex. Raises LinAlgError where I−B is singular."""
    own, loading = matrix(model, "node", theta), matrix(model, "loading", theta)
    inverse = resolvent(matrix(model, "effect", theta), model.steps)
    nodes = inverse @ own @ np.swapaxes(inverse, -1, -2)
    residual = residual_variances(model, theta)
    observed = ((loading @ nodes) * loading).sum(axis=-1) + residual
    return Spread(own, nodes, observed, residual, matrix(model, "residual", theta) if residuals_covary(model) else None)


def implied_means(parts: Matrices, found: Implied) -> tuple[Numbers, Numbers]:
    """μ = ν + Λ(I−B)⁻¹α (…, p) and the means (…, m) of the nodes."""
    nodes = (found.inverse @ parts.mean)[..., 0]
    return parts.intercept[..., 0] + (parts.loading @ nodes[..., None])[..., 0], nodes


def derivative_factors(model: Block, parts: Matrices, found: Implied) -> tuple[Array, Array]:
    """U and V (…, p, r) with ∂Σ/∂(free parameter k) = u_k v_kᵀ + v_k u_kᵀ, in the order of `model.free`."""
    p = len(model.table.observed)
    shape = (*found.covariance.shape[:-2], p, model.free.size)
    u, v = np.zeros(shape), np.zeros(shape)
    loaded = parts.loading @ found.nodes
    for name in MATRICES[:4]:
        cells = model.cells[name]
        place = np.searchsorted(model.free, cells.positions)
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


def mean_derivatives(model: Block, parts: Matrices, found: Implied) -> Array:
    """∂μ/∂(free parameter k) (…, p, r), in the order of `model.free`."""
    result = np.zeros((*found.covariance.shape[:-2], len(model.table.observed), model.free.size))
    _, nodes = implied_means(parts, found)
    for name in MATRICES:
        cells = model.cells[name]
        place = np.searchsorted(model.free, cells.positions)
        if name == "loading":
            result[..., cells.rows, place] = nodes[..., cells.columns]
        elif name == "effect":
            result[..., :, place] = found.through[..., :, cells.rows] * nodes[..., None, cells.columns]
        elif name == "intercept":
            result[..., cells.rows, place] = 1.0
        elif name == "mean":
            result[..., :, place] = found.through[..., :, cells.rows]
    return result


def sum_slots(model: Block, values: Numbers, slots: NDArray[np.intp]) -> Numbers:
    """Values (…, f) brought to their slots (…, q); those of equal parameters are added."""
    total = np.zeros((*values.shape[:-1], model.n_free), dtype=values.dtype)
    if model.tied:
        for position, slot in enumerate(slots.tolist()):
            total[..., slot] += values[..., position]
    else:
        total[..., slots] = values
    return total


def to_slots(model: Block, full: Numbers) -> Numbers:
    """A form over the free parameters (…, r, r) as one over the free values (…, q, q)."""
    by_row = sum_slots(model, full, model.slots)
    return sum_slots(model, np.swapaxes(by_row, -1, -2), model.slots)


Factors = tuple[Array, Array]


def quadratic_form(left: Factors, right: Factors, first: Array, second: Array | None = None) -> Array:
    """½ tr(A ∂ₖΣ B ∂ₗΣ) (…, r, s) from derivative factors (…, p, r) and (…, p, s), weights A, B (…, p, p); B is A unless
    given."""
    u, v = (np.swapaxes(part, -1, -2) for part in left)
    a_s, a_t = first @ right[0], first @ right[1]
    v_as, v_at, u_as, u_at = v @ a_s, v @ a_t, u @ a_s, u @ a_t
    if second is None:
        result: Array = v_as * u_at + v_at * u_as
        return result
    b_s, b_t = second @ right[0], second @ right[1]
    mixed: Array = ((v @ b_s) * u_at + (v @ b_t) * u_as + (u @ b_s) * v_at + (u @ b_t) * v_as) / 2
    return mixed


def quadratic_diagonal(factors: Factors, first: Array, second: Array | None = None) -> Array:
    """½ tr(A ∂ₖΣ B ∂ₖΣ) (…, r)."""
    u, v = factors
    a_u, a_v = first @ u, first @ v
    uv, uu, vv = (v * a_u).sum(axis=-2), (u * a_u).sum(axis=-2), (v * a_v).sum(axis=-2)
    if second is None:
        result: Array = uv**2 + uu * vv
        return result
    b_u, b_v = second @ u, second @ v
    mixed: Array = uv * (v * b_u).sum(axis=-2) + (uu * (v * b_v).sum(axis=-2) + vv * (u * b_u).sum(axis=-2)) / 2
    return mixed


def information(model: Block, theta: Array, weight: Array | None = None) -> Array:
    """Expected information per case (…, q, q): ½ tr(W ∂Σ W ∂Σ) + ∂μᵀ W ∂μ, W = Σ⁻¹ unless given.

    With W the identity it is the Gram matrix of the Jacobian of Σ (and μ), whose rank decides identification.
    """
    parts = matrices(model, theta)
    found = implied(parts)
    u, v = derivative_factors(model, parts, found)
    if weight is None:
        weight = np.linalg.inv(found.covariance)
    full = quadratic_form((u, v), (u, v), weight)
    if model.means:
        slopes = mean_derivatives(model, parts, found)
        full = full + np.swapaxes(slopes, -1, -2) @ weight @ slopes
    return to_slots(model, full)


def gradient_of(
    model: Block, parts: Matrices, found: Implied, omega: Numbers, omega_mean: Numbers | None = None
) -> Numbers:
    """Gradient (…, q) of any F with dF = tr(Ω dΣ) + ωᵀdμ, Ω symmetric (…, p, p), ω (…, p)."""
    transposed = np.swapaxes(parts.loading, -1, -2)
    weighted = omega @ parts.loading
    back = np.swapaxes(found.inverse, -1, -2) @ (transposed @ weighted)
    by_matrix: dict[Matrix, Numbers] = {
        "loading": 2.0 * (weighted @ found.nodes),
        "effect": 2.0 * (back @ found.nodes),
        "node": back @ found.inverse,
        "residual": omega,
    }
    if model.means and omega_mean is not None:
        column = omega_mean[..., None]
        into = np.swapaxes(found.through, -1, -2) @ column
        nodes = np.swapaxes(found.inverse @ parts.mean, -1, -2)
        by_matrix["loading"] = by_matrix["loading"] + column @ nodes
        by_matrix["effect"] = by_matrix["effect"] + into @ nodes
        by_matrix |= {"intercept": column, "mean": into}
    return _collect(model, by_matrix, omega.shape[:-2])


def add_derivatives(model: Block, total: Numbers, name: Matrix, derivatives: Numbers) -> None:
    """Writes the derivatives by one whole matrix to the free values (…, q) that stand in it."""
    cells = model.cells[name]
    if cells.flat.size == 0:
        return
    values = derivatives.reshape(*derivatives.shape[:-2], -1)[..., cells.flat] * cells.twice
    put(model, total, values, cells.slots)


def put(model: Block, total: Numbers, values: Numbers, slots: NDArray[np.intp]) -> None:
    """Writes values (…, f) to their slots of all free values (…, q); where parameters are equal they are added."""
    if model.tied:
        total += sum_slots(model, values, slots)
    else:
        total[..., slots] = values


def _collect(model: Block, by_matrix: dict[Matrix, Numbers], lead: tuple[int, ...]) -> Numbers:
    """Derivatives by whole matrices brought to the free values (…, q)."""
    total = np.zeros((*lead, model.n_free), dtype=by_matrix["residual"].dtype)
    for name, derivatives in by_matrix.items():
        add_derivatives(model, total, name, derivatives)
    return total


STEP = 1e-20


def second_derivatives(model: Block, theta: Array, omega: Array, omega_mean: Array | None) -> Array:
    """tr(Ω ∂ₖ∂ₗΣ) + ωᵀ∂ₖ∂ₗμ (q, q) at θ (q,) for fixed Ω and ω, by complex steps through the gradient."""
    rows = [
        _second_rows(model, theta + 1j * STEP * np.eye(theta.size)[begin:end], omega, omega_mean)
        for begin, end in slices(theta.size, omega.size)
    ]
    found: Array = np.concatenate(rows)
    return (found + found.T) / 2


def _second_rows(model: Block, steps: Numbers, omega: Array, omega_mean: Array | None) -> Array:
    """The rows that belong to some complex steps (k, q)."""
    parts = matrices(model, steps)
    identity = np.eye(parts.effect.shape[-1])
    inverse = np.linalg.inv(identity - parts.effect)
    nodes = inverse @ parts.node @ np.swapaxes(inverse, -1, -2)
    lead = np.broadcast_to(omega.astype(complex), (steps.shape[0], *omega.shape))
    found = Implied(lead, nodes, parts.loading @ inverse, inverse)
    shift = None
    if omega_mean is not None:
        shift = np.broadcast_to(omega_mean.astype(complex), (steps.shape[0], omega_mean.size))
    rows: Array = gradient_of(model, parts, found, lead, shift).imag / STEP
    return rows
