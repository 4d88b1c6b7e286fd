"""The whole analysis: the document, its keys, raw data against moments, the bootstrap, problems."""

from __future__ import annotations

import json

import numpy as np
import pytest

from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.observations.moments import covariance
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import FixPath, SetAside, SetCovariance
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import coefficient, interval_text, p_text, p_words, plain
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.comparison import difference
from dusk_arrow.results.document import Results
from dusk_arrow.results.readout import readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs.pool import WorkerPool
from tests.conftest import ROOT, demo_data, demo_text


def document(text: str, data: DataSet | Moments, **settings: object) -> Results:
    return assemble(analyse(parse(text), data, Settings.model_validate(settings)))


@pytest.fixture(scope="module")
def wardens() -> Results:
    return document(demo_text("river_wardens"), demo_data("river_wardens"))


@pytest.fixture(scope="module")
def ferry() -> Results:
    return document(demo_text("night_ferry"), demo_data("night_ferry"), bootstrap=1000, seed=5)


def test_the_demo_recovers_what_it_was_made_from(wardens: Results) -> None:
    """The study's script states the paths; the estimates must be near them."""
    paths = {(p.from_, p.to): p.standardized for p in wardens.parameters if p.kind == "path"}
    assert wardens.converged
    assert wardens.admissible
    for pair, planted in {
        ("Training", "Efficacy"): 0.42,
        ("Support", "Efficacy"): 0.34,
        ("Efficacy", "Stewardship"): 0.44,
        ("Stewardship", "Persistence"): 0.43,
        ("Effort", "Persistence"): -0.28,
    }.items():
        assert paths[pair] == pytest.approx(planted, abs=0.13)
    codes = {(p.code, p.about[0] if p.about else "") for p in wardens.problems}
    assert ("runs_against_block", "su4") in codes
    assert ("weak_loading", "ef5") in codes
    assert ("cases_left_out", "") in codes
    shared = next(p for p in wardens.problems if p.code == "residuals_share")
    assert shared.about == ["st1", "st2"]
    assert shared.repairs[0].change == SetCovariance("st1", "st2", True)
    allowed = document(demo_text("river_wardens") + "st1 and st2 covary", demo_data("river_wardens"))
    promised = next(m for m in wardens.modification if (m.from_, m.to) == ("st1", "st2"))
    assert wardens.fit is not None
    assert allowed.fit is not None
    assert wardens.fit.chi_square - allowed.fit.chi_square == pytest.approx(promised.index, rel=0.15)


def test_document_validates_against_the_published_schema(wardens: Results) -> None:
    """Others build on the keys; the schema in the package must be the one that the code follows."""
    schema = json.loads((ROOT / "src/dusk_arrow/results/schemas/results.json").read_text())
    assert Results.model_json_schema(mode="serialization") == schema, "run tools/write_schemas.py"
    text = wardens.model_dump_json()
    assert Results.model_validate_json(text).model_dump_json() == text
    assert "NaN" not in text
    for key in ("from", "to"):
        assert key in json.loads(text)["parameters"][0]


def test_simple_mediation_against_regression(ferry: Results) -> None:
    """A saturated model of observed variables is ordinary regression."""
    data = demo_data("night_ferry")
    v = {name: data.column(name).numbers for name in data.names}
    ones = np.ones(240)
    a = np.linalg.lstsq(np.column_stack([ones, v["notice"], v["years"]]), v["safety"], rcond=None)[0][1]
    b, direct, _ = np.linalg.lstsq(
        np.column_stack([ones, v["safety"], v["notice"], v["years"]]), v["rides"], rcond=None
    )[0][1:]
    by = {(e.from_, e.to, e.kind): e for e in ferry.effects}
    assert by["notice", "rides", "total indirect"].estimate == pytest.approx(a * b, rel=1e-6)
    assert by["notice", "rides", "direct"].estimate == pytest.approx(direct, rel=1e-6)
    assert ferry.tracked[0].estimate == pytest.approx(a * b, rel=1e-6)
    assert ferry.fit is not None
    assert (ferry.fit.df, ferry.fit.p_value, ferry.fit.cfi) == (0, None, 1.0)
    assert ferry.fit.chi_square == pytest.approx(0, abs=1e-8)


def test_bootstrap_of_an_indirect_effect_against_a_plain_loop(ferry: Results) -> None:
    """Its interval must be what redrawing rows and two regressions give."""
    data = demo_data("night_ferry").matrix(("notice", "safety", "rides", "years"))
    rng = np.random.default_rng(17)
    draws = []
    for _ in range(1500):
        x, m, y, w = data[rng.integers(0, 240, 240)].T
        a = np.linalg.lstsq(np.column_stack([np.ones(240), x, w]), m, rcond=None)[0][1]
        draws.append(a * np.linalg.lstsq(np.column_stack([np.ones(240), m, x, w]), y, rcond=None)[0][1])
    effect = next(e for e in ferry.effects if (e.from_, e.to, e.kind) == ("notice", "rides", "total indirect"))
    assert effect.bootstrap is not None
    assert effect.bootstrap.se == pytest.approx(np.std(draws, ddof=1), rel=0.08)
    assert effect.bootstrap.percentile == pytest.approx(np.quantile(draws, [0.025, 0.975]), abs=0.05)
    mediation = next(m for m in ferry.mediation if (m.from_, m.to) == ("notice", "rides"))
    assert mediation.kind == "indirect-only"


