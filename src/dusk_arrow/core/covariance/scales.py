"""The scale of a construct: its sign, its unit, and the same model with unit variances in the place of markers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block, CompiledModel, lay_out_all
from dusk_arrow.core.covariance.implied import all_values
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.linear_algebra import Array

MARKER = "carries the scale"


def rescale(model: CompiledModel, theta: Array, factors: Sequence[Array]) -> Array | None:
    """θ (…, q) after every node was multiplied by its factor (…, m), of which there is an array for each block; None where equal
    parameters would differ.

    Σ does not change as long as no parameter that is fixed at another value than 0 is touched.
    """
    result = np.ones(theta.shape)
    seen: dict[int, Array] = {}
    pairs = zip(model.blocks, factors, strict=True)
    for parameter, factor in ((p, factor) for block, factor in pairs for p in block.table.parameters):
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
    turned = rescale(model, theta, [_turns(block, theta) for block in model.blocks])
    return theta if turned is None else turned


def _turns(block: Block, theta: Array) -> Array:
    """1 or −1 for every node (…, m) of a block."""
    table = block.table
    values = all_values(block, theta)
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
    return turn


@dataclass(frozen=True)
class UnitVariance:
    """A model whose markers are free and whose constructs have unit (disturbance) variance instead. It implies the same
    covariances, and is well behaved where a marker hardly loads. For every block, `nodes` (c,) and `slots` (c,) are the
    constructs so treated and the free values that are a variance in the one form and a marker's loading in the other."""

    model: CompiledModel
    nodes: tuple[NDArray[np.intp], ...]
    slots: tuple[NDArray[np.intp], ...]

    def _factors(self, values: list[Array]) -> list[Array]:
        """The factor of every node (m,), for each block, from those of the constructs so treated."""
        factors = [np.ones(len(block.table.nodes)) for block in self.model.blocks]
        for factor, nodes, own in zip(factors, self.nodes, values, strict=True):
            factor[nodes] = own
        return factors

    def there(self, theta: Array) -> Array | None:
        """Values (q,) of the model with markers in this form; None where a variance is not positive."""
        variances = [theta[slots] for slots in self.slots]
        if not all((own > 0).all() for own in variances):
            return None
        found = rescale(self.model, theta, self._factors([1 / np.sqrt(own) for own in variances]))
        if found is not None:
            for slots, own in zip(self.slots, variances, strict=True):
                found[slots] = np.sqrt(own)
        return found

    def back(self, theta: Array) -> Array | None:
        """Values (q,) of this form as those of the model with markers; None where a marker does not load at all."""
        loadings = [theta[slots] for slots in self.slots]
        if not all((np.abs(own) > 1e-8).all() for own in loadings):
            return None
        found = rescale(self.model, theta, self._factors(loadings))
        if found is not None:
            for slots, own in zip(self.slots, loadings, strict=True):
                found[slots] = own**2
        return found


def unit_variance_form(model: CompiledModel) -> UnitVariance:
    """The form without markers; constructs that a sentence fixes, or ties to others, keep their scale."""
    shared = [p.index for block in model.blocks for p in block.table.parameters if p.index is not None]
    forms = [_without_markers(block.table, shared) for block in model.blocks]
    tables, nodes, slots = zip(*forms, strict=True)
    return UnitVariance(lay_out_all(tables), nodes, slots)


def _without_markers(
    table: ParameterTable, shared: list[int]
) -> tuple[ParameterTable, NDArray[np.intp], NDArray[np.intp]]:
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
    changed = replace(table, parameters=tuple(parameters))
    return changed, np.array(nodes, dtype=np.intp), np.array(slots, dtype=np.intp)
