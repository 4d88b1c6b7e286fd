"""Batched matrix helpers that keep one bad matrix from spoiling its batch."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


def some(values: Array, at: NDArray[Any]) -> Array:
    """Some of a batch (…, b), side by side in memory, as indexing would not leave them."""
    result: Array = values.take(at, axis=-1, mode="clip")
    return result


def members(vectors: Array, at: NDArray[Any]) -> Array:
    """Some of a batch of vectors (b, k), number by number side by side in memory."""
    return some(vectors.T, at).T


def beside(columns: Sequence[Array]) -> Array:
    """Columns (…, k) of several arrays as one (…, l), number by number side by side in memory."""
    result: Array = np.concatenate([own.T for own in columns]).T
    return result


def times(vectors: Array, matrix: Array) -> Array:
    """A batch of vectors (b, k) times a matrix (k, l), number by number side by side in memory."""
    result: Array = (matrix.T @ vectors.T).T
    return result


def positive_definite(matrices: Array) -> NDArray[np.bool_]:
    """Which matrices of a batch (…, p, p) are positive definite, finite ones only: those whose smallest eigenvalue is more
    than 1e-14 of the largest variance. Where all are, one factorisation of each tells; eigenvalues only where not."""
    finite: NDArray[np.bool_] = np.asarray(np.isfinite(matrices).all(axis=(-2, -1)))
    safe = matrices if finite.all() else np.where(finite[..., None, None], matrices, np.eye(matrices.shape[-1]))
    scale = np.abs(np.diagonal(safe, axis1=-2, axis2=-1)).max(axis=-1, initial=0.0)
    least = 1e-14 * scale
    try:
        np.linalg.cholesky(safe - least[..., None, None] * np.eye(matrices.shape[-1]))
        return finite
    except np.linalg.LinAlgError:
        result: NDArray[np.bool_] = finite & (np.linalg.eigvalsh(safe)[..., 0] > least)
        return result


def guarded_cholesky(matrices: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Cholesky factors of a batch (…, p, p); where there is none the identity takes the matrix's place.

    Returns (factors, matrices with the identity put in, which were positive definite).
    """
    try:
        factors = np.linalg.cholesky(matrices)
        if np.isfinite(factors).all():
            return factors, matrices, np.ones(matrices.shape[:-2], dtype=bool)
    except np.linalg.LinAlgError:
        pass
    good = positive_definite(matrices)
    safe = np.where(good[..., None, None], matrices, np.eye(matrices.shape[-1]))
    return np.linalg.cholesky(safe), safe, good


def _invert_lower(lower: Array, inverse: Array, begin: int, end: int) -> None:
    """Writes the inverse of a block of lower-triangular factors (b, p, p) into `inverse`, halves first."""
    if end - begin == 1:
        inverse[:, begin, begin] = 1 / lower[:, begin, begin]
        return
    middle = (begin + end) // 2
    _invert_lower(lower, inverse, begin, middle)
    _invert_lower(lower, inverse, middle, end)
    left, right = slice(begin, middle), slice(middle, end)
    inverse[:, right, left] = -(inverse[:, right, right] @ (lower[:, right, left] @ inverse[:, left, left]))


def inverse_of_lower(factors: Array) -> Array:
    """Inverses of lower-triangular matrices (…, p, p): block by block across a batch."""
    if factors.ndim != 3:
        result: Array = np.linalg.inv(factors)
        return result
    inverse = np.zeros_like(factors)
    _invert_lower(factors, inverse, 0, factors.shape[-1])
    return inverse


def inverse_from_cholesky(factors: Array, matrices: Array) -> Array:
    """Inverses of a batch (…, p, p) with its Cholesky factors at hand: block by block across a large batch of
    sizeable matrices, where that beats one factorisation after another; by LAPACK otherwise."""
    if factors.ndim != 3 or factors.shape[0] < 32 or factors.shape[-1] < 16:
        result: Array = np.linalg.inv(matrices)
        return result
    inverse = inverse_of_lower(factors)
    return np.swapaxes(inverse, -1, -2) @ inverse


Steps = tuple[tuple[int, int], ...]


def steps_of(pattern: Array) -> Steps | None:
    """The paths (outcome, cause) in a matrix of this pattern (m, m), each after those that lead to its cause; None where they run in
    a circle."""
    there = pattern != 0
    found: list[tuple[int, int]] = []
    left = np.arange(len(there))
    while left.size:
        led = there[np.ix_(left, left)].any(axis=1)
        if led.all():
            return None
        found += [(row, column) for row in left[~led].tolist() for column in np.flatnonzero(there[row]).tolist()]
        left = left[led]
    return tuple(found)


FEW = 32  # matrices, of which LAPACK inverts one after the other as fast


