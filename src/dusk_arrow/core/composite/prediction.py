"""How well a model predicts cases that it has not seen: repeated cross-validation against two benchmarks.

Source: Shmueli, Sarstedt, Hair, Cheah, Ting, Vaithilingam & Ringle (2019).
"""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.composite.program import Outcome, Program, estimate
from dusk_arrow.core.family import Prediction, PredictionLine
from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite
from dusk_arrow.core.observations.evidence import CompleteCases, FilledCases

FOLDS = 10
REPEATS = 10


def _plain(blueprint: Blueprint) -> Blueprint:
    return replace(blueprint, blocks=tuple(replace(block, consistent=False) for block in blueprint.blocks))


def uncorrected(program: Program) -> Program:
    """The same program with scores as they are."""
    second = None if program.second is None else _plain(program.second)
    return replace(program, first=_plain(program.first), second=second, like=None)


def split(n: int, seed: int, folds: int = FOLDS, repeats: int = REPEATS) -> list[list[np.ndarray]]:
    """For every repeat the cases of each fold, shuffled anew."""
    rng = np.random.default_rng(seed)
    return [np.array_split(rng.permutation(n), folds) for _ in range(repeats)]


def _shown_by(program: Program) -> list[tuple[int, str, tuple[str, ...]]]:
    """The columns that outcomes of the structure show in: their position, name, and the way from the outcome to them."""
    at = {name: i for i, name in enumerate(program.columns)}
    members = dict(program.members)
    found: list[tuple[int, str, tuple[str, ...]]] = []
    for row in program.structure.order:
        if row not in program.structure.antecedents:
            continue
        name = program.structure.names[row]
        for member in members[name]:
            if member in at:
                found.append((at[member], member, (name, member)))
            else:
                found += [(at[column], column, (name, member, column)) for column in members[member]]
    return found


def _loading(program: Program, outcome: Outcome, way: tuple[str, ...]) -> Array:
    """What a step of 1 in an outcome's score does to a column, in its standard deviations (b,)."""
    members = dict(program.members)
    result = np.ones(outcome.weights.shape[0])
    for whole, part in itertools.pairwise(way):
        result = result * outcome.own_loadings[whole][:, members[whole].index(part)]
    return result


def predict(program: Program, cases: CompleteCases | FilledCases, seed: int) -> Prediction | None:
    """Q²predict, RMSE and MAE of every indicator of an outcome, with those of the training means and of a linear benchmark on
    all columns of what nothing leads to; None where there is no outcome or too few cases.

    Everything comes from the training cases: means, standard deviations, weights, paths and loadings, uncorrected
    throughout. Scores of what nothing leads to are those of the held-out cases, and are carried through the paths.
    """
    program = uncorrected(program)
    structure = program.structure
    shown = _shown_by(program)
    n = cases.n
    if not shown or n < 2 * FOLDS or structure.saturated:
        return None
    plan = split(n, seed)
    folds = [fold for repeat in plan for fold in repeat]
    counts = np.ones((len(folds), n))
    for row, fold in enumerate(folds):
        counts[row, fold] = 0.0
    samples = cases.resampling()(counts)
    assert samples.means is not None
    outcome = estimate(program, correlation_from(samples.covariances))
    if not outcome.converged.all():
        return None
    coefficients = structure.path_matrix(outcome.structure.paths)
    sd = np.sqrt(np.diagonal(samples.covariances, axis1=-2, axis2=-1))
    columns = [at for at, _, _ in shown]
    inputs = sorted({int(c) for i in structure.exogenous for c in np.flatnonzero(_columns_of(program, i))})
    loadings = np.stack([_loading(program, outcome, way) for _, _, way in shown], axis=-1)
    owner = [structure.names.index(way[0]) for _, _, way in shown]
    errors = np.zeros((REPEATS, 3, n, len(shown)))
    for number, fold in enumerate(folds):
        there = cases.answers[fold]
        centre = samples.means[number]
        answers = np.where(np.isnan(there), centre, there)
        deviations = (answers - centre) / sd[number]
        scores = np.zeros((fold.size, len(structure.names)))
        for row in structure.order:
            if row in structure.antecedents:
                scores[:, row] = scores @ coefficients[number, row]
            else:
                scores[:, row] = deviations @ outcome.weights[number, program.place[structure.names[row]]]
        own = centre[columns] + sd[number][columns] * loadings[number] * scores[:, owner]
        linear = _linear(samples.covariances[number], centre, inputs, columns, answers)
        actual = answers[:, columns]
        repeat = number // FOLDS
        for which, guess in enumerate((own, np.broadcast_to(centre[columns], actual.shape), linear)):
            errors[repeat, which, fold] = actual - guess
    squares, sizes = (errors**2).sum(axis=2), np.abs(errors).mean(axis=2)
    roots = np.sqrt(squares / n)
    q2 = (1 - squares[:, 0] / squares[:, 1]).mean(axis=0)
    rmse, mae = roots.mean(axis=0), sizes.mean(axis=0)
    return Prediction(
        FOLDS,
        REPEATS,
        seed,
        tuple(
            PredictionLine(
                name, float(q2[i]), *(float(rmse[k, i]) for k in range(3)), *(float(mae[k, i]) for k in range(3))
            )
            for i, (_, name, _) in enumerate(shown)
        ),
    )


def _columns_of(program: Program, row: int) -> Array:
    """Which columns a block of the structure is made of, directly or by its parts (p,)."""
    members = dict(program.members)
    name = program.structure.names[row]
    own = [c for m in members[name] for c in (members[m] if m in members and m not in program.columns else (m,))]
    return np.array([column in own for column in program.columns])


def _linear(covariance: Array, means: Array, inputs: list[int], outputs: list[int], answers: Array) -> Array:
    """Predictions (k, o) of columns by a regression on others, from the training moments; nan where those are dependent."""
    block = covariance[np.ix_(inputs, inputs)]
    if not positive_definite(block):
        return np.full((answers.shape[0], len(outputs)), np.nan)
    slopes = np.linalg.solve(block, covariance[np.ix_(inputs, outputs)])
    result: Array = means[outputs] + (answers[:, inputs] - means[inputs]) @ slopes
    return result
