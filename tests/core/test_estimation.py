"""Estimates, errors and figures against published numbers, exact populations and numerical derivatives."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.covariance.compiled import lay_out
from dusk_arrow.core.covariance.estimation import identification
from dusk_arrow.core.covariance.implied import implied, information, matrices
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.statistics import Inquiry, delta_errors, model_statistics
from dusk_arrow.core.effects.routes import list_effects
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.judgements import ways_out
from tests.conftest import ROOT
from tests.core.populations import (
    ALL,
    ONLY,
    THREE,
    Population,
    fit_matrix,
    free_words,
    likelihood_of,
    model_of,
    population,
    random_population,
    table_of,
)

REFERENCE = json.loads((ROOT / "tests/references/stability_of_alienation.json").read_text())


def reference_matrix() -> np.ndarray:
    p = len(REFERENCE["variables"])
    matrix = np.zeros((p, p))
    for i, row in enumerate(REFERENCE["covariance_lower"]):
        matrix[i, : i + 1] = matrix[: i + 1, i] = row
    return matrix


def reference_model(number: int) -> str:
    lines = [f"{name} shows in {', '.join(items)}" for name, items in REFERENCE["constructs"].items()]
    lines += [f"{a} leads to {b}" for a, b in REFERENCE["paths"]]
    lines += [f"{a} and {b} covary" for a, b in REFERENCE["models"][number].get("residual_covariances", [])]
    return "\n".join(lines)


def in_order(table: ParameterTable, names: list[str], matrix: np.ndarray) -> np.ndarray:
    order = [names.index(name) for name in table.observed]
    return matrix[np.ix_(order, order)]


@pytest.mark.parametrize("number", [0, 1])
def test_published_chi_square(number: int) -> None:
    """A reviewer who checks us against the textbook must find the textbook's χ² and df."""
    table = table_of(reference_model(number))
    sample = in_order(table, REFERENCE["variables"], reference_matrix())
    n = REFERENCE["n"]
    found = fit_matrix(table, sample, n - 1)
    published = REFERENCE["models"][number]["published"]
    assert found.solution.converged
    assert round((n - 1) * found.solution.discrepancy, 2) == published["chi_square_divisor_n_minus_1"]
    p = len(REFERENCE["variables"])
    assert p * (p + 1) // 2 - table.n_free == published["df"]


def test_published_estimates_and_errors() -> None:
    """Every printed estimate and standard error, to the digits printed."""
    table = table_of(reference_model(1))
    n = REFERENCE["n"]
    sample = in_order(table, REFERENCE["variables"], reference_matrix()) * (n - 1) / n
    found = fit_matrix(table, sample, n)
    errors = np.sqrt(np.diag(found.covariance))
    by_words = {p.words.replace("→", ">"): p for p in table.parameters}
    for words, (value, error) in REFERENCE["models"][1]["published"]["estimates_and_se_divisor_n"].items():
        index = by_words[words].index
        assert index is not None
        assert round(found.solution.theta[index], 3) == pytest.approx(value, abs=0.0006), words
        assert round(errors[index], 3) == pytest.approx(error, abs=0.0006), words


@pytest.mark.parametrize("text", ALL.values(), ids=ALL.keys())
@pytest.mark.parametrize("scaling", ["marker", "unit-variance"])
def test_exact_population_is_recovered(text: str, scaling: str) -> None:
    """From Σ made of known parameters those parameters must come back, and nothing be left over."""
    model = model_of(text)
    table = compile_model(model, scaling)  # type: ignore[arg-type]
    truth = random_population(table, seed=11)
    assert identification([table]) == []
    found = fit_matrix(table, truth.covariance, 500)
    assert found.solution.converged
    assert found.solution.discrepancy == pytest.approx(0, abs=1e-10)
    values = {p.words: v for p, v in zip(table.parameters, figures_of(found, model).of("estimate"), strict=True)}
    for words, value in truth.values.items():
        assert values[words] == pytest.approx(value, abs=1e-6), words


def figures_of(found, model):  # type: ignore[no-untyped-def]
    effects, _ = list_effects(model.paths, found.model.table.structural)
    return model_statistics([Inquiry(found.model, tuple(effects), tuple(model.tracked.items()))], found.solution.theta)


def noisy(truth: Population, seed: int, n: int = 400) -> np.ndarray:
    rng = np.random.default_rng(seed)
    rows = rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    return np.cov(rows.T, ddof=0)


