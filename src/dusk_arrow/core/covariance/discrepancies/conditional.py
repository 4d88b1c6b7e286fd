"""The normal likelihood through the constructs alone: no matrix of the size of the observed variables is inverted.

Observed variables either have a residual of their own that covaries with none (y), or are nodes themselves, without any (x). Given
x, y has the covariance Λ C* Λᵀ + Θ with C* = C − D C_xx⁻¹ Dᵀ, D the covariances of the constructs with x, and the means Ax with
A = Λ D C_xx⁻¹. So F is that of x, plus that of y given x, whose samples are S* = S_yy − A S_xy − S_yx Aᵀ + A S_xx Aᵀ.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.implied import add_derivatives, matrix, put
from dusk_arrow.core.covariance.splitting import Split
from dusk_arrow.core.linear_algebra import (
    Array,
    guarded_cholesky,
    inverse_and_log_determinant,
    members,
    resolvent,
    swept,
    times,
)


class SplitSamples(NamedTuple):
    """S_yy (b, k, k), its diagonals (b, k), S_yx (b, k, l) and S_xx (b, l, l)."""

    yy: Array
    own: Array
    yx: Array
    xx: Array

    def take(self, at: NDArray[np.intp]) -> SplitSamples:
        """Some of the samples."""
        return SplitSamples(self.yy[at], members(self.own, at), self.yx[at], self.xx[at])


def split_samples(samples: Array, split: Split) -> SplitSamples:
    """Samples (b, p, p) as y and x."""
    y, x = split.y, split.x
    yy = samples if x.size == 0 else _cut(samples, y, y)
    own = np.asfortranarray(np.diagonal(yy, axis1=-2, axis2=-1))
    return SplitSamples(yy, own, _cut(samples, y, x), _cut(samples, x, x))


class _Measured(NamedTuple):
    """What y given x says: F + ln|S*| (b,), where that holds (b,), and the derivatives of F by Λ (b, k, s) or by the one loading of each y (b, k), by C* (b, s, s), by
    the diagonal of Θ (b, k) and by A (b, k, l)."""

    value: Array
    good: NDArray[np.bool_]
    loading: Array
    nodes: Array
    residual: Array
    regression: Array


def through_constructs(
    model: Block, split: Split, theta: Array, samples: SplitSamples
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """F + ln|S| (b,) at θ (b, q), its gradient (b, q) and where they hold (b,): where Θ, C_xx and C* are positive definite. Without x
    θ may be (1, q), the same for all samples."""
    inverse = resolvent(matrix(model, "effect", theta), model.steps)
    whole = inverse @ matrix(model, "node", theta) @ np.swapaxes(inverse, -1, -2)
    total = np.zeros((samples.own.shape[0], model.n_free), order="F")
    if split.x_nodes.size == 0:
        residual = _residual(split, theta)
        nodes = whole if split.plain else _cut(whole, split.loaded, split.loaded)
        if split.home is not None:
            found = _clustered(split, split.home, theta, residual, nodes, samples.yy, samples.own, None)
            put(model, total, found.loading[:, split.loading_flat // split.loaded.size], split.loading_slots)
        else:
            found = _measured(_loading(split, theta), residual, nodes, samples.yy, samples.own, None)
            _add(model, total, found.loading, split.loading_flat, split.loading_slots)
        value, good, by_nodes, by_residual = found.value, found.good, found.nodes, found.residual
        if not split.plain:
            inside, by_nodes = by_nodes, np.zeros((len(by_nodes), *whole.shape[1:]))
            by_nodes[:, split.loaded[:, None], split.loaded] = inside
        _add(model, total, by_residual, split.residual_flat, split.residual_slots)
    else:
        value, good, by_nodes = _with_exact(model, split, theta, whole, samples, total)
    if model.cells["effect"].flat.size or model.cells["node"].flat.size:
        back = np.swapaxes(inverse, -1, -2) @ by_nodes
        add_derivatives(model, total, "effect", 2.0 * (back @ whole))
        add_derivatives(model, total, "node", back @ inverse)
    return np.where(good, value - (split.y.size + split.x.size), np.inf), total, good


def _with_exact(
    model: Block, split: Split, theta: Array, whole: Array, samples: SplitSamples, total: Array
) -> tuple[Array, NDArray[np.bool_], Array]:
    """F + ln|S| + p, where it holds, and its derivatives by C (b, m, m), where there are variables without residuals; those by
    loadings and residuals are added to `total`."""
    x, loaded = split.x_nodes, split.loaded
    precision, pivots = swept(_cut(whole, x, x))
    good: NDArray[np.bool_] = np.asarray((pivots > 0).all(axis=0))
    if not good.all():
        precision, pivots = np.where(good[:, None, None], precision, np.eye(x.size)), np.where(good, pivots, 1.0)
    weighted = precision @ samples.xx
    value = np.log(pivots).sum(axis=0) + np.trace(weighted, axis1=-2, axis2=-1)
    by_nodes = np.zeros_like(whole)
    by_x = precision - weighted @ precision
    if split.y.size:
        residual = _residual(split, theta)
        joint = _cut(whole, loaded, x)
        ratio = joint @ precision
        nodes = _cut(whole, loaded, loaded) - ratio @ np.swapaxes(joint, -1, -2)
        home, turned = split.home, np.swapaxes(ratio, -1, -2)
        own_ratio = ratio if home is None else ratio.take(home, axis=1, mode="clip")
        loading = _loading(split, theta) if home is None else _alone(_own_loading(split, home, theta))
        slope = loading @ ratio if home is None else loading * own_ratio
        apart = samples.yx - slope @ samples.xx
        own = samples.own - np.einsum("bpx,bpx->bp", slope, samples.yx + apart)
        given = _Given(slope, samples.yx, apart, ratio)
        if home is None:
            found = _measured(loading, residual, nodes, samples.yy, own, given)
            by_ratio = np.swapaxes(loading, -1, -2) @ found.regression
            _add(model, total, found.loading + found.regression @ turned, split.loading_flat, split.loading_slots)
        else:
            found = _clustered(split, home, theta, residual, nodes, samples.yy, own, given)
            by_ratio = _belonging(home, loaded.size).T @ (loading * found.regression)
            by_loading = found.loading + np.einsum("bpx,bpx->bp", found.regression, own_ratio)
            put(model, total, by_loading[:, split.loading_flat // loaded.size], split.loading_slots)
        value, good = value + found.value, good & found.good
        into = by_ratio @ precision
        lowered = found.nodes @ ratio
        by_x = by_x + turned @ lowered - (turned @ into + np.swapaxes(turned @ into, -1, -2)) / 2
        crossed = into / 2 - lowered
        by_nodes[:, loaded[:, None], loaded] = found.nodes
        by_nodes[:, loaded[:, None], x] = crossed
        by_nodes[:, x[:, None], loaded] = np.swapaxes(crossed, -1, -2)
        _add(model, total, found.residual, split.residual_flat, split.residual_slots)
    by_nodes[:, x[:, None], x] = by_x
    return value, good, by_nodes


class _Given(NamedTuple):
    """What y is regressed on: A (b, k, l), S_yx and S_yx − A S_xx (b, k, l), and D C_xx⁻¹ (b, s, l)."""

    slope: Array
    mixed: Array
    apart: Array
    ratio: Array


def _guarded(residual: Array, own: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """The diagonal (b, k) of Θ, that of S* in its units, and which members (b,) have all residuals positive and far from zero; in the
    others ones take their place."""
    share = own / residual
    good: NDArray[np.bool_] = np.asarray(((share < 1e10) & (residual > 0)).all(axis=-1))
    if not good.all():
        residual = np.where(good[:, None], residual, 1.0)
        share = own / residual
    return residual, share, good


def _belonging(home: NDArray[np.intp], count: int) -> Array:
    """Which y (k,) loads on which construct (k, s), as ones."""
    found = np.zeros((home.size, count))
    found[np.arange(home.size), home] = 1.0
    return found


def _diagonal(matrices: Array) -> Array:
    """The diagonals (b, s) of matrices (b, s, s), to be read and written."""
    view: Array = np.einsum("bss->bs", matrices)
    return view


def _alone(vectors: Array) -> Array:
    """Vectors (b, k) as matrices (b, k, 1), in the order that matrices have in memory."""
    result: Array = np.ascontiguousarray(vectors)[..., None]
    return result


def _own_loading(split: Split, home: NDArray[np.intp], theta: Array) -> Array:
    """The one loading (b, k) of each y."""
    found = np.empty((theta.shape[0], home.size), order="F")
    found[...] = split.loading_base[np.arange(home.size), home]
    found[:, split.loading_flat // split.loaded.size] = theta[:, split.loading_slots]
    return found


def _clustered(
    split: Split,
    home: NDArray[np.intp],
    theta: Array,
    residual: Array,
    nodes: Array,
    sample: Array,
    own: Array,
    given: _Given | None,
) -> _Measured:
    """Where each y loads on one construct, K = ΛᵀΘ⁻¹Λ is diagonal. With M = I + K^½CK^½, N = I − M⁻¹, E = K^-½NK^-½ and
    Q = K^-½ΛᵀΘ⁻¹SΘ⁻¹ΛK^-½, F = ln|Θ| + ln|M| + tr(SΘ⁻¹) − tr(NQ) (Woodbury 1950); of what has the size of the observed
    variables only SΘ⁻¹Λ is formed. It holds where M is positive definite, which Σ is just then, if Θ is. Derivatives by Λ are
    (b, k), by the one loading of each y; S is S* where something is `given`, with `own` its diagonal."""
    k, s = home.size, split.loaded.size
    loading = _own_loading(split, home, theta)
    residual, share, good = _guarded(residual, own)
    weight = loading / residual
    root = np.sqrt(times(loading * weight, _belonging(home, s)))
    roots = np.einsum("bs,bt->bst", root, root, order="C")
    middle = nodes * roots
    own_middle = _diagonal(middle)
    good = good & (own_middle > 1e-6).all(axis=-1)
    own_middle += 1.0
    inverse, pivots = swept(middle)
    good = good & (pivots > 0).all(axis=0)
    if not good.all():
        inverse = np.where(good[:, None, None], inverse, np.eye(s) / 2)
        pivots, root = np.where(good, pivots, 1.0), np.where(good[:, None], root, 1.0)
        roots = np.einsum("bs,bt->bst", root, root, order="C")
    scaled = np.zeros((len(weight), k, s))
    scaled[:, np.arange(k), home] = weight
    crossed = sample @ scaled
    if given is not None:
        crossed -= given.mixed @ (np.swapaxes(given.ratio, -1, -2) * (root**2)[:, None, :])
        crossed -= given.slope @ (np.swapaxes(given.apart, -1, -2) @ scaled)
    square = np.swapaxes(scaled, -1, -2) @ crossed
    square /= roots
    first = inverse @ square
    both = first @ inverse
    within, within_first, own_inverse = _diagonal(square), _diagonal(first), _diagonal(inverse)
    value = (
        np.log(residual).sum(axis=-1)
        + np.log(pivots).sum(axis=0)
        + share.sum(axis=-1)
        - (within - within_first).sum(axis=-1)
    )
    along = (within - 2.0 * within_first + _diagonal(both) + 1.0 - own_inverse) / root**2
    left = (np.eye(s) - inverse) / roots
    turned = (crossed @ left)[:, np.arange(k), home] / residual
    straight = weight * along[:, home]
    by_residual = (1.0 - share) / residual - weight * (straight - 2.0 * turned)
    by_nodes = inverse - both
    by_nodes *= roots
    regression = scaled[..., :0]
    if given is not None:
        into = left @ (np.swapaxes(scaled, -1, -2) @ given.apart)
        regression = into.take(home, axis=1, mode="clip")
        regression *= _alone(weight)
        regression -= given.apart / _alone(residual)
        regression *= 2.0
    return _Measured(value, good, 2.0 * (straight - turned), by_nodes, by_residual, regression)


def _measured(
    loading: Array,
    residual: Array,
    nodes: Array,
    sample: Array,
    own: Array,
    given: _Given | None,
) -> _Measured:
    """With L = Θ⁻¹Λ, K = ΛᵀL, C* = GGᵀ and E = (C*⁻¹ + K)⁻¹ = G(I + GᵀKG)⁻¹Gᵀ only matrices of the constructs' size are inverted
    (Woodbury 1950): Σ⁻¹ΛC* = LE, Σ⁻¹Λ = L − LEK and (I − EK)C* = E; `own` is the diagonal of S*."""
    root, _, good = guarded_cholesky(nodes)
    residual, share, sound = _guarded(residual, own)
    good = good & sound
    precision = 1 / residual
    scaled = loading * precision[..., None]
    turned = np.swapaxes(loading, -1, -2)
    inner = turned @ scaled
    at = np.arange(inner.shape[-1])
    outer = np.swapaxes(root, -1, -2) @ inner @ root
    outer[:, at, at] += 1.0
    inverse, log_det = inverse_and_log_determinant(outer)
    left = root @ inverse @ np.swapaxes(root, -1, -2)
    spread = scaled @ left
    crossed = sample @ scaled
    if given is not None:
        crossed -= given.mixed @ (np.swapaxes(given.ratio, -1, -2) @ inner)
        crossed -= given.slope @ (np.swapaxes(given.apart, -1, -2) @ scaled)
    square = np.swapaxes(scaled, -1, -2) @ crossed
    value = np.log(residual).sum(axis=-1) + log_det + share.sum(axis=-1) - np.einsum("bpm,bpm->b", spread, crossed)
    lowered = crossed * precision[..., None]
    rest = spread @ square
    rest += scaled
    rest -= lowered
    by_residual = (1 - share) * precision - np.einsum("bpm,bpm->bp", spread, rest - lowered)
    remaining = np.eye(at.size) - left @ inner
    by_nodes = (inner - np.swapaxes(remaining, -1, -2) @ square) @ remaining
    regression = loading[..., :0]
    if given is not None:
        into = np.swapaxes(scaled, -1, -2) @ given.apart
        regression = 2.0 * (spread @ into - given.apart * precision[..., None])
    return _Measured(value, good, 2.0 * (rest @ left), by_nodes, by_residual, regression)


def _cut(whole: Array, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Array:
    """Extension (b, k, l) of matrices (b, m, m), matrix by matrix in memory, as indexing would not leave them."""
    return np.ascontiguousarray(whole[:, rows[:, None], columns])


def _loading(split: Split, theta: Array) -> Array:
    """Λ (b, k, s) of y by the constructs that are measured."""
    flat = np.empty((theta.shape[0], split.loading_base.size))
    flat[...] = split.loading_base.ravel()
    flat[:, split.loading_flat] = theta[:, split.loading_slots]
    return flat.reshape(-1, *split.loading_base.shape)


def _residual(split: Split, theta: Array) -> Array:
    """The diagonal (b, k) of Θ."""
    found = np.empty((theta.shape[0], split.residual_base.size), order="F")
    found[...] = split.residual_base
    found[:, split.residual_flat] = theta[:, split.residual_slots]
    return found


def _add(model: Block, total: Array, derivatives: Array, flat: NDArray[np.intp], slots: NDArray[np.intp]) -> None:
    put(model, total, derivatives.reshape(derivatives.shape[0], -1)[:, flat], slots)
