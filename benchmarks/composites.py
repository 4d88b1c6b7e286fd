"""How fast the bootstrap of composites is, as ratios within one run: `python -m benchmarks.composites`.

Plain loop: redraw rows, correlate, then per resample the iteration of the weights as the literature writes it, one construct after
the other from a warm start, and the regressions. Floor: drawing, all correlations, one batched Cholesky and one iteration per
resample. A resample of ours comes with all figures; what it takes to estimate it twice more on data that fit the model, for the
reference of the distances, is said beside.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from dataclasses import replace
from typing import Any

import numpy as np

from benchmarks.run import alternately, chain, ratio
from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.composite.family import CompositeFamily
from dusk_arrow.core.composite.program import Program, estimate
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.resampling.draws import chunks_of
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.settings import Settings
from tests.core.populations import model_of, random_population, table_of

FAMILY, RESAMPLES, PLAIN = CompositeFamily(), 512, 40


def task_of(text: str, n: int) -> tuple[Array, Any]:
    """Cases (n, p) of a random population of a model, and the task of its bootstrap as the family makes it."""
    truth = random_population(table_of(text), 1)
    values = np.random.default_rng(0).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    columns = [Column(name, "number", values[:, i]) for i, name in enumerate(truth.table.observed)]
    data, settings, model = (
        DataSet("cases", tuple(columns)),
        Settings(family="composite", estimator="pls", bootstrap=1),
        model_of(text),
    )
    ready, _ = FAMILY.set_up(parse(text), model, data, settings)
    return values, FAMILY.fit(model, ready, settings, data).task  # type: ignore[union-attr]


def plainly(blueprint: Blueprint, correlation: Array, weights: Array) -> tuple[Array, list[Array]]:
    """Weights (m, p) and the coefficients of every outcome, with the path scheme, one construct after the other."""
    weights = weights.copy()
    for _ in range(300):
        before, across = weights.copy(), weights @ correlation
        between = across @ weights.T
        for row, block in enumerate(blueprint.blocks):
            inner = np.where(blueprint.linked[row], between[row], 0.0)
            antecedents = list(blueprint.antecedents.get(row, ()))
            if antecedents:
                inner[antecedents] = np.linalg.solve(
                    between[np.ix_(antecedents, antecedents)], between[antecedents, row]
                )
            columns = list(block.columns)
            own = inner @ across[:, columns]
            weights[row, columns] = own / np.sqrt(own @ correlation[np.ix_(columns, columns)] @ own)
        if np.abs(weights - before).max() < 1e-8:
            break
    between = weights @ correlation @ weights.T
    outcomes = blueprint.antecedents.items()
    return weights, [np.linalg.solve(between[np.ix_(own, own)], between[list(own), row]) for row, own in outcomes]


def iterate(program: Program, correlation: Array, start: Array) -> Array:
    """One iteration of all resamples (b, m, p), in a chain, where a regression on antecedents is a correlation."""
    blueprint = program.first
    along = start @ correlation
    drawn = np.where(blueprint.linked, along @ start.T, 0.0) @ along
    return np.asarray(np.where(blueprint.member, drawn, 0.0))


def measure(title: str, text: str, n: int) -> None:
    """One line of the table."""
    values, task = task_of(text, n)
    own, prepared = task.own, FAMILY.prepare(task)
    (block,) = own.blocks
    alone = prepared._replace(task=replace(own, blocks=(replace(block, whole=None, measurement=None),)))
    program, start = block.asked.program, block.start
    chunks = chunks_of(RESAMPLES, 1, task.at_once)

    def bootstrap() -> None:
        for chunk in chunks:
            FAMILY.run_chunk(alone, chunk)

    def with_reference() -> None:
        for chunk in chunks:
            FAMILY.run_chunk(prepared, chunk)

    def floor() -> None:
        for chunk in chunks:
            drawn = correlation_from(prepared.draw(chunk)[0].covariances)
            np.linalg.cholesky(drawn)
            iterate(program, drawn, start)

    rng = np.random.default_rng(0)
    samples = [np.corrcoef(values[rng.integers(0, n, n)], rowvar=False) for _ in range(PLAIN)]
    for sample in samples[:8]:
        found = estimate(program, sample[None], start).structure.weights[0]
        turned = np.abs(plainly(program.first, sample, start)[0])
        assert np.allclose(turned, np.abs(found), atol=1e-6), "both find the same but for how constructs are turned"

    def loop() -> None:
        for _ in range(PLAIN):
            plainly(program.first, np.corrcoef(values[rng.integers(0, n, n)], rowvar=False), start)

    times = alternately(bootstrap, floor, loop, with_reference).T
    ours, least, plain, whole = times / np.array([[RESAMPLES], [RESAMPLES], [PLAIN], [RESAMPLES]])
    print(
        f"{title:<24} bootstrap {1 / ours.min():6.0f}/s, {ratio(plain, ours):4.1f}× plain loop, {ratio(least, ours):.2f} of the floor | "
        f"with the distances' reference {1 / whole.min():6.0f}/s, {ratio(plain, whole):4.1f}×, {ratio(least, whole):.2f}"
    )


if __name__ == "__main__":
    measure("6 × 4, n = 350", chain(6, 4), 350)
    measure("12 × 6, n = 1,000", chain(12, 6), 1000)
