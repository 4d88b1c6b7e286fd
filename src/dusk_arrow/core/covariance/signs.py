"""The sign of a construct whose scale is set by its variance: its first loading in use is made positive."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.covariance.implied import CompiledModel, all_values
from dusk_arrow.core.linear_algebra import Array


def align_signs(model: CompiledModel, theta: Array) -> Array:
    """θ (…, q) with constructs turned so that their first loading is positive; Σ does not change.

    A construct with a loading or path fixed at a non-zero value, or tied to another's, keeps its sign.
    """
    table = model.table
    values = all_values(model, theta)
    turn = np.ones((*theta.shape[:-1], len(table.nodes)))
    for construct in table.constructs:
        at = table.nodes.index(construct.name)
        touching = [
            p
            for p in table.parameters
            if (p.matrix == "loading" and p.column == at)
            or (p.matrix in ("effect", "node") and (p.row == at) != (p.column == at))
        ]
        if any(p.value for p in touching) or construct.mode == "formative":
            continue
        first = next(i for i, p in enumerate(table.parameters) if p.kind == "loading" and p.source == construct.name)
        turn[..., at] = np.where(values[..., first] < 0, -1.0, 1.0)
    factor = np.ones(theta.shape)
    seen: dict[int, Array] = {}
    for parameter in table.parameters:
        if parameter.index is None:
            continue
        own = np.ones(theta.shape[:-1])
        if parameter.matrix in ("loading", "effect", "node"):
            own = own * turn[..., parameter.column]
        if parameter.matrix in ("effect", "node", "mean"):
            own = own * turn[..., parameter.row]
        if parameter.index in seen and not np.array_equal(seen[parameter.index], own):
            return theta
        seen[parameter.index] = own
        factor[..., parameter.index] = own
    return theta * factor
