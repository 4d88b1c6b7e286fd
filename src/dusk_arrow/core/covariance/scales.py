"""The scale of a construct: its sign, its unit, and the same model with unit variances in the place of markers."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.implied import CompiledModel, all_values, lay_out
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.linear_algebra import Array

MARKER = "carries the scale"


def rescale(model: CompiledModel, theta: Array, factor: Array) -> Array | None:
    """θ (…, q) after every node was multiplied by its factor (…, m); None where equal parameters would differ.

    Σ does not change as long as no parameter that is fixed at another value than 0 is touched.
    """
    result = np.ones(theta.shape)
    seen: dict[int, Array] = {}
    for parameter in model.table.parameters:
        if parameter.index is None:
            continue
        own = np.ones(theta.shape[:-1])
        if parameter.matrix in ("effect", "node", "mean"):
            own = own * factor[..., parameter.row]
        if parameter.matrix == "node":
            own = own * factor[..., parameter.column]
        elif parameter.matrix in ("loading", "effect"):
            own = own / factor[..., parameter.column]
        if parameter.index in seen and not np.array_equal(seen[parameter.index], own):
            return None
        seen[parameter.index] = own
        result[..., parameter.index] = own
    return theta * result


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
    turned = rescale(model, theta, turn)
    return theta if turned is None else turned


@dataclass(frozen=True)
class UnitVariance:
    """A model whose markers are free and whose constructs have unit (disturbance) variance instead. It implies the same
    covariances, and is well behaved where a marker hardly loads. `nodes` (c,) and `slots` (c,) are the constructs so
    treated and the free values that are a variance in the one form and a marker's loading in the other."""

    model: CompiledModel
    nodes: NDArray[np.intp]
    slots: NDArray[np.intp]

    def there(self, theta: Array) -> Array | None:
        """Values (q,) of the model with markers in this form; None where a variance is not positive."""
        variances = theta[self.slots]
        if not (variances > 0).all():
            return None
        factor = np.ones(len(self.model.table.nodes))
        factor[self.nodes] = 1 / np.sqrt(variances)
        found = rescale(self.model, theta, factor)
        if found is not None:
            found[self.slots] = np.sqrt(variances)
        return found

    def back(self, theta: Array) -> Array | None:
        """Values (q,) of this form as those of the model with markers; None where a marker does not load at all."""
        loadings = theta[self.slots]
        if not (np.abs(loadings) > 1e-8).all():
            return None
        factor = np.ones(len(self.model.table.nodes))
        factor[self.nodes] = loadings
        found = rescale(self.model, theta, factor)
        if found is not None:
            found[self.slots] = loadings**2
        return found


def unit_variance_form(table: ParameterTable) -> UnitVariance:
    """The form without markers; constructs that a sentence fixes, or ties to others, keep their scale."""
    shared = [p.index for p in table.parameters if p.index is not None]
    parameters = list(table.parameters)
    nodes, slots = [], []
    for construct in table.constructs:
        at = table.nodes.index(construct.name)
        marker = next((i for i, p in enumerate(parameters)
                       if p.kind == "loading" and p.source == construct.name and p.why_fixed == MARKER), None)  # fmt: skip
        variance = next(
            i for i, p in enumerate(parameters) if p.kind == "variance" and p.matrix == "node" and p.row == at
        )
        index = parameters[variance].index
        others = [
            p for i, p in enumerate(parameters)
            if i not in (marker, variance) and p.matrix in ("loading", "effect", "node", "mean")
            and (p.column == at or (p.row == at and p.matrix != "loading")) and p.value
        ]  # fmt: skip
        if construct.mode == "formative" or marker is None or index is None or others or shared.count(index) > 1:
            continue
        parameters[marker] = replace(parameters[marker], value=None, index=index)
        parameters[variance] = replace(parameters[variance], value=1.0, index=None)
        nodes.append(at)
        slots.append(index)
    model = lay_out(replace(table, parameters=tuple(parameters)))
    return UnitVariance(model, np.array(nodes, dtype=np.intp), np.array(slots, dtype=np.intp))
