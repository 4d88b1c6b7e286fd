"""A model as composites see it: blocks of indicators, how each is weighted, and the paths among them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

Scheme = Literal["path", "factorial", "centroid"]
OuterMode = Literal["A", "B"]


@dataclass(frozen=True)
class Block:
    """A construct, or an observed variable in paths (`single`), with the positions of its indicators among the columns.

    Mode A weighs each indicator by its correlation with the construct's neighbours, mode B by a regression on all
    of the block. `consistent` says whether correlations with it are corrected for its unreliability, `repeats` that its
    columns are those of its parts.
    """

    name: str
    columns: tuple[int, ...]
    mode: OuterMode = "A"
    consistent: bool = False
    repeats: bool = False

    @property
    def single(self) -> bool:
        """Whether one column stands for it."""
        return len(self.columns) == 1


class Neighbours(NamedTuple):
    """The columns of every block (m, k), the shorter ones filled up, and which are filled; pairs of blocks (l,) whose correlations are
    needed, into one and out of the other: every block with itself, then those that are `linked`, then antecedents of one outcome
    that are not. Which block every link leads into, as ones (m, k); and the links of an outcome to its antecedents, where it has
    several (k,), with the pairs of these (k, k)."""

    places: NDArray[np.intp]
    filled: NDArray[np.bool_]
    into: NDArray[np.intp]
    out_of: NDArray[np.intp]
    linked: slice
    heads: Array
    regressions: tuple[tuple[NDArray[np.intp], NDArray[np.intp]], ...]


def _into(pairs: tuple[tuple[int, int], ...]) -> dict[int, tuple[int, ...]]:
    found: dict[int, tuple[int, ...]] = {}
    for source, target in pairs:
        found[target] = (*found.get(target, ()), source)
    return found


@dataclass(frozen=True)
class Blueprint:
    """Blocks over columns, paths between blocks by position (source, target), and the scheme of the inner weights.

    `links` count like paths for the inner weights alone: those between a construct of constructs and its parts where its
    block repeats their indicators. `saturated` links every block with every other: the measurement part, where
    paths are not said.
    """

    columns: tuple[str, ...]
    blocks: tuple[Block, ...]
    paths: tuple[tuple[int, int], ...]
    scheme: Scheme = "path"
    saturated: bool = False
    links: tuple[tuple[int, int], ...] = ()

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The blocks by name."""
        return tuple(block.name for block in self.blocks)

    @cached_property
    def member(self) -> NDArray[np.bool_]:
        """Which columns belong to which block (m, p)."""
        found = np.zeros((len(self.blocks), len(self.columns)), dtype=bool)
        for row, block in enumerate(self.blocks):
            found[row, list(block.columns)] = True
        return found

    @cached_property
    def linked(self) -> NDArray[np.bool_]:
        """Which blocks are neighbours (m, m)."""
        m = len(self.blocks)
        if self.saturated:
            return ~np.eye(m, dtype=bool)
        found = np.zeros((m, m), dtype=bool)
        for source, target in (*self.paths, *self.links):
            found[source, target] = found[target, source] = True
        return found

    @cached_property
    def neighbours(self) -> Neighbours:
        """Whose correlations an iteration of the weights needs."""
        m, widest = len(self.blocks), max(len(block.columns) for block in self.blocks)
        places, filled = np.zeros((m, widest), dtype=np.intp), np.zeros((m, widest), dtype=bool)
        for row, block in enumerate(self.blocks):
            places[row, : len(block.columns)], filled[row, : len(block.columns)] = block.columns, True
        links = [(int(row), int(other)) for row, other in np.argwhere(self.linked)]
        beside = [(a, b) for found in self.inner_antecedents.values() for a in found for b in found if a != b]
        pairs = [*((row, row) for row in range(m)), *links, *(p for p in dict.fromkeys(beside) if p not in set(links))]
        into, out_of = np.array(pairs).T
        heads = into[m : m + len(links)]
        at = {pair: place for place, pair in enumerate(pairs)}
        regressions = [
            (np.array([at[outcome, a] - m for a in found]), np.array([[at[a, b] for b in found] for a in found]))
            for outcome, found in self.inner_antecedents.items()
            if len(found) > 1  # on one alone it is the correlation
        ]
        return Neighbours(
            places, filled, into, out_of, slice(m, m + len(links)),
            (np.arange(m)[:, None] == heads).astype(float), tuple(regressions),
        )  # fmt: skip

    @cached_property
    def antecedents(self) -> dict[int, tuple[int, ...]]:
        """For every outcome, what leads to it, in the order in which paths were said."""
        return _into(self.paths)

    @cached_property
    def inner_antecedents(self) -> dict[int, tuple[int, ...]]:
        """The same with what counts like a path for the inner weights."""
        return _into((*self.paths, *self.links))

    @cached_property
    def order(self) -> tuple[int, ...]:
        """The blocks with causes before effects. Raises ValueError where paths go round in a circle."""
        left, done = list(range(len(self.blocks))), []
        while left:
            ready = [i for i in left if not set(self.antecedents.get(i, ())) & set(left)]
            if not ready:
                raise ValueError("the paths go round in a circle")
            done += ready
            left = [i for i in left if i not in ready]
        return tuple(done)

    @cached_property
    def exogenous(self) -> tuple[int, ...]:
        """The blocks that nothing leads to."""
        return tuple(i for i in range(len(self.blocks)) if i not in self.antecedents)

    @cached_property
    def standing(self) -> tuple[int, ...]:
        """The blocks that are no parts of another: only these stand beside each other."""
        parts = {a if self.blocks[b].repeats else b for a, b in self.links}
        return tuple(i for i in range(len(self.blocks)) if i not in parts)

    @cached_property
    def corrected(self) -> tuple[int, ...]:
        """The blocks whose correlations are corrected for unreliability: mode A with two indicators or more."""
        return tuple(
            i for i, block in enumerate(self.blocks) if block.consistent and block.mode == "A" and not block.single
        )

    def path_matrix(self, coefficients: Array) -> Array:
        """Coefficients (…, k) of the paths as a matrix (…, m, m), rows being outcomes."""
        m = len(self.blocks)
        found = np.zeros((*coefficients.shape[:-1], m, m))
        for column, (source, target) in enumerate(self.paths):
            found[..., target, source] = coefficients[..., column]
        return found
