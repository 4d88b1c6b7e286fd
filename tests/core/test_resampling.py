"""Resamples that redo what was done to the data, BCa intervals, the Bollen–Stine test, and scores of cases."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from dusk_arrow.core.composite.family import CompositeFamily
from dusk_arrow.core.composite.setting_up import Ready, plan_program
from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_chunk, run_samples
from dusk_arrow.core.covariance.estimation import estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.implied import implied, matrices
from dusk_arrow.core.covariance.parameters import compile_model
from dusk_arrow.core.covariance.scores import score_weights
from dusk_arrow.core.covariance.statistics import Inquiry
from dusk_arrow.core.family import Fitted, Observed, SetUp
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.observations.derived import Derived, Mean, Product, Score
from dusk_arrow.core.observations.evidence import Cases, CompleteCases, IncompleteCases, MatrixEvidence
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.resampling.draws import (
    FromCases,
    chunks_leaving_one_out,
    chunks_of,
    counts_leaving_one_out,
    counts_with_replacement,
)
from dusk_arrow.core.resampling.intervals import accelerations, summarise
from dusk_arrow.core.scores import score
from dusk_arrow.core.statistics import StatisticKey
from dusk_arrow.results.settings import Settings
from tests.core.populations import (
    THREE,
    case_evidence,
    fit_cases,
    fit_matrix,
    from_counts,
    model_of,
    only,
    random_population,
    table_of,
)


def rows(seed: int, n: int, text: str = THREE) -> np.ndarray:
    truth = random_population(table_of(text), seed)
    return np.random.default_rng(seed).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)


def test_every_resample_fills_its_own_gaps() -> None:
    """Filling once and then resampling would pretend that the filled answers were known."""
    values = rows(1, 120)
    rng = np.random.default_rng(2)
    holes = np.where(rng.random(values.shape) < 0.2, np.nan, values)
    evidence = case_evidence(holes, missing="mean")
    counts = rng.multinomial(120, np.full(120, 1 / 120), 4).astype(float)
    draw = evidence.resampling()(counts)
    for i in range(4):
        again = np.repeat(holes, counts[i].astype(int), axis=0)
        filled = np.where(np.isnan(again), np.nanmean(again, axis=0), again)
        np.testing.assert_allclose(draw.covariances[i], np.cov(filled.T, ddof=0), atol=1e-10)
        np.testing.assert_allclose(draw.means[i], filled.mean(axis=0), atol=1e-10)


def test_resample_means_and_the_jackknife() -> None:
    """The jackknife leaves every case out once, and moments follow the size of the resample."""
    values = rows(2, 150)
    resampling = case_evidence(values).resampling()
    chunks = chunks_leaving_one_out(150)
    assert [chunk.size for chunk in chunks] == [128, 22]
    counts = np.concatenate([counts_leaving_one_out(chunk, [150])[0] for chunk in chunks])
    assert (counts.sum(axis=1) == 149).all()
    assert (counts.sum(axis=0) == 149).all()
    draw = resampling(counts[[0, 140]])
    for k, left in enumerate((0, 140)):
        kept = np.delete(values, left, axis=0)
        np.testing.assert_allclose(draw.covariances[k], np.cov(kept.T, ddof=0), atol=1e-10)
        np.testing.assert_allclose(draw.means[k], kept.mean(axis=0), atol=1e-10)


def test_acceleration_and_bca_of_a_mean() -> None:
    """For a mean the acceleration is skewness/(6√n), and the interval is the one SciPy computes from the same idea."""
    values = np.random.default_rng(5).gamma(1.2, size=60)
    left_out = (values.sum() - values) / 59
    a = accelerations(left_out[:, None])[0]
    assert a == pytest.approx(stats.skew(values) / (6 * np.sqrt(60)), rel=1e-9)
    rng = np.random.default_rng(6)
    draws = values[rng.integers(0, 60, (40_000, 60))].mean(axis=1)
    summary = summarise(draws[:, None], np.array([values.mean()]), 0.95, np.array([True]), np.array([a]))[0]
    assert summary is not None
    assert summary.bca is not None
    other = stats.bootstrap((values,), np.mean, n_resamples=40_000, method="BCa", random_state=7, vectorized=True)
    assert summary.bca[0] == pytest.approx(other.confidence_interval.low, abs=0.01)
    assert summary.bca[1] == pytest.approx(other.confidence_interval.high, abs=0.01)
    assert summary.bca != summary.percentile


def test_transformed_data_fit_the_model_exactly_and_its_test_keeps_its_level() -> None:
    """Bollen & Stine's resamples are drawn from data in which the model holds; their T is about χ² with df."""
    values = rows(7, 400)
    table = table_of("A shows in a1, a2, a3, b1, b2, b3, c1, c2, c3")
    found = fit_cases(table, values)
    assert found.statistic > 60
    prepared = prepare(BootstrapTask((Inquiry(found.model),), found, FromCases((only(found).evidence,)), True))  # type: ignore[arg-type]
    assert prepared.transforms is not None
    turned = prepared.transforms[0] @ only(found).evidence.covariance @ prepared.transforms[0].T
    np.testing.assert_allclose(turned, only(found).covariance, atol=1e-10)
    drawn = np.concatenate([run_chunk(prepared, chunk).transformed for chunk in chunks_of(384, 1)])
    assert drawn.mean() == pytest.approx(27, rel=0.15)
    assert (drawn >= found.statistic).mean() < 0.05
    again = values @ prepared.transforms[0].T
    counts = counts_with_replacement(chunks_of(2, 1)[0], [400])[0]
    each = run_samples(prepared, from_counts(prepared, counts)).transformed
    for k in range(2):
        sample = np.cov(np.repeat(again, counts[k].astype(int), axis=0).T, ddof=0)
        assert each[k] == pytest.approx(fit_matrix(table, sample, 400).statistic, rel=1e-6)


