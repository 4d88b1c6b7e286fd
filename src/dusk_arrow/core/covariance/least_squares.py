"""Unweighted least squares in variables of very different size: steps and errors from orthogonal factors of the
Jacobian, every parameter in a unit of its own.

The sum of squares of covariances is ruled by the largest variables, so neither its value nor its gradient shows whether
the parameters of the smallest have come to rest. Here convergence is the size of the next step, each parameter
measured by the SDs it stands between, and no cross product of the Jacobian is formed (its condition would be squared).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block, CompiledModel
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY
from dusk_arrow.core.covariance.implied import implied, matrices
from dusk_arrow.core.covariance.moment_layout import MomentLayout, jacobian, moment_vector
from dusk_arrow.core.covariance.solver import Solution
from dusk_arrow.core.linear_algebra import Array

SETTLED = 1e-9
FULL_RANK = 1e-11
UNEVEN = 1e4
LEAST_SHARE = 1e-4
MOST = 200


def units(model: CompiledModel, theta: Array, sds: Sequence[Array]) -> Array:
    """The unit (b, q) of each free value at θ (b, q): the SDs of what it connects, observed (b, p) in each block, or implied."""
    result = np.ones(theta.shape)
    for block, sd in zip(model.blocks, sds, strict=True):
        _write_units(block, theta, sd, result)
    return result


def _write_units(block: Block, theta: Array, sd: Array, result: Array) -> None:
    nodes = np.sqrt(np.maximum(np.diagonal(implied(matrices(block, theta)).nodes, axis1=-2, axis2=-1), 0.0))
    nodes = np.where(nodes > 0, nodes, 1.0)
    for parameter in block.table.parameters:
        if parameter.index is None:
            continue
        row, column = parameter.row, parameter.column
        match parameter.matrix:
            case "loading":
                unit = sd[..., row] / nodes[..., column]
            case "effect":
                unit = nodes[..., row] / nodes[..., column]
            case "node":
                unit = nodes[..., row] * nodes[..., column]
            case "residual":
                unit = sd[..., row] * sd[..., column]
            case "intercept":
                unit = sd[..., row]
            case "mean":
                unit = nodes[..., row]
        result[..., parameter.index] = unit


class BlockMoments:
    """The moments of one block's samples (b, p, p), with means (b, p) if any: off the diagonal each counted twice as in
    ½ tr[(S−Σ)²], all by the share of the block."""

    def __init__(self, samples: Array, means: Array | None, share: float = 1.0) -> None:
        self.layout = MomentLayout(samples.shape[-1], means is not None)
        rows, columns = self.layout.rows, self.layout.columns
        self.sd = np.sqrt(np.diagonal(samples, axis1=-2, axis2=-1))
        own = np.where([kind == "variance" for kind in self.layout.kinds], np.sqrt(0.5), 1.0)
        self.share = share
        self.weight = own * np.sqrt(share)
        self.vector = self.layout.vector(samples, means)
        size = self.sd[0, rows] * self.sd[0, columns]
        self.size = size if means is None else np.concatenate([size, self.sd[0]])
        self.uneven = uneven(samples[0])


class Moments:
    """The moments of all blocks in the order in which they are factored: the largest first."""

    def __init__(self, blocks: Sequence[BlockMoments]) -> None:
        self.blocks = tuple(blocks)
        self.sds = [block.sd for block in blocks]
        self.order = np.argsort(-np.concatenate([block.size for block in blocks]), kind="stable")
        self.uneven = any(block.uneven for block in blocks)

    def residuals(self, model: CompiledModel, theta: Array, at: NDArray[np.intp]) -> Array:
        """√F's parts (k, m), ordered, of some members `at` (k,)."""
        parts = [
            own.weight * (own.vector[at] - moment_vector(block, theta))
            for own, block in zip(self.blocks, model.blocks, strict=True)
        ]
        found: Array = np.concatenate(parts, axis=-1)[:, self.order]
        return found

    def slopes(self, model: CompiledModel, theta: Array) -> Array:
        """∂σ/∂θ (b, m, q), weighted and ordered."""
        parts = [
            own.weight[:, None] * jacobian(block, theta) for own, block in zip(self.blocks, model.blocks, strict=True)
        ]
        found: Array = np.concatenate(parts, axis=-2)[:, self.order]
        return found


def uneven(sample: Array) -> bool:
    """Whether variables differ so much in size that the sum of squares does not speak of the smallest."""
    variances = np.diag(sample)
    return bool(variances.max() > UNEVEN * variances.min())


def _factors(slopes: Array, unit: Array) -> tuple[Array, Array, Array, NDArray[np.bool_]]:
    """Q (b, m, q), R (b, q, q) and the scale (b, q) of Jacobians with columns of length 1, and which have full rank."""
    scaled = slopes * unit[:, None, :]
    length = np.sqrt((scaled**2).sum(axis=1))
    whole = (length > 0).all(axis=1)
    length = np.where(length > 0, length, 1.0)
    q, r = np.linalg.qr(scaled / length[:, None, :])
    whole &= np.abs(np.diagonal(r, axis1=1, axis2=2)).min(axis=1, initial=1.0) > FULL_RANK
    r = np.where(whole[:, None, None], r, np.eye(r.shape[-1]))
    return q, r, unit / length, whole