@pytest.mark.parametrize("text", ALL.values(), ids=ALL.keys())
def test_gradient_and_hessian_are_derivatives_of_the_discrepancy(text: str) -> None:
    """A wrong derivative gives a wrong minimum or wrong errors without any sign of it."""
    table = table_of(text)
    model = lay_out(table)
    truth = random_population(table, seed=5)
    sample = noisy(truth, 6)
    likelihood = likelihood_of(sample)
    rng = np.random.default_rng(1)
    start = np.array([truth.values[w] for w in free_words(table)])
    theta = start * rng.uniform(0.95, 1.05, start.size)
    _, gradient = likelihood.evaluate(model, theta[None], ONLY)
    step = 1e-6
    repeated = np.zeros(theta.size, dtype=np.intp)
    ahead = likelihood.evaluate(model, theta + step * np.eye(theta.size), repeated)
    behind = likelihood.evaluate(model, theta - step * np.eye(theta.size), repeated)
    np.testing.assert_allclose(gradient[0], (ahead[0] - behind[0]) / (2 * step), atol=2e-7, rtol=1e-5)
    curvature = likelihood.exact(model, theta, 0)
    np.testing.assert_allclose(curvature, (ahead[1] - behind[1]) / (2 * step), atol=1e-5, rtol=1e-4)


@pytest.mark.parametrize("text", ALL.values(), ids=ALL.keys())
def test_information_is_half_the_expected_curvature(text: str) -> None:
    """At an exact population the second derivatives of F are twice the information that errors are made from."""
    table = table_of(text)
    truth = random_population(table, seed=3)
    theta = np.array([truth.values[w] for w in free_words(table)])
    curvature = likelihood_of(truth.covariance).exact(lay_out(table), theta, 0)
    np.testing.assert_allclose(2 * information(lay_out(table), theta), curvature, atol=1e-8)


def test_delta_errors_against_numerical_derivatives() -> None:
    """Standardized estimates and effects have errors of their own; complex steps must agree with differences."""
    model = model_of(THREE)
    table = compile_model(model)
    found = fit_matrix(table, noisy(random_population(table, 2), 3), 400)
    effects, _ = list_effects(model.paths, table.structural)
    plan = Inquiry(found.model, tuple(effects))
    theta, step = found.solution.theta, 1e-6
    ahead = model_statistics([plan], theta + step * np.eye(theta.size)).values
    behind = model_statistics([plan], theta - step * np.eye(theta.size)).values
    jacobian = (ahead - behind) / (2 * step)
    expected = np.sqrt(np.einsum("kf,kl,lf->f", jacobian, found.covariance, jacobian))
    np.testing.assert_allclose(delta_errors([plan], theta, found.covariance).values, expected, atol=1e-7)


def test_errors_agree_with_a_large_simulation() -> None:
    """The printed standard error must be the spread that repeated studies would show."""
    table = table_of("x leads to m\nm and x lead to y")
    values = {
        "x → m": 0.5,
        "m → y": 0.4,
        "x → y": 0.2,
        "variance of x": 1.0,
        "variance of m": 0.75,
        "variance of y": 0.7,
    }
    truth = population(table, values)
    rng = np.random.default_rng(9)
    n, studies = 200, 1500
    index = next(p.index for p in table.parameters if p.words == "m → y")
    draws = []
    for _ in range(studies):
        rows = rng.multivariate_normal(np.zeros(3), truth.covariance, n)
        draws.append(
            np.linalg.lstsq(
                rows[:, [list(table.observed).index("m"), list(table.observed).index("x")]],
                rows[:, list(table.observed).index("y")],
                rcond=None,
            )[0][0]
        )
    error = np.sqrt(fit_matrix(table, truth.covariance, n).covariance[index, index])
    assert error == pytest.approx(np.std(draws), rel=0.06)


@given(seed=st.integers(0, 10_000), units=st.lists(st.floats(0.01, 500), min_size=9, max_size=9))
def test_units_of_an_indicator_change_no_standardized_figure(seed: int, units: list[float]) -> None:
    """Answers coded 1–7 or 0–100 must tell the same story."""
    model = model_of(THREE)
    table = compile_model(model)
    sample = noisy(random_population(table, seed % 50), seed)
    scale = np.array(units)
    first = fit_matrix(table, sample, 400)
    second = fit_matrix(table, sample * np.outer(scale, scale), 400)
    assert second.solution.discrepancy == pytest.approx(first.solution.discrepancy, abs=1e-8)
    a, b = figures_of(first, model), figures_of(second, model)
    np.testing.assert_allclose(a.of("standardized"), b.of("standardized"), atol=1e-5)
    np.testing.assert_allclose(a.of("r_squared"), b.of("r_squared"), atol=1e-5)


