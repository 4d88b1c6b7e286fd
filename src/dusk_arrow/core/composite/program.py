"""What is estimated of a model with composites: one blueprint, or two stages where constructs show in constructs.

In two stages (disjoint: Sarstedt, Hair, Cheah, Becker & Ringle 2019) the parts of a construct of constructs take its
place first, linked to all that it is linked to; their scores are its indicators afterwards, and every other construct is
estimated again from its own. With repeated indicators its block is made of all that its parts have.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.composite.solution import Solution, admissible, between_constructs, implied, implied_between, solve
from dusk_arrow.core.composite.weights import find_weights, oriented, regress
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Program:
    """Columns (p,) with all blocks by name, those of constructs of constructs over the names of their parts; in the order of `first`
    where there is no second stage.

    `first` is the blueprint that columns are put to, `second` the one of the second stage, whose columns are columns
    and names of parts. `like` are the weights (m, p) of another sample that every construct is turned to run with.
    """

    columns: tuple[str, ...]
    members: tuple[tuple[str, tuple[str, ...]], ...]
    first: Blueprint
    second: Blueprint | None = None
    like: Array | None = None

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Every block by name."""
        return tuple(name for name, _ in self.members)

    @cached_property
    def structure(self) -> Blueprint:
        """The blueprint that has the paths."""
        return self.first if self.second is None else self.second

    @cached_property
    def place(self) -> dict[str, int]:
        """The position of every block among all."""
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def structural(self) -> list[int]:
        """Where the blocks of the structure stand among all."""
        return [self.place[name] for name in self.structure.names]

    def block(self, name: str) -> tuple[Blueprint, int]:
        """The blueprint that a block's own numbers come from, and its row there: the second stage's, but for parts."""
        if self.second is not None and name in self.second.names:
            return self.second, self.second.names.index(name)
        return self.first, self.first.names.index(name)

    @cached_property
    def repeated(self) -> bool:
        """Whether some block is made of columns that belong to others."""
        return bool(self.first.links)


class Outcome(NamedTuple):
    """Of a batch of b samples and all m blocks: weights on the columns (b, m, p), correlations of scores and of
    constructs (b, m, m), correlations of columns with scores (b, p, m), rho_A (b, m), weights and loadings of each
    block's own members (by name, (b, k)); the solution of the structure; iterations (b,), and which converged (b,) and are
    admissible (b,)."""

    weights: Array
    scores: Array
    between: Array
    across: Array
    rho: Array
    own_weights: dict[str, Array]
    own_loadings: dict[str, Array]
    structure: Solution
    first: Solution
    iterations: NDArray[np.intp]
    converged: NDArray[np.bool_]
    admissible: NDArray[np.bool_]

    def members(self, rows: NDArray[np.intp]) -> Outcome:
        """Some of the batch."""
        return Outcome(
            self.weights[rows],
            self.scores[rows],
            self.between[rows],
            self.across[rows],
            self.rho[rows],
            {name: own[rows] for name, own in self.own_weights.items()},
            {name: own[rows] for name, own in self.own_loadings.items()},
            self.structure.members(rows),
            self.first.members(rows),
            self.iterations[rows],
            self.converged[rows],
            self.admissible[rows],
        )


def _second_columns(program: Program, weights: Array) -> Array:
    """The columns of the second stage as sums of the first's (b, p₂, p): themselves, or the scores of parts."""
    second = program.second
    assert second is not None
    at = {name: i for i, name in enumerate(program.columns)}
    row = {name: i for i, name in enumerate(program.first.names)}
    found = np.zeros((weights.shape[0], len(second.columns), len(program.columns)))
    for i, name in enumerate(second.columns):
        if name in row:
            found[:, i] = weights[:, row[name]]
        else:
            found[:, i, at[name]] = 1.0
    return found


def estimate(program: Program, correlation: Array, start: Array | None = None) -> Outcome:
    """All stages on correlations (b, p, p) of the columns; weights (m, p) of a sample nearby at the `start` save iterations."""
    first_rows = [program.place[n] for n in program.first.names]
    found = find_weights(program.first, correlation, None if start is None else start[first_rows])
    first_weights = found.values
    if program.like is not None:
        first_weights = oriented(first_weights, correlation, program.like[first_rows])
    first = solve(program.first, first_weights, correlation)
    iterations, converged = found.iterations, found.converged
    structure, on_columns = first, {name: first_weights[:, i] for i, name in enumerate(program.first.names)}
    fine = admissible(program.first, first)
    if program.second is not None:
        turn = _second_columns(program, first_weights)
        sample = turn @ correlation @ np.swapaxes(turn, -1, -2)
        safe = np.where(converged[:, None, None], sample, np.eye(sample.shape[-1]))
        again = find_weights(program.second, safe)
        iterations, converged = iterations + again.iterations, converged & again.converged
        weights = again.values
        if program.like is not None:
            like = program.like[[program.place[n] for n in program.second.names]]
            whole = oriented(weights @ turn, correlation, like)
            same = ((whole * (weights @ turn)).sum(axis=-1) < 0)[..., None]
            weights = np.where(same, -weights, weights)
        structure = solve(program.second, weights, safe)
        on_columns |= {name: (weights @ turn)[:, i] for i, name in enumerate(program.second.names)}
        fine = fine & admissible(program.second, structure)
    return _put_together(program, correlation, first, structure, on_columns, iterations, converged, fine)