def settle(model: CompiledModel, moments: Moments, start: Array) -> tuple[Array, NDArray[np.bool_], NDArray[np.intp]]:
    """Minima near θ (b, q) by Gauss–Newton steps: θ (b, q), which came to rest, and after how many steps (b,).

    A step, or a part of it, is taken where the next one would be shorter, in units (natural monotonicity: Deuflhard
    2011); F itself may rise at first, as it speaks of the largest variables only.
    """
    theta, b = start.copy(), start.shape[0]
    share, settled, steps = np.ones(b), np.zeros(b, dtype=bool), np.zeros(b, dtype=np.intp)
    active = np.arange(b)
    current = moments.residuals(model, theta, active)
    for _ in range(MOST):
        if active.size == 0:
            break
        unit = units(model, theta[active], [sd[active] for sd in moments.sds])
        q, r, scale, whole = _factors(moments.slopes(model, theta[active]), unit)
        full = _step(q, r, scale, current[active])
        length = np.sqrt(((full / unit) ** 2).sum(axis=1))
        at_rest = whole & (length < SETTLED)
        settled[active[at_rest]] = True
        go = whole & ~at_rest & (share[active] > LEAST_SHARE)
        active, q, r, scale, full, unit, length = (part[go] for part in (active, q, r, scale, full, unit, length))
        move = share[active][:, None] * full
        trial = moments.residuals(model, theta[active] + move, active)
        following = np.sqrt(((_step(q, r, scale, trial) / unit) ** 2).sum(axis=1))
        shorter = following <= (1 - share[active] / 4) * length
        good, bad = active[shorter], active[~shorter]
        theta[good] += move[shorter]
        current[good] = trial[shorter]
        steps[good] += 1
        share[good] = np.minimum(1.0, 2 * share[good])
        share[bad] /= 2
    return theta, settled, steps


def _step(q: Array, r: Array, scale: Array, residuals: Array) -> Array:
    """The Gauss–Newton step (b, q) for residuals (b, m)."""
    turned = np.swapaxes(q, 1, 2) @ residuals[..., None]
    found: Array = np.linalg.solve(r, turned)[..., 0] * scale
    return found


def settled_solution(model: CompiledModel, moments: Moments, solution: Solution, start: Array) -> Solution:
    """The minimum near a solution found otherwise, or from starting values (q,) where there is none near."""
    for theta in (solution.theta, start):
        if np.isfinite(theta).all():
            found, rest, steps = settle(model, moments, theta[None])
            if rest[0]:
                value = float((moments.residuals(model, found, ONLY) ** 2).sum())
                return Solution(found[0], value, True, solution.iterations + int(steps[0]), 0.0)
    value = float((moments.residuals(model, solution.theta[None], ONLY) ** 2).sum())
    return replace(solution, discrepancy=value, converged=solution.converged and not moments.uneven)


def error_covariance(
    model: CompiledModel,
    moments: Moments,
    theta: Array,
    covariances: Sequence[Array],
    cases: Sequence[Array | None],
) -> Array:
    """The covariance (q, q) of the estimates times the multiplier: J⁺ Γ J⁺ᵀ with the moments' own covariances from the
    `cases` (n, p) of each block (Browne 1984), or those of normal data with its `covariances` (p, p); nan without full rank.

    Γ is never formed: Σ a_ij s_ij is tr(MS), whose variance in normal data is 2 tr(MΣMΣ), and a case's part xᵀMx.
    """
    unit = units(model, theta[None], moments.sds)
    q, r, scale, whole = _factors(moments.slopes(model, theta[None]), unit)
    if not whole[0]:
        return np.full((theta.size, theta.size), np.nan)
    pull = np.zeros((theta.size, moments.order.size))
    pull[:, moments.order] = np.linalg.solve(r[0], q[0].T) * scale[0][:, None]
    ends = np.cumsum([own.size.size for own in moments.blocks])[:-1]
    result = np.zeros((theta.size, theta.size))
    parts = zip(moments.blocks, np.split(pull, ends, axis=1), covariances, cases, strict=True)
    for own, pulled, covariance, values in parts:
        result += _pulled(own, pulled * own.weight, unit[0], covariance, values) / own.share
    in_units: Array = result * np.outer(unit[0], unit[0])
    return in_units


def _pulled(own: BlockMoments, pull: Array, unit: Array, covariance: Array, values: Array | None) -> Array:
    """What a block's moments do to the estimates in their units (q, q), through J⁺ (q, m) and times the block's multiplier."""
    sd, rows, columns = own.sd[0], own.layout.rows, own.layout.columns
    halves = pull[:, : rows.size] * np.where(rows == columns, 1.0, 0.5) * (sd[rows] * sd[columns])
    forms = own.layout.matrix(halves)  # in units in which every variable has variance 1, then of each parameter
    forms /= unit[:, None, None]
    shifts = pull[:, rows.size :] * sd / unit[:, None] if pull.shape[1] > rows.size else None
    if values is not None:
        cases = (values - values.mean(axis=0)) / sd
        parts = np.stack([((cases @ form) * cases).sum(axis=1) for form in forms], axis=1)
        if shifts is not None:
            parts = parts + cases @ shifts.T
        parts = parts - parts.mean(axis=0)
        result: Array = parts.T @ parts / values.shape[0]
        return result
    scaled = covariance / np.outer(sd, sd)
    products = forms @ scaled
    flat = products.reshape(len(forms), -1)
    result = 2 * flat @ np.swapaxes(products, 1, 2).reshape(len(forms), -1).T
    if shifts is not None:
        result = result + shifts @ scaled @ shifts.T
    return result
