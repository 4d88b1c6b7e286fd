"""The moves that make resamples fast, each against the plain way of computing the same."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import ndtr, ndtri

from dusk_arrow.core.assessment.validity import heterotrait
from dusk_arrow.core.covariance.admissibility import admissible
from dusk_arrow.core.covariance.compiled import lay_out
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.implied import matrices, residual_variances
from dusk_arrow.core.covariance.solver import metric_at, solve, solve_batch
from dusk_arrow.core.linear_algebra import SMALL, inverse_and_log_determinant, resolvent
from dusk_arrow.core.resampling.draws import (
    FEW_CASES,
    MANY,
    SOME,
    STREAM,
    at_once,
    chunks_leaving_one_out,
    chunks_of,
    counts_leaving_one_out,
    counts_with_replacement,
)
from dusk_arrow.core.resampling.intervals import summarise
from tests.core.populations import Population, random_population, table_of

CHAIN = "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c4\nD shows in d1..d3\nA leads to B, D\nB leads to C\nC leads to D"
CIRCLE = "A shows in a1..a3\nB shows in b1..b3\nx leads to A\ny leads to B\nA leads to B\nB leads to A"


def values_of(truth: Population) -> np.ndarray:
    """A population's free values in their order."""
    theta = np.zeros(lay_out(truth.table).n_free)
    for p in truth.table.parameters:
        if p.index is not None:
            theta[p.index] = truth.values[p.words]
    return theta


@given(m=st.integers(1, SMALL + 3), b=st.integers(1, 6), seed=st.integers(0, 1000))
def test_sweeping_inverts_like_the_library(m: int, b: int, seed: int) -> None:
    """Small and larger ones: a wrong inverse would move every estimate of every resample."""
    rng = np.random.default_rng(seed)
    half = rng.normal(size=(b, m, m)) * rng.choice([1e-3, 1.0, 30.0])
    given_ = np.eye(m) + half @ np.swapaxes(half, 1, 2)
    kept = given_.copy()
    inverse, log_determinant = inverse_and_log_determinant(given_)
    np.testing.assert_array_equal(given_, kept)
    np.testing.assert_allclose(inverse, np.linalg.inv(given_), rtol=1e-7, atol=1e-12)
    np.testing.assert_allclose(log_determinant, np.linalg.slogdet(given_)[1], rtol=1e-9, atol=1e-12)


TANGLED = "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nA leads to B, C\nC leads to B\nx leads to A, C\nB leads to y"


@pytest.mark.parametrize("text", [CHAIN, TANGLED, CIRCLE, "A shows in a1..a3\nB shows in b1..b3"])
@pytest.mark.parametrize("many", [5, 50])
def test_paths_that_end_need_no_inverse(text: str, many: int) -> None:
    """Built up step by step it is the inverse where nothing runs in a circle; where something does, the inverse is taken."""
    model = lay_out(table_of(text))
    assert (model.steps is None) == (text == CIRCLE)
    theta = np.random.default_rng(2).uniform(0.1, 0.6, size=(many, model.n_free))
    effect = matrices(model, theta).effect
    inverse = np.linalg.inv(np.eye(effect.shape[-1]) - effect)
    np.testing.assert_allclose(resolvent(effect, model.steps), inverse, rtol=1e-12, atol=1e-14)


WAYS = {
    "constructs": CHAIN,
    "equal and held parameters": CHAIN + "\nmatch A > a2, A > a3\nhold B > C at 0.3",
    "formative items": CHAIN + "\nF is made of f1..f3\nF leads to C",
    "an observed predictor and an observed outcome": CHAIN + "\nx leads to B, C\nC leads to y",
    "observed variables alone": "x leads to m\nm and x lead to y",
    "constructs of constructs": "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nG shows in A, B, C",
    "an observed variable in a circle": CIRCLE + "\nx leads to A\nz leads to B",
}


@pytest.mark.parametrize("text", WAYS.values(), ids=WAYS)
def test_both_ways_to_the_likelihood_agree(text: str) -> None:
    """Through the constructs or through Σ⁻¹: F and every derivative, equal and held parameters among them."""
    table = table_of(text)
    model = lay_out(table)
    truth = random_population(table, 3)
    rng = np.random.default_rng(4)
    draws = rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, size=(6, 60))
    likelihood, good = normal_likelihood(np.stack([np.cov(d, rowvar=False) for d in draws]))
    assert good.all()
    theta = values_of(truth) + 0.05 * rng.normal(size=(6, model.n_free))
    at = np.arange(6)
    value, gradient = likelihood.evaluate(model, theta, at)
    assert model.split is not None
    other, slope = likelihood.evaluate(replace(model, split=None), theta, at)
    np.testing.assert_allclose(value, other, rtol=1e-9)
    np.testing.assert_allclose(gradient, slope, rtol=1e-6, atol=1e-9)
    some = np.array([4, 1])
    again, bend = likelihood.evaluate(model, theta[some], some)
    np.testing.assert_allclose(again, value[some], rtol=1e-12)
    np.testing.assert_allclose(bend, gradient[some], rtol=1e-9, atol=1e-12)


