"""A model laid out for computing: blocks of index arrays over one vector of free values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.parameters import Matrix, ParameterTable, count_free
from dusk_arrow.core.covariance.splitting import Split, split_of
from dusk_arrow.core.linear_algebra import Array, Steps, steps_of

MATRICES: tuple[Matrix, ...] = ("loading", "effect", "node", "residual", "intercept", "mean")


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


class CompiledModel(Protocol):
    """Blocks over the same free values θ (q,), one for each group: equal parameters, of one group or several, share a slot of θ."""

    @property
    def blocks(self) -> tuple[Block, ...]:
        """Its blocks."""

    @property
    def n_free(self) -> int:
        """The number q of free values."""

    def unsplit(self) -> CompiledModel:
        """The same, whose likelihood always goes through Σ: the short way stops at negative variances."""


@dataclass(frozen=True)
class Block:
    """One group's parameter table laid out as index arrays, so that a batch of values becomes matrices in four steps. It is a
    model of one block too.

    `values` holds the fixed values (n,), `free` the positions of free parameters (r,), `slots` the index among
    the free values θ (r,) for each of them: equal parameters share a slot. `base` holds each matrix with its fixed
    values alone, `cells` where its free ones stand, `n_free` how many values θ has, `tied` whether the block shares any slot
    with itself, `means` whether means are modelled,
    `split` how its likelihood can be had through the constructs alone, None where it cannot,
    `steps` the paths in the order in which they follow one another, None where they run in a circle.
    """

    table: ParameterTable
    values: Array
    free: NDArray[np.intp]
    slots: NDArray[np.intp]
    base: dict[Matrix, Array]
    cells: dict[Matrix, Cells]
    n_free: int
    tied: bool
    means: bool
    split: Split | None
    steps: Steps | None

    @property
    def blocks(self) -> tuple[Block, ...]:
        """Itself."""
        return (self,)

    def unsplit(self) -> Block:
        """The same, whose likelihood always goes through Σ."""
        return replace(self, split=None)


@dataclass(frozen=True)
class Joined:
    """Several blocks over one θ."""

    blocks: tuple[Block, ...]

    @property
    def n_free(self) -> int:
        """The number q of free values, which every block knows."""
        return max(block.n_free for block in self.blocks)

    def unsplit(self) -> Joined:
        """The same, whose likelihood always goes through Σ."""
        return Joined(tuple(block.unsplit() for block in self.blocks))


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


def lay_out(table: ParameterTable, n_free: int | None = None) -> Block:
    """The index arrays of a parameter table, among so many free values of all groups (its own unless given)."""
    values = np.array([0.0 if p.value is None else p.value for p in table.parameters], dtype=float)
    free = np.array([i for i, p in enumerate(table.parameters) if p.index is not None], dtype=np.intp)
    slots = np.array([p.index for p in table.parameters if p.index is not None], dtype=np.intp)
    p, m = len(table.observed), len(table.nodes)
    base: dict[Matrix, Array] = {
        "loading": np.zeros((p, m)),
        "effect": np.zeros((m, m)),
        "node": np.zeros((m, m)),
        "residual": np.zeros((p, p)),
        "intercept": np.zeros((p, 1)),
        "mean": np.zeros((m, 1)),
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
    own = int(slots.max()) + 1 if slots.size else 0
    pattern = base["effect"].copy()
    pattern[cells["effect"].rows, cells["effect"].columns] = 1.0
    return Block(
        table,
        values,
        free,
        slots,
        base,
        cells,
        own if n_free is None else n_free,
        slots.size > np.unique(slots).size,
        table.means,
        split_of(table, base["loading"], base["residual"], cells["loading"], cells["residual"]),
        steps_of(pattern),
    )


def lay_out_all(tables: Sequence[ParameterTable]) -> CompiledModel:
    """The index arrays of the tables of all groups, whose free values are numbered together."""
    if len(tables) == 1:
        return lay_out(tables[0])
    q = count_free(tables)
    return Joined(tuple(lay_out(table, q) for table in tables))