class _Blocks(NamedTuple):
    """Of all blocks, in the order of the program: weights on the columns and covariances with them, correlations of scores and of
    constructs, and rho_A, as an `Outcome` has them."""

    weights: Array
    across: Array
    scores: Array
    between: Array
    rho: Array


def _all_blocks(
    program: Program, correlation: Array, first: Solution, structure: Solution, on_columns: dict[str, Array]
) -> _Blocks:
    """Those of both stages; where there is one, its solution has them all."""
    if program.second is None:
        return _Blocks(first.weights, first.across, first.scores, first.between, first.rho)
    weights = np.stack([on_columns[name] for name in program.names], axis=1)
    across = correlation @ np.swapaxes(weights, -1, -2)
    scores = weights @ across
    rho, reliability = np.full(weights.shape[:2], np.nan), np.ones(weights.shape[:2])
    for i, name in enumerate(program.names):
        blueprint, row = program.block(name)
        rho[:, i] = (structure if blueprint is program.second else first).rho[:, row]
        if row in blueprint.corrected:
            reliability[:, i] = rho[:, i]
    return _Blocks(weights, across, scores, between_constructs(scores, reliability), rho)


def _put_together(
    program: Program,
    correlation: Array,
    first: Solution,
    structure: Solution,
    on_columns: dict[str, Array],
    iterations: NDArray[np.intp],
    converged: NDArray[np.bool_],
    fine: NDArray[np.bool_],
) -> Outcome:
    weights, across, scores, between, rho = _all_blocks(program, correlation, first, structure, on_columns)
    own_weights: dict[str, Array] = {}
    own_loadings: dict[str, Array] = {}
    for name, members in program.members:
        if program.repeated and members[0] in program.place:
            own_weights[name], own_loadings[name] = _of_parts(program, name, members, scores)
            continue
        blueprint, row = program.block(name)
        solution = structure if blueprint is program.second else first
        columns = [blueprint.columns.index(member) for member in members]
        own_weights[name] = solution.weights[:, row, columns]
        own_loadings[name] = solution.loadings[:, row, columns]
    return Outcome(
        weights, scores, between, across, rho, own_weights, own_loadings, structure, first, iterations, converged, fine
    )


def _of_parts(program: Program, name: str, members: tuple[str, ...], scores: Array) -> tuple[Array, Array]:
    """Where indicators are repeated: weights of parts by regressing the whole on them, loadings by correlating."""
    rows = [program.place[member] for member in members]
    whole = program.place[name]
    return regress(scores, whole, tuple(rows)), scores[:, rows, whole]


Compared = tuple[Array, Array]  # correlations and what implies them (b, q, q)


def implied_whole(program: Program, outcome: Outcome, correlation: Array) -> Compared | None:
    """What the whole model implies, on the columns of its structure; None where it has none of its own (repeated indicators)."""
    if program.repeated:
        return None
    sample, blueprint, solution = correlation, program.structure, outcome.structure
    if program.second is not None:
        turn = _second_columns(program, outcome.first.weights)
        sample = turn @ correlation @ np.swapaxes(turn, -1, -2)
    return sample, implied(blueprint, solution, sample, implied_between(blueprint, solution))


def implied_measurement(program: Program, outcome: Outcome, correlation: Array) -> Compared:
    """What the measurement part implies, from the first stage."""
    first, own = program.first, outcome.first
    if program.repeated:
        plain = [i for i, block in enumerate(first.blocks) if not block.repeats]
        first = Blueprint(first.columns, tuple(first.blocks[i] for i in plain), (), saturated=True)
        own = Solution(
            own.weights[:, plain],
            own.scores[:, plain][:, :, plain],
            own.between[:, plain][:, :, plain],
            own.loadings[:, plain],
            own.across[:, :, plain],
            own.rho[:, plain],
            own.paths[:, :0],
            own.explained[:, plain],
        )
    return correlation, implied(first, own, correlation, own.between)