@pytest.mark.parametrize("text", WAYS.values(), ids=WAYS)
def test_all_samples_at_the_same_values_are_as_each_by_itself(text: str) -> None:
    """Every resample starts where the sample ended, and what is common to all is computed once; one that was mixed up with another
    there would set out in a wrong direction. A sample as far from the values as in the last one leaves none of the others alone."""
    table = table_of(text)
    truth = random_population(table, 5)
    model, theta = lay_out(table), values_of(truth)
    draws = np.random.default_rng(2).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, (6, 90))
    samples = np.stack([np.cov(draw, rowvar=False) for draw in draws])
    for last in (1.0, 1e12):
        samples[-1] *= last
        likelihood, good = normal_likelihood(samples)
        assert good.all()
        value, gradient = likelihood.evaluate_alike(model, theta)
        for at in range(6):
            alone, slope = likelihood.evaluate(model, theta[None], np.array([at]))
            assert value[at] == pytest.approx(alone[0], rel=1e-9)
            np.testing.assert_allclose(gradient[at], slope[0], rtol=1e-8, atol=1e-8 * last)


def test_impossible_values_do_not_spoil_their_neighbours() -> None:
    """A negative variance in one member is that member's own affair."""
    table = table_of(CHAIN)
    model = lay_out(table)
    truth = random_population(table, 3)
    likelihood, _ = normal_likelihood(np.stack([truth.covariance] * 3))
    theta = np.stack([values_of(truth)] * 3)
    residual = next(p.index for p in table.parameters if p.matrix == "residual" and p.index is not None)
    theta[1, residual] = -0.2
    value, gradient = likelihood.evaluate(model, theta, np.arange(3))
    alone, _ = likelihood.evaluate(model, theta[:1], np.arange(1))
    assert value[0] == pytest.approx(alone[0], abs=1e-12)
    assert value[2] == pytest.approx(alone[0], abs=1e-12)
    assert np.isfinite(gradient[[0, 2]]).all()
    assert admissible(model, theta).tolist() == [True, False, True]
    assert residual_variances(model, theta)[1].min() == pytest.approx(-0.2)
    np.testing.assert_allclose(
        residual_variances(model, theta[0]), np.diagonal(matrices(model, theta[0]).residual), rtol=1e-15
    )


@given(seed=st.integers(0, 500), holes=st.booleans(), bends=st.booleans())
def test_summaries_of_all_figures_are_those_of_each(seed: int, holes: bool, bends: bool) -> None:
    """One vectorised pass, against quantiles, deviations and counts of one figure after another."""
    rng = np.random.default_rng(seed)
    draws = rng.normal(rng.normal(size=5), 1.0, size=(90, 5))
    draws[:, 4] = np.round(draws[:, 4])  # with ties
    if holes:
        draws[rng.random(draws.shape) < 0.1] = np.nan
        draws[:, 3] = np.nan
        draws[3, 2] = np.inf
    estimates = rng.normal(size=5)
    estimates[1] = np.nan
    acceleration = rng.normal(0, 0.05, size=5) if bends else None
    zero = np.array([True, True, False, True, True])
    found = summarise(draws, estimates, 0.9, zero, acceleration)
    for k in range(5):
        used = draws[np.isfinite(draws[:, k]), k]
        if used.size < 2 or not np.isfinite(estimates[k]):
            assert found[k] is None
            continue
        one = found[k]
        assert one is not None
        share = ((used < estimates[k]).sum() + 0.5 * (used == estimates[k]).sum()) / used.size
        z0 = ndtri(np.clip(share, 0.5 / used.size, 1 - 0.5 / used.size))
        tails = np.array([0.05, 0.95])
        np.testing.assert_allclose(one.percentile, np.quantile(used, tails), rtol=1e-12)
        np.testing.assert_allclose(one.bias_corrected, np.quantile(used, ndtr(2 * z0 + ndtri(tails))), rtol=1e-9)
        assert (one.mean, one.se) == (pytest.approx(used.mean()), pytest.approx(used.std(ddof=1)))
        assert one.n_used == used.size
        if acceleration is None:
            assert one.bca is None
        else:
            reach = z0 + ndtri(tails)
            shifted = ndtr(z0 + reach / (1 - acceleration[k] * reach))
            np.testing.assert_allclose(one.bca, np.quantile(used, shifted), rtol=1e-9)
        fewer = min((used <= 0).sum(), (used >= 0).sum())
        assert one.p_value == (pytest.approx(min(1, 2 * (fewer + 1) / (used.size + 1))) if zero[k] else None)