def resolvent(effect: Array, steps: Steps | None) -> Array:
    """(I−B)⁻¹ (…, m, m); where paths do not run in a circle it is built up along their `steps`, for all of a batch at once. Raises
    LinAlgError where I−B is singular."""
    m = effect.shape[-1]
    if steps is None or effect.size < FEW * m * m:
        inverse: Array = np.linalg.inv(np.eye(m) - effect)
        return inverse
    found = np.zeros((m, m, *effect.shape[:-2]), dtype=effect.dtype)
    found[np.arange(m), np.arange(m)] = 1.0
    for row, column in steps:
        found[row] += effect[..., row, column] * found[column]
    return np.ascontiguousarray(np.moveaxis(found, (0, 1), (-2, -1)))


SMALL = 10


def inverse_and_log_determinant(matrices: Array) -> tuple[Array, Array]:
    """Inverses (b, m, m) and log-determinants (b,) of symmetric matrices whose eigenvalues are 1 or more."""
    if matrices.shape[-1] > SMALL:
        factors = np.linalg.cholesky(matrices)
        return inverse_from_cholesky(factors, matrices), log_determinant(factors)
    inverse, pivots = swept(matrices)
    return inverse, np.log(pivots).sum(axis=0)


def swept(matrices: Array) -> tuple[Array, Array]:
    """Inverses (b, m, m) and pivots (m, b) of symmetric matrices: all pivots are positive where a matrix is positive definite,
    and their product is its determinant. Where one is not, its inverse is of no use.

    Matrices are swept column by column, all at once, which takes a fifth of the time of one factorisation after another where
    they are small; such matrices need no pivoting.
    """
    m = matrices.shape[-1]
    found = np.array(matrices.transpose(1, 2, 0), order="C")
    pivots = np.empty((m, matrices.shape[0]))
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        for k in range(m):
            pivot = pivots[k]
            pivot[...] = found[k, k]
            row = found[k] / pivot
            found -= found[k][:, None] * row
            found[k] = found[:, k] = row
            found[k, k] = -1 / pivot
    return np.negative(found.transpose(2, 0, 1), order="C"), pivots


def log_determinant(factors: Array) -> Array:
    """Log-determinants (…) from Cholesky factors (…, p, p)."""
    result: Array = 2.0 * np.log(np.diagonal(factors, axis1=-2, axis2=-1)).sum(axis=-1)
    return result


MOST_AT_ONCE = 4_000_000


def slices(count: int, size: int) -> list[tuple[int, int]]:
    """Begin and end of slices of `count` things of `size` numbers each, so that no slice has more than four million."""
    step = max(1, MOST_AT_ONCE // max(size, 1))
    return [(begin, min(begin + step, count)) for begin in range(0, count, step)]


def row_groups(rows: Array) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]:
    """Equal rows of (n, p): the first of each group (g,), the group of each row (n,), and the groups' sizes (g,).

    Rows are compared as bytes, which is far faster than column by column; −0 counts as 0.
    """
    plain = np.ascontiguousarray(np.packbits(rows, axis=1) if rows.dtype == bool else rows + 0.0)
    whole = plain.view(np.dtype((np.void, plain.dtype.itemsize * plain.shape[1]))).ravel()
    _, first, inverse, counts = np.unique(whole, return_index=True, return_inverse=True, return_counts=True)
    return first, inverse.ravel(), counts


def correlation_from(covariance: NDArray[np.floating]) -> Array:
    """Correlation matrices (…, p, p) from covariance matrices; rows without variance become nan."""
    with np.errstate(divide="ignore", invalid="ignore"):
        scale = 1 / np.sqrt(np.diagonal(covariance, axis1=-2, axis2=-1))
        result: Array = scale[..., :, None] * scale[..., None, :]  # alike on both sides of the diagonal
        result *= covariance
    return result


def blocks_by_size(matrices: Array, blocks: Sequence[Sequence[int]]) -> list[tuple[list[int], Array]]:
    """Diagonal blocks of matrices (…, p, p), those of one size together: which of `blocks` they are (g,), and they (…, g, k, k)."""
    alike: dict[int, list[int]] = {}
    for at, block in enumerate(blocks):
        alike.setdefault(len(block), []).append(at)
    rows = [np.array([blocks[at] for at in own], dtype=np.intp) for own in alike.values()]
    return [(own, matrices[..., of[:, :, None], of[:, None]]) for own, of in zip(alike.values(), rows, strict=True)]


def variance_inflation(correlation: Array) -> Array:
    """VIF (…, k): the diagonal of the inverse correlation matrix (…, k, k); nan where it is singular."""
    k = correlation.shape[-1]
    if k == 1:
        return np.where(correlation[..., 0] > 0, 1.0, np.nan)
    if k <= SMALL and correlation.size > SMALL * k * k:
        inverse, pivots = swept(correlation.reshape(-1, k, k))
        inverse = inverse.reshape(correlation.shape)
        good = np.reshape((pivots > 1e-14).all(axis=0), correlation.shape[:-2])
    else:
        good = positive_definite(correlation)
        inverse = np.linalg.inv(np.where(good[..., None, None], correlation, np.eye(k)))
    result: Array = np.where(good[..., None], np.diagonal(inverse, axis1=-2, axis2=-1), np.nan)
    return result