def test_scores_are_conditional_means_and_unbiased() -> None:
    """Regression scores are E(η | y); Bartlett's reproduce the construct exactly when there is no error."""
    table = table_of(THREE)
    truth = random_population(table, 9)
    found = fit_matrix(table, truth.covariance, 500)
    weights = score_weights(only(found))
    parts = matrices(found.model, found.solution.theta)
    joint = implied(parts)
    across = joint.nodes @ parts.loading.T
    np.testing.assert_allclose(weights.regression, across @ np.linalg.inv(truth.covariance), atol=1e-6)
    assert weights.bartlett is not None
    np.testing.assert_allclose(weights.bartlett @ parts.loading, np.eye(3), atol=1e-8)
    inverse = np.linalg.inv(parts.residual)
    classic = np.linalg.solve(parts.loading.T @ inverse @ parts.loading, parts.loading.T @ inverse)
    np.testing.assert_allclose(weights.bartlett, classic, atol=1e-8)
    constructs = np.random.default_rng(1).standard_normal((20, 3))
    np.testing.assert_allclose(score(weights, constructs @ parts.loading.T, "bartlett"), constructs, atol=1e-8)
    gap = np.full((1, 9), np.nan)
    assert np.isnan(score(weights, gap)).all()


@pytest.mark.parametrize("how", [{"missing": "full-information"}, {"estimator": "gls"}, {"estimator": "adf"}])
def test_bootstrap_of_every_kind_of_evidence(how: dict[str, str]) -> None:
    """The bootstrap's errors are of the size of the estimator's own, whatever is resampled."""
    text = "A shows in a1, a2, a3\nA leads to y"
    values = rows(11, 400, text)
    if "missing" in how:
        values[:60, 1] = np.nan
        values[40:90, 3] = np.nan

    table = compile_model(model_of(text), "marker", "missing" in how)
    found = fit_cases(table, values, **how)  # type: ignore[arg-type]
    plan = Inquiry(found.model)
    prepared = prepare(BootstrapTask((plan,), found, FromCases((only(found).evidence,))))  # type: ignore[arg-type]
    results = [run_chunk(prepared, chunk) for chunk in chunks_of(256, 4)]
    draws = np.concatenate([r.statistics for r in results])
    assert sum(r.failed for r in results) == 0
    at = next(i for i, p in enumerate(table.parameters) if p.words == "A → y")
    index = table.parameters[at].index
    assert draws[:, at].std(ddof=1) == pytest.approx(np.sqrt(found.covariance[index, index]), rel=0.25)
    keys = plan.keys
    assert np.isfinite(draws[:, keys.index(StatisticKey("alpha", ("A",)))]).all()


