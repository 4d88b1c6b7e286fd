"""Modification indices against the score test written out and against really freeing the parameter."""

from __future__ import annotations

import numpy as np
import pytest

from dusk_arrow.core.covariance.implied import information
from dusk_arrow.core.covariance.modification import candidates, extend, modification_indices
from dusk_arrow.core.covariance.parameters import ParameterTable
from tests.core.populations import EQUAL, FORMATIVE, ONLY, THREE, fit_matrix, population, random_population, table_of


def sample_of(text: str, seed: int, n: int = 800) -> tuple[ParameterTable, np.ndarray]:
    table = table_of(text)
    truth = random_population(table, seed)
    rows = np.random.default_rng(seed).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    return table, np.cov(rows.T, ddof=0)


@pytest.mark.parametrize("missing", ["a1 and b2 covary", "a3 and b1 covary", "b2 and c2 covary"])
def test_the_omitted_parameter_stands_out_and_its_index_is_what_freeing_it_does(missing: str) -> None:
    """The first in the list must be the one that was left out, and the promise about χ² must hold."""
    text = THREE.replace("A leads to B, C", "A leads to B")
    full = table_of(text + missing)
    values = {p.words: v for p, v in zip(full.parameters, [0.0] * len(full.parameters), strict=True)}
    values.update(random_population(table_of(text), 8).values)
    words = next(p.words for p in full.parameters if p.words not in random_population(table_of(text), 8).values)
    values[words] = 0.25
    truth = population(full, values)
    rows = np.random.default_rng(2).multivariate_normal(np.zeros(9), truth.covariance, 1500)
    table = table_of(text)
    order = [list(full.observed).index(name) for name in table.observed]
    sample = np.cov(rows.T, ddof=0)[np.ix_(order, order)]
    found = fit_matrix(table, sample, 1500)
    first = modification_indices(found)[0]
    assert first.key.words == words
    freed = fit_matrix(full, np.cov(rows.T, ddof=0), 1500)
    fall = 1500 * (found.solution.discrepancy - freed.solution.discrepancy)
    assert first.index == pytest.approx(fall, rel=0.2)
    index = next(p.index for p in full.parameters if p.words == words)
    assert index is not None
    assert first.expected_change == pytest.approx(freed.solution.theta[index], rel=0.3)


@pytest.mark.parametrize("text", [THREE, FORMATIVE, EQUAL], ids=["three", "formative", "equality"])
def test_indices_are_score_tests(text: str) -> None:
    """s²/J with the score from differences of F and the information of the model with the parameter freed."""
    table, sample = sample_of(text, 3)
    found = fit_matrix(table, sample, 800)
    theta = found.solution.theta
    listed = {m.key.words: m for m in modification_indices(found, least=0.0)}
    tried = 0
    for parameter in candidates(table)[:40:4]:
        model = extend([table], [parameter])
        at = np.append(theta, parameter.value or 0.0)
        step = np.zeros(at.size)
        step[-1] = 1e-5
        slope = (
            found.discrepancy.evaluate(model, (at + step)[None], ONLY)[0]
            - found.discrepancy.evaluate(model, (at - step)[None], ONLY)[0]
        )[0] / 2e-5
        inner = information(model, at)
        if np.linalg.cond(inner) > 1e12:
            continue
        given = 1 / np.linalg.inv(inner)[-1, -1]
        tried += 1
        assert listed[parameter.words].index == pytest.approx(800 * (slope / 2) ** 2 / given, rel=1e-3, abs=1e-6)
        assert listed[parameter.words].expected_change == pytest.approx(-slope / 2 / given, rel=1e-3, abs=1e-7)
    assert tried >= 5


def test_a_true_model_has_few_large_indices() -> None:
    """About one in twenty beyond 3.84 by chance, not many more."""
    table, sample = sample_of(THREE, 6)
    found = fit_matrix(table, sample, 800)
    large = modification_indices(found)
    assert len(large) < 0.2 * len(candidates(table))
    assert large == sorted(large, key=lambda m: -m.index)


def test_values_fixed_by_a_sentence_are_among_them() -> None:
    """A path held at zero has the index that tells whether it should be."""
    table = table_of(THREE + "\nhold A > C at 0")
    truth = random_population(table_of(THREE), 4)
    found = fit_matrix(table, truth.covariance, 500)
    listed = modification_indices(found)
    held = next(m for m in listed if m.key.words == "A → C")
    assert held.index == pytest.approx(listed[0].index, rel=0.3)
    assert held.expected_change == pytest.approx(truth.values["A → C"], rel=0.25)