@given(seed=st.integers(0, 10_000))
def test_scaling_and_order_do_not_matter(seed: int) -> None:
    """Marker or unit variance, items in whatever order: the same fit and the same standardized solution."""
    model = model_of(THREE)
    table = compile_model(model)
    sample = noisy(random_population(table, seed % 50), seed)
    marker = fit_matrix(table, sample, 400)
    unit = fit_matrix(compile_model(model, "unit-variance"), sample, 400)
    assert unit.solution.discrepancy == pytest.approx(marker.solution.discrepancy, abs=1e-9)
    np.testing.assert_allclose(
        figures_of(marker, model).of("standardized"), figures_of(unit, model).of("standardized"), atol=1e-5
    )
    turned = model_of(THREE.replace("a1, a2, a3", "a3, a1, a2"))
    other = compile_model(turned)
    found = fit_matrix(other, in_order(other, list(table.observed), sample), 400)
    assert found.solution.discrepancy == pytest.approx(marker.solution.discrepancy, abs=1e-9)
    by_words = dict(zip([p.words for p in table.parameters], figures_of(marker, model).of("standardized"), strict=True))
    for p, value in zip(other.parameters, figures_of(found, turned).of("standardized"), strict=True):
        assert value == pytest.approx(by_words[p.words], abs=1e-5)


@given(seed=st.integers(0, 3000))
def test_random_identified_models_converge(seed: int) -> None:
    """People meet ordinary samples of ordinary models every day; none of them may be left without numbers."""
    rng = np.random.default_rng(seed)
    k = int(rng.integers(2, 6))
    names = [f"C{i}" for i in range(k)]
    lines = [f"{n} shows in " + ", ".join(f"{n.lower()}_{j}" for j in range(int(rng.integers(3, 6)))) for n in names]
    lines += [
        f"{names[i]} leads to {names[j]}" for j in range(1, k) for i in range(j) if i == j - 1 or rng.random() < 0.3
    ]
    table = table_of("\n".join(lines))
    found = fit_matrix(table, noisy(random_population(table, seed), seed, n=300), 300)
    assert found.solution.converged


def test_starting_values_are_used_and_harmless() -> None:
    """A stated start must not change where the estimation ends."""
    plain = table_of(THREE)
    started = table_of(THREE + "\nbegin A > B at 0.9\nbegin variance of b1 at 2")
    sample = noisy(random_population(plain, 1), 1)
    first, second = fit_matrix(plain, sample, 400), fit_matrix(started, sample, 400)
    np.testing.assert_allclose(first.solution.theta, second.solution.theta, atol=1e-6)


def test_implied_matrix_of_a_batch_is_that_of_each() -> None:
    """A sample is a batch of one: computing many at once must not mix them."""
    table = table_of(THREE)
    model = lay_out(table)
    rng = np.random.default_rng(0)
    theta = rng.uniform(0.3, 0.9, (5, table.n_free))
    together = implied(matrices(model, theta)).covariance
    for one, expected in zip(theta, together, strict=True):
        np.testing.assert_array_equal(implied(matrices(model, one)).covariance, expected)


@pytest.mark.parametrize(
    ("text", "code", "names"),
    [
        ("A shows in a1, a2", "too_many_parameters", []),
        ("A shows in a1, a2\nB shows in b1, b2\nA and B do not covary", "not_identified", ["a2", "b2"]),
        ("A shows in a1, a2, a3\nB shows in b1, b2, b3\nG shows in A, B", "not_identified", ["variance of G"]),
        ("A shows in a1, a2, a3\nB shows in b1, b2, b3\nhold A > a1 at 0\nA leads to B\nB leads to A", "", ["A", "B"]),
    ],
)
def test_models_that_no_data_identify_are_named(text: str, code: str, names: list[str]) -> None:
    """The problem must say which parameters cannot be told apart, not just that something is singular."""
    problems = identification([table_of(text)])
    assert len(problems) == 1
    if code:
        assert problems[0].code == code
    for name in names:
        assert name in problems[0].message


def test_parameters_are_known_by_what_they_are_not_by_their_words() -> None:
    """Names may hold arrows and ampersands; a repair that took words apart removed the wrong path, or none."""
    text = '"a → b" leads to c\nc leads to "a → b"\n"x & y" leads to c, "a → b"\n"x & y" and "a → b" covary'
    problems = identification([table_of(text)])
    assert problems
    assert {key.words for key in problems[0].parameters} == set(problems[0].about)
    assert all({key.source, key.target} <= {"a → b", "x & y", "c"} for key in problems[0].parameters)
    repaired = ways_out(problems[0], model_of(text))
    assert repaired.repairs
    for repair in repaired.repairs:
        assert apply(parse(text), repair.change) != parse(text)