def leading(correlation: np.ndarray) -> np.ndarray:
    """Weights of the first principal component, as an earlier stage might find them (b, k)."""
    vectors = np.linalg.eigh(correlation)[1][..., -1]
    return vectors * np.sign(vectors.sum(axis=-1, keepdims=True))


RULES = (Product("a·b", ("a", "b")), Mean("mean", ("a", "c")), Score("score", ("b", "c"), weigh=leading))


@pytest.mark.parametrize("missing", ["listwise", "full-information", "mean", "pairwise"])
@pytest.mark.parametrize("rules", [RULES[:1], RULES], ids=["product", "product, mean and score"])
def test_derived_columns_are_formed_anew_in_every_resample(missing: str, rules: tuple[Derived, ...]) -> None:
    """Whatever is done about missing answers, a resample's moments are those of its cases gathered anew. A product centred once,
    before resampling, has the wrong covariances in each."""
    rng = np.random.default_rng(3)
    values = rng.gamma(2.0, size=(90, 4)) + 5 + rng.normal(size=(90, 1))
    if missing != "listwise":
        values[rng.random(values.shape) < 0.08] = np.nan

    def gathered(rows: np.ndarray) -> Cases:
        columns = tuple(Column(name, "number", values[rows, i]) for i, name in enumerate("abcd"))
        found = gather(DataSet("d", columns), ("a", "d"), missing, "n-1", rules)  # type: ignore[arg-type]
        assert not isinstance(found, MatrixEvidence)
        return found

    whole = gathered(np.arange(90))
    kept = np.arange(90)[~np.isnan(values[:, [0, 3]]).all(axis=1)]
    counts = rng.multinomial(kept.size, np.full(kept.size, 1 / kept.size), 6).astype(float)
    drawn = whole.resampling()(counts)
    assert drawn.means is not None
    for i in range(6):
        again = gathered(np.repeat(kept, counts[i].astype(int)))
        accuracy = 1e-4 if missing == "full-information" else 1e-9  # EM of resamples stops earlier
        np.testing.assert_allclose(drawn.means[i], again.means, rtol=accuracy, atol=accuracy)
        np.testing.assert_allclose(drawn.covariances[i], again.covariance, rtol=accuracy, atol=accuracy)
        if isinstance(again, IncompleteCases):
            assert drawn.patterns is not None
            at = [mask.tolist() for mask in drawn.patterns.masks].index(again.moments.masks[0].tolist())
            np.testing.assert_allclose(drawn.patterns.covariances[i, at], again.moments.covariances[0, 0], atol=1e-9)
    once = np.cov(np.repeat(whole.answers, counts[0].astype(int), axis=0).T)
    if missing == "listwise":
        assert abs(once[0, 2] - drawn.covariances[0, 0, 2]) > 1e-3