@given(seed=st.integers(0, 300), overlap=st.booleans())
def test_ratios_of_a_batch_are_those_of_pairs(seed: int, overlap: bool) -> None:
    """HTMT in its three forms by sums over blocks, against means over pairs written out."""
    rng = np.random.default_rng(seed)
    blocks = [[0, 1, 2], [2 if overlap else 3, 4], [5]]
    draws = rng.normal(size=(4, 25, 6)) + rng.normal(size=(4, 25, 1))
    batch = np.stack([np.corrcoef(d, rowvar=False) for d in draws])

    def mean(values: np.ndarray, one: list[int], other: list[int]) -> float:
        pairs = [(i, j) for i in one for j in other if i != j]
        return float(np.mean([values[i, j] for i, j in pairs])) if pairs else 1.0

    scaled = batch * np.outer(range(1, 7), range(1, 7))  # as covariances, whose units do not matter
    for r, absolute, signed, geometric in zip(batch, *heterotrait(scaled, blocks), strict=True):
        at = 0
        for i in range(3):
            for j in range(i + 1, 3):
                for values, found in ((r, signed[at]), (np.abs(r), absolute[at])):
                    within = [mean(values, b, b) if len(b) > 1 else 1.0 for b in (blocks[i], blocks[j])]
                    if min(within) > 0:
                        expected = mean(values, blocks[i], blocks[j]) / np.sqrt(within[0] * within[1])
                        assert found == pytest.approx(expected, rel=1e-9, abs=1e-12)
                    else:
                        assert np.isnan(found)
                with np.errstate(invalid="ignore"):
                    logs = np.log(np.where(r > 0, r, np.nan))
                inner = [mean(logs, b, b) if len(b) > 1 else 0.0 for b in (blocks[i], blocks[j])]
                expected = np.exp(mean(logs, blocks[i], blocks[j]) - (inner[0] + inner[1]) / 2)
                np.testing.assert_allclose(geometric[at], expected, rtol=1e-9)
                at += 1


def test_streams_go_together_or_in_parts() -> None:
    """More or fewer at once never means other resamples; very many cases, large models and slow estimators go in smaller parts,
    so that a run that is to stop stops."""
    assert at_once(FEW_CASES, 60) == MANY > at_once(FEW_CASES + 1, 60) == at_once(100, 61) == STREAM
    assert at_once(100, 10, slow=True) == at_once(100, 200) == SOME
    for size in (SOME, STREAM, MANY):
        chunks = chunks_of(5 * STREAM + 7, 11, size)
        assert sum(c.size for c in chunks) == 5 * STREAM + 7
        assert [c.number for c in chunks] == list(range(len(chunks)))
        counts = np.concatenate([counts_with_replacement(c, [9])[0] for c in chunks])
        assert (counts.sum(axis=1) == 9).all()
        if size == SOME:
            alone = counts
        np.testing.assert_array_equal(counts, alone)
    few = np.concatenate([counts_leaving_one_out(c, [300])[0] for c in chunks_leaving_one_out(300, SOME)])
    np.testing.assert_array_equal(few, 1 - np.eye(300))
    left = np.concatenate([counts_leaving_one_out(c, [300])[0] for c in chunks_leaving_one_out(300)])
    np.testing.assert_array_equal(left, 1 - np.eye(300))


@pytest.mark.parametrize("unit", [1.0, 1000.0])
def test_a_resample_whose_fit_falls_without_end_has_not_converged(unit: float) -> None:
    """Of three items the first has communality s₁₂s₁₃/s₂₃: far beyond 1 where s₂₃ is small, a minimum all the same; without end where
    it is negative. An estimate of where the search happened to stop would be a number of nobody's."""
    model = lay_out(table_of("A shows in a1..a3"))
    scale = unit * np.array([1.0, 2.0, 0.5])
    samples = np.stack(
        [np.array([[1, 0.5, 0.5], [0.5, 1, s], [0.5, s, 1]]) for s in (0.5, 0.1, 0.012, 0.006, -0.02, -0.1)]
    )
    samples = samples * np.outer(scale, scale)
    healthy, _ = normal_likelihood(samples[:1])
    start = solve(model, healthy, np.array([2.0, 0.5, *(0.5 * scale**2), 0.5 * unit**2])).theta
    found, usable = normal_likelihood(samples)
    theta, value, done = solve_batch(model, found, usable, start, metric_at(model, healthy, start))
    assert done.tolist() == [True, True, True, True, False, False]
    assert value[done] == pytest.approx(0, abs=1e-9)
    variance = samples[:, 0, 1] * samples[:, 0, 2] / samples[:, 1, 2]
    at = [p.index for p in model.table.parameters if p.words == "variance of A"]
    assert theta[done][:, at[0]] == pytest.approx(variance[done], rel=1e-4)