def test_workers_change_no_number() -> None:
    """The same seed gives the same numbers for any number of workers."""
    data, text = demo_data("night_ferry"), demo_text("night_ferry")
    settings = Settings(bootstrap=300, seed=3)
    alone = assemble(analyse(parse(text), data, settings))
    pool = WorkerPool(2)
    try:
        together = assemble(analyse(parse(text), data, settings, pool))
    finally:
        pool.close()
    assert together == alone
    other = assemble(analyse(parse(text), data, Settings(bootstrap=300, seed=4)))
    assert other.effects[0].bootstrap != alone.effects[0].bootstrap


def test_raw_data_and_their_moments_fit_alike(wardens: Results) -> None:
    """A covariance matrix from a paper must give what the data behind it would."""
    assert wardens.sample is not None
    moments = Moments("m", tuple(wardens.sample.variables), np.array(wardens.sample.covariance), 349, divisor_offset=0)
    again = document(demo_text("river_wardens"), moments)
    assert [p.estimate for p in again.parameters] == pytest.approx([p.estimate for p in wardens.parameters])
    assert [p.se for p in again.parameters] == pytest.approx([p.se for p in wardens.parameters])
    refused = document(demo_text("river_wardens"), moments, bootstrap=100)
    assert [p.code for p in refused.problems if p.severity == "error"] == ["bootstrap_needs_cases"]


def test_divisors() -> None:
    """N and N−1 differ as the conventions say: estimates of variances by the factor, χ² by nothing but T's multiplier."""
    data, text = demo_data("river_wardens"), demo_text("river_wardens")
    n, less = document(text, data), document(text, data, divisor="n-1")
    assert n.fit is not None
    assert less.fit is not None
    assert less.fit.chi_square == pytest.approx(n.fit.chi_square * 348 / 349)
    variance = next(p.estimate for p in n.parameters if p.kind == "variance")
    assert next(p.estimate for p in less.parameters if p.kind == "variance") == pytest.approx(
        variance * 349 / 348, rel=1e-6
    )


def test_permuting_cases_changes_nothing() -> None:
    """The order of the rows in the file is no information."""
    data = demo_data("night_ferry")
    order = np.random.default_rng(0).permutation(data.n)
    shuffled = DataSet(
        "s", tuple(Column(c.name, c.level, c.numbers[order]) for c in data.columns if c.numbers is not None)
    )
    text = demo_text("night_ferry")
    first, second = document(text, data), document(text, shuffled)
    assert [p.estimate for p in first.parameters] == pytest.approx([p.estimate for p in second.parameters], abs=1e-9)


def test_refusals_keep_the_document_whole() -> None:
    """With nothing estimated every figure is null and the problems say why."""
    data = demo_data("night_ferry")
    for text, code, outcome in (
        ("A shows in notice, safety, nothing", "unknown_column", "refused"),
        ("A shows in safety, rides", "too_many_parameters", "not_estimated"),
        ("safety leads", "", ""),
    ):
        if not code:
            continue
        analysis = analyse(parse(text), data, Settings())
        assert analysis.outcome == outcome
        found = assemble(analysis)
        assert (found.converged, found.fit, found.parameters, found.quality) == (False, None, [], None)
        assert code in [p.code for p in found.problems]
    wardens = demo_data("river_wardens")
    assert "text_column" in [p.code for p in document("catchment and age lead to years", wardens).problems]


def test_singular_data_are_explained() -> None:
    """A total among its parts is the classic; the columns are named."""
    rng = np.random.default_rng(2)
    parts = rng.standard_normal((80, 3))
    columns = {"x": parts[:, 0], "y": parts[:, 1], "z": parts[:, 2], "total": parts.sum(axis=1)}
    data = DataSet("d", tuple(Column(name, "number", values) for name, values in columns.items()))
    analysis = analyse(parse("x, y and z lead to total"), data, Settings())
    assert analysis.outcome == "refused"
    assert set(analysis.problems[-1].about) == set(columns)
    assert "depend exactly on each other" in analysis.problems[-1].message


def test_readout_compares_only_what_can_be_compared(wardens: Results) -> None:
    """After an item is set aside χ² belongs to other data, and says so; a fixed path is the same data."""
    data = demo_data("river_wardens")
    specification = parse(demo_text("river_wardens"))
    held = assemble(analyse(apply(specification, FixPath("Training", "Persistence", 0.0)), data, Settings()))
    aside = assemble(analyse(apply(specification, SetAside("Efficacy", "ef5")), data, Settings()))
    same = {f.key: f for f in readout(held, wardens)}
    other = {f.key: f for f in readout(aside, wardens)}
    assert "other data" not in same["chi_square"].change_text
    assert same["chi_square"].direction == "up"
    assert "other data" in other["chi_square"].change_text
    assert other["cfi"].change is not None
    tested = difference(wardens, held)
    assert tested is not None
    assert tested.df == 1
    wald = next(p for p in wardens.parameters if (p.kind, p.from_, p.to) == ("path", "Training", "Persistence"))
    assert wald.z is not None
    assert tested.chi_square == pytest.approx(wald.z**2, rel=0.15)
    assert difference(wardens, aside) is None