def test_both_families_estimate_with_derived_columns() -> None:
    """A product stands in a model like any other column: its path is that of the regression with the product written out, and in a
    resample that of the resampled cases."""
    rng = np.random.default_rng(5)
    x, z = rng.normal(1, 1, (2, 300))
    y = 0.4 * x + 0.3 * z + 0.25 * (x - 1) * (z - 1) + rng.normal(0, 0.6, 300)
    data = DataSet("d", tuple(Column(n, "number", v) for n, v in (("x", x), ("z", z), ("y", y))))

    def regression(rows: np.ndarray) -> np.ndarray:
        a, b, c = x[rows] - x[rows].mean(), z[rows] - z[rows].mean(), y[rows] - y[rows].mean()
        ab = a * b - (a * b).mean()
        return np.asarray(np.linalg.lstsq(np.column_stack([a, b, ab]), c, rcond=None)[0])

    table = table_of("x, z and xz lead to y")
    assert table.observed[-1] == "xz"
    evidence = gather(data, table.observed[:-1], derived=[Product("xz", ("x", "z"))])
    assert isinstance(evidence, CompleteCases)
    found = estimate([table], [evidence])
    at = {p.words: p.index for p in table.parameters if p.kind == "path"}
    ours = [found.point.theta[at[f"{name} → y"] or 0] for name in ("x", "z", "xz")]
    np.testing.assert_allclose(ours, regression(np.arange(300)), rtol=1e-6)
    prepared = prepare(BootstrapTask((Inquiry(found.model),), found, FromCases((evidence,))))
    (chunk,) = chunks_of(5, 2)
    counts = counts_with_replacement(chunk, [300])[0]
    result = run_chunk(prepared, chunk)
    keys = Inquiry(found.model).keys
    for k in range(5):
        rows = np.repeat(np.arange(300), counts[k].astype(int))
        places = [keys.index(StatisticKey("estimate", ParameterKey("path", name, "y"))) for name in ("x", "z", "xz")]
        np.testing.assert_allclose(result.statistics[k, places], regression(rows), rtol=1e-6)
    model, how = model_of("x, z and xz lead to y"), Settings(family="composite", estimator="pls", bootstrap=5)
    program = plan_program(model, how)
    assert program.columns == table.observed
    observed = Observed(program.columns, evidence)
    fitted = CompositeFamily().fit(
        model, SetUp((observed,), 0, Ready(program, model.paths, (observed,), False)), how, data
    )
    assert isinstance(fitted, Fitted)
    assert fitted.task is not None
    paths = [fitted.statistics.value("estimate", ParameterKey("path", name, "y")) for name in ("x", "z", "xz")]
    sd = np.sqrt(np.diag(evidence.covariance))
    scale = dict(zip(program.columns, sd, strict=True))
    np.testing.assert_allclose(paths, [b * scale[n] / scale["y"] for n, b in zip(("x", "z", "xz"), ours, strict=True)])
    result = CompositeFamily().run_chunk(CompositeFamily().prepare(fitted.task), chunk)
    place = fitted.statistics.place[StatisticKey("estimate", ParameterKey("path", "xz", "y"))]
    rows = np.repeat(np.arange(300), counts[2].astype(int))
    drawn = (x[rows] - x[rows].mean()) * (z[rows] - z[rows].mean())
    assert result.statistics[2, place] == pytest.approx(regression(rows)[2] * drawn.std() / y[rows].std(), rel=1e-6)


def test_distribution_free_weights_are_of_the_derived_columns_of_each_resample() -> None:
    """Their own covariances weigh the moments, so a resample's are of its products, not of those of the whole sample."""
    rng = np.random.default_rng(6)
    x, z = rng.normal(1, 1, (2, 200))
    m = 0.4 * x + 0.3 * z + 0.3 * (x - 1) * (z - 1) + rng.normal(0, 0.6, 200)
    y = 0.5 * m + rng.exponential(0.6, 200)
    table = table_of("x and z lead to m\nm leads to y\nxz leads to m")

    def gathered(rows: np.ndarray) -> CompleteCases:
        given = {"x": x, "z": z, "m": m, "y": y}
        data = DataSet("d", tuple(Column(name, "number", values[rows]) for name, values in given.items()))
        names = tuple(name for name in table.observed if name != "xz")
        found = gather(data, names, derived=[Product("xz", ("x", "z"))])
        assert isinstance(found, CompleteCases)
        order = [(*names, "xz").index(name) for name in table.observed]
        assert order == list(range(5))
        return found

    adf, whole = ESTIMATORS["adf"], gathered(np.arange(200))
    found = estimate([table], [whole], adf)
    prepared = prepare(BootstrapTask((Inquiry(found.model),), found, FromCases((whole,))))
    (chunk,) = chunks_of(3, 8)
    (counts,) = counts_with_replacement(chunk, [200])
    result = run_chunk(prepared, chunk)
    for k in range(3):
        again = estimate([table], [gathered(np.repeat(np.arange(200), counts[k].astype(int)))], adf)
        ours = result.statistics[k][[i for i, p in enumerate(table.parameters) if p.index is not None]]
        slots = [p.index for p in table.parameters if p.index is not None]
        np.testing.assert_allclose(ours, again.point.theta[slots], rtol=2e-5, atol=2e-5)


def test_acceleration_of_figures_that_are_not_always_there() -> None:
    """A figure that a left-out case takes away is accelerated by the others; one that is never there by nothing, and in
    silence."""
    rng = np.random.default_rng(8)
    left_out = rng.gamma(2.0, size=(30, 3))
    left_out[4, 1] = np.nan
    left_out[:, 2] = np.nan
    found = accelerations(left_out)
    for column in (0, 1):
        values = left_out[np.isfinite(left_out[:, column]), column]
        gaps = values.mean() - values
        assert found[column] == pytest.approx((gaps**3).sum() / (6 * (gaps**2).sum() ** 1.5))
    assert found[2] == 0.0
