"""Where resamples are solved: coordinates that only rename the same model, and regressions that need no search."""

from __future__ import annotations

import numpy as np
import pytest

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_samples
from dusk_arrow.core.covariance.compiled import Block, lay_out
from dusk_arrow.core.covariance.coordinates import Coordinates, coordinates_at
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.discrepancies.regressions import regressions_of
from dusk_arrow.core.covariance.objective import TurnedObjective
from dusk_arrow.core.covariance.statistics import Inquiry
from dusk_arrow.core.observations.moments import prepare_products, resample_covariances
from dusk_arrow.core.resampling.draws import FromCases, chunks_of, counts_with_replacement
from tests.core.populations import (
    Population,
    case_evidence,
    fit_cases,
    fit_matrix,
    from_counts,
    random_population,
    table_of,
)
from tests.core.test_engine import CHAIN, WAYS, values_of

COVARYING = CHAIN + "\na1 and a2 covary"


def around(text: str) -> tuple[Block, Population, np.ndarray, Coordinates]:
    table = table_of(text)
    truth = random_population(table, 3)
    model = lay_out(table)
    theta = values_of(truth)
    return model, truth, theta, coordinates_at(model, theta)


@pytest.mark.parametrize("text", [*WAYS.values(), COVARYING], ids=[*WAYS, "residuals that covary"])
def test_coordinates_are_the_values_at_the_start_and_derivatives_follow_the_chain(text: str) -> None:
    """A wrong factor would not move the minimum, but send every resample there by a detour, or never."""
    model, truth, theta, found = around(text)
    np.testing.assert_allclose(found.theta(theta[None], found.units(theta[None]))[0], theta, rtol=1e-12)
    step = 1e-6 * np.eye(theta.size)
    ahead, behind = (found.theta(theta + sign * step, found.units(theta + sign * step)) for sign in (1, -1))
    np.testing.assert_allclose(found.slopes(theta), ((ahead - behind) / 2e-6).T, rtol=1e-6, atol=1e-8)
    rng = np.random.default_rng(1)
    draw = rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, size=200)
    likelihood, _ = normal_likelihood(np.cov(draw, rowvar=False)[None])
    problem = TurnedObjective(model, likelihood, found)
    x = theta * (1 + 0.05 * rng.normal(size=theta.size)) + 0.01 * rng.normal(size=theta.size)
    one = np.zeros(1, dtype=np.intp)
    _, gradient = problem.evaluate(x[None], one)
    numerical = [
        (problem.evaluate((x + s)[None], one)[0][0] - problem.evaluate((x - s)[None], one)[0][0]) / 2e-6 for s in step
    ]
    np.testing.assert_allclose(gradient[0], numerical, rtol=2e-5, atol=2e-6)


def test_units_do_not_matter_in_the_coordinates() -> None:
    """The reason for them: with all variances of nodes and residuals multiplied, loadings, paths and covariances in their units
    stay what they were."""
    _, _, theta, found = around(COVARYING)
    x = theta.copy()
    x[found.variances] = found.start * (1 + 2 * (2.0 - 1))  # every standard deviation twice as large
    turned = found.theta(x[None], found.units(x[None]))[0]
    np.testing.assert_allclose(turned[found.variances], 4 * found.start)
    model = lay_out(table_of(COVARYING))
    for p in model.table.parameters:
        if (
            p.index is not None and p.kind == "loading"
        ):  # both the item's and the construct's SD doubled: by construct alone
            assert turned[p.index] == pytest.approx(theta[p.index] / 2)
        elif p.index is not None and p.kind == "path":
            assert turned[p.index] == pytest.approx(theta[p.index])
        elif p.index is not None and p.kind == "covariance":
            assert turned[p.index] == pytest.approx(4 * theta[p.index])


@pytest.mark.parametrize(
    "text",
    [
        "x leads to m\nm and x lead to y",
        "a and b lead to m\na and m lead to y\nb and y lead to z",
        "a and b and c lead to y",
    ],
)
def test_observed_paths_are_regressions_in_every_resample(text: str) -> None:
    """Least squares of each outcome on what leads to it, and F against ln|Σ| − ln|S| with Σ put together from them."""
    table = table_of(text)
    truth = random_population(table, 2)
    values = np.random.default_rng(5).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, 80)
    model, names = lay_out(table), list(table.observed)
    counts = counts_with_replacement(chunks_of(40, 3)[0], [80])[0]
    likelihood, _ = normal_likelihood(resample_covariances(prepare_products(values), counts))
    known = likelihood.direct(model)
    assert known is not None
    theta, value, good = known
    assert good.all()
    for k in range(40):
        rows = np.repeat(values, counts[k].astype(int), axis=0)
        rows = rows - rows.mean(axis=0)
        for outcome in {p.target for p in table.parameters if p.kind == "path"}:
            paths = [p for p in table.parameters if p.kind == "path" and p.target == outcome]
            design = rows[:, [names.index(p.source) for p in paths]]
            expected, left, *_ = np.linalg.lstsq(design, rows[:, names.index(outcome)], rcond=None)
            np.testing.assert_allclose(theta[k, [p.index for p in paths]], expected, rtol=1e-9, atol=1e-12)
            own = next(p.index for p in table.parameters if p.kind == "variance" and p.source == outcome)
            assert theta[k, own] == pytest.approx(left[0] / 80)
        again, gradient = likelihood.evaluate(model, theta[k : k + 1], np.array([k]))
        assert value[k] == pytest.approx(again[0], abs=1e-10)
        assert np.abs(gradient).max() < 1e-9


@pytest.mark.parametrize(
    "text",
    [
        CHAIN,
        "x leads to m\nm leads to y\nm and y covary",
        "x leads to m\nm and x lead to y\nhold x > m at 0.3",
        "x leads to m\nm and x lead to y\nmatch x > m, x > y",
        "x leads to m, y\nm leads to y\ny leads to m",
    ],
)
def test_what_is_more_than_regressions_is_searched_for(text: str) -> None:
    """Constructs, covarying disturbances, held and equal paths, and circles have no closed form."""
    assert regressions_of(lay_out(table_of(text))) is None


def test_a_variance_whose_minimum_is_beyond_zero_is_found_all_the_same() -> None:
    """Standard deviations know no negative variances; such resamples are solved by θ itself, and none is lost or bent to zero."""
    table = table_of("A shows in a1..a3\nB shows in b1..b3\nA leads to B")
    truth = random_population(table, 8)
    values = np.random.default_rng(11).multivariate_normal(np.zeros(6), truth.covariance, 80)
    found = fit_cases(table, values)
    task = BootstrapTask((Inquiry(found.model),), found, FromCases((case_evidence(values),)))
    counts = counts_with_replacement(chunks_of(200, 4)[0], [80])[0]
    result = run_samples(prepare(task), from_counts(prepare(task), counts))
    assert result.failed == 0
    assert 0 < (~result.admissible).sum() < 200
    samples = resample_covariances(prepare_products(values), counts)
    negative = np.flatnonzero(~result.admissible)[:12]
    for k in negative:
        alone = fit_matrix(table, samples[k], 100).solution
        estimates = result.statistics[k][: len(table.parameters)]  # they come first, in their order
        ours = [estimates[i] for i, p in enumerate(table.parameters) if p.index is not None]
        slots = [p.index for p in table.parameters if p.index is not None]
        np.testing.assert_allclose(ours, alone.theta[slots], atol=1e-5, rtol=1e-5)