def test_effects_shares_and_totals(wardens: Results) -> None:
    """Totals always, total indirect only where there is a route; shares sum to one where they have a meaning."""
    pair = [e for e in wardens.effects if (e.from_, e.to) == ("Support", "Stewardship")]
    assert [e.kind for e in pair] == ["direct", "specific indirect", "total indirect", "total"]
    assert {e.share_of_total for e in pair} == {None}, "without a bootstrap nobody knows whether the total is zero"
    drawn = document(demo_text("river_wardens"), demo_data("river_wardens"), bootstrap=200)
    pair = [e for e in drawn.effects if (e.from_, e.to) == ("Support", "Stewardship")]
    assert pair[0].share_of_total + pair[1].share_of_total == pytest.approx(1.0)  # type: ignore[operator]
    only = [e for e in wardens.effects if (e.from_, e.to) == ("Effort", "Persistence")]
    assert [e.kind for e in only] == ["direct", "total"]
    assert {m.kind for m in wardens.mediation} == {None}


def test_bootstrapped_quality_is_there() -> None:
    """Everything that can be reported can be bootstrapped."""
    text = "A shows in tr1..tr4\nB shows in ef1..ef4\nA leads to B"
    found = document(text, demo_data("river_wardens"), bootstrap=150)
    assert found.bootstrap_summary is not None
    assert found.bootstrap_summary.used == 150
    for key in ("r_squared.B", "quality.ave.A", "quality.alpha.B", "quality.composite_reliability.A"):
        figure = found.bootstrap_figures[key]
        assert figure is not None
        assert figure.p_value is None
        assert figure.percentile[0] < figure.mean < figure.percentile[1]
    data = demo_data("river_wardens").matrix(("tr1", "tr2", "tr3", "tr4"))
    assert found.quality is not None
    assert np.isfinite(covariance(data[~np.isnan(data).any(axis=1)])).all()


def test_numbers_print_as_the_field_expects() -> None:
    """No leading zero, a true minus, no scientific notation; the front end's functions are put to the same table."""
    cases = json.loads((ROOT / "tests/numbers.json").read_text())
    for key, write in (("coefficient", coefficient), ("p", p_text), ("p_words", p_words), ("plain", plain)):
        assert [write(value) for value, _ in cases[key]] == [text for _, text in cases[key]]
    assert interval_text((-0.04, 0.183)) == "[−.04, .18]"


def test_coarse_items_are_named() -> None:
    """Two or three answer categories are far from continuous, and the reader is told."""
    rng = np.random.default_rng(1)
    factor = rng.standard_normal((400, 1))
    answers = np.clip(np.round(factor + rng.standard_normal((400, 3)) + 2), 1, 3)
    data = DataSet("coarse", tuple(Column(f"x{i}", "ordered", answers[:, i]) for i in range(3)))
    found = analyse(parse("A shows in x0, x1, x2"), data, Settings())
    assert "x0, x1 and x2 have fewer than five" in next(p.message for p in found.problems if p.code == "coarse_items")


def test_what_stands_in_the_way_has_a_button() -> None:
    """A column that repeats another, a loop that no data identify, constructs that are one: each repair leads on."""
    rng = np.random.default_rng(2)
    factor = rng.standard_normal((300, 1))
    x = factor + 0.7 * rng.standard_normal((300, 6))
    columns = {f"x{i}": x[:, i] for i in range(6)} | {"twin": 2 * x[:, 0]}
    data = DataSet("d", tuple(Column(name, "number", values) for name, values in columns.items()))
    cases = {
        "A shows in x0, x1, x2, twin": "not_positive_definite",
        "x0 leads to x1\nx1 leads to x0": "too_many_parameters",
        "A shows in x0, x1, x2\nB shows in x3, x4, x5": "constructs_alike",
    }
    for text, code in cases.items():
        specification = parse(text)
        problem = next(p for p in analyse(specification, data, Settings()).problems if p.code == code)
        assert problem.repairs, code
        after = analyse(apply(specification, problem.repairs[0].change), data, Settings())
        assert code not in {p.code for p in after.problems}
        assert after.outcome == "estimated"


def test_adf_refuses_weights_that_are_singular() -> None:
    """Answers of yes and no have squares that say nothing new, so their moments cannot be weighed by their covariances."""
    rng = np.random.default_rng(4)
    factor = rng.standard_normal((400, 1))
    answers = np.where(factor + rng.standard_normal((400, 3)) > 0, 1.0, -1.0)
    balanced = np.vstack([answers, -answers])
    data = DataSet("yes and no", tuple(Column(f"x{i}", "number", balanced[:, i]) for i in range(3)))
    found = analyse(parse("A shows in x0, x1, x2"), data, Settings(estimator="adf"))
    assert found.outcome == "refused"
    assert "weights_singular" in {p.code for p in found.problems}
