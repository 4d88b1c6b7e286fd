"""Which models have a likelihood that needs no matrix of the size of their observed variables, and how they are split for it."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.linear_algebra import SMALL, Array


class Split(NamedTuple):
    """A model whose observed variables either have a residual of their own that covaries with none (`y` (k,)), or are nodes
    themselves without any (`x` (l,), the nodes `x_nodes`). `loaded` (s,) are the nodes that y load on.

    `loading_base` (k, s) and `residual_base` (k,) hold the fixed values of Λ and of Θ's diagonal; free ones stand at
    `loading_flat` and `residual_flat`, with their slots among θ. `plain` says that all nodes are loaded on; `home` (k,) is the
    position among the loaded nodes of the one that each y loads on, None where one loads on several.
    """

    y: NDArray[np.intp]
    x: NDArray[np.intp]
    x_nodes: NDArray[np.intp]
    loaded: NDArray[np.intp]
    loading_base: Array
    loading_flat: NDArray[np.intp]
    loading_slots: NDArray[np.intp]
    residual_base: Array
    residual_flat: NDArray[np.intp]
    residual_slots: NDArray[np.intp]
    plain: bool
    home: NDArray[np.intp] | None


class Places(Protocol):
    """Where the free parameters of one matrix stand, and their slots among θ."""

    @property
    def rows(self) -> NDArray[np.intp]:
        """Their rows (f,)."""

    @property
    def columns(self) -> NDArray[np.intp]:
        """Their columns (f,)."""

    @property
    def slots(self) -> NDArray[np.intp]:
        """Their slots (f,)."""


def split_of(
    table: ParameterTable, loading: Array, residual: Array, free_loadings: Places, free_residuals: Places
) -> Split | None:
    """The split of a model that allows one, from the fixed values of Λ and Θ and where the free ones stand."""
    residuals = [p for p in table.parameters if p.matrix == "residual"]
    if any(p.row != p.column for p in residuals):
        return None
    own = {p.row for p in residuals if p.value != 0.0}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    loads = loading != 0
    loads[free_loadings.rows, free_loadings.columns] = True
    x = [i for i in range(len(table.observed)) if i not in own]
    y = np.array([i for i in range(len(table.observed)) if i in own], dtype=np.intp)
    if any(table.observed[i] not in node_at or loads[i].sum() != 1 for i in x):
        return None
    x_nodes = np.array([node_at[table.observed[i]] for i in x], dtype=np.intp)
    loaded = np.flatnonzero(loads[y].any(axis=0))
    if np.intersect1d(loaded, x_nodes).size or x_nodes.size > SMALL:
        return None
    row_at, column_at = {row: i for i, row in enumerate(y.tolist())}, {c: i for i, c in enumerate(loaded.tolist())}
    place = [
        row_at[r] * loaded.size + column_at[c]
        for r, c in zip(free_loadings.rows.tolist(), free_loadings.columns.tolist(), strict=True)
    ]
    return Split(
        y,
        np.array(x, dtype=np.intp),
        x_nodes,
        loaded,
        loading[y[:, None], loaded],
        np.array(place, dtype=np.intp),
        free_loadings.slots,
        np.diagonal(residual)[y],
        np.array([row_at[row] for row in free_residuals.rows.tolist()], dtype=np.intp),
        free_residuals.slots,
        loaded.size == len(table.nodes),
        loads[y][:, loaded].argmax(axis=1) if y.size and (loads[y].sum(axis=1) == 1).all() else None,
    )
