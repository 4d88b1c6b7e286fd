"""Composites from sentences and data to the document: definitions, stages, missing answers, resamples, refusals."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest

from dusk_arrow.core.composite import weights
from dusk_arrow.core.composite.bootstrapping import prepare, run_samples, transformation
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.observations.moments import prepare_pairs, resample_pairs
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.core.populations import from_counts
from tests.results.golden_cases import cases, with_gaps

THREE = "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nA leads to B, C\nB leads to C"
MIXED = "A shows in a1..a3\nF is made of z, b1, b2\nC shows in c1..c3\nA and x lead to F\nA and F lead to C"
PARTS = "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nG shows in A, B\nG and x lead to C"


def run(text: str, source: Source | None = None, **settings: Any) -> Analysis:
    how = {"family": "composite", **settings}
    return analyse(parse(text), cases() if source is None else source, Settings(**how))


def document(text: str, source: Source | None = None, **settings: Any) -> Results:
    found = assemble(run(text, source, **settings))
    assert found.converged, [p.message for p in found.problems]
    return found


def estimates(found: Results, kind: str) -> dict[tuple[str, str], float]:
    return {(p.from_, p.to): p.estimate for p in found.parameters if p.kind == kind}


def correlations(names: list[str], source: DataSet | None = None) -> pd.DataFrame:
    data = source or cases()
    return pd.DataFrame(data.matrix(tuple(names)), columns=names).corr()


def scores(found: Results, source: DataSet | None = None) -> pd.DataFrame:
    """Scores by hand, from weights and standardized answers."""
    data = source or cases()
    weights: dict[str, dict[str, float]] = {}
    for (item, construct), value in estimates(found, "weight").items():
        weights.setdefault(construct, {})[item] = value
    columns = {}
    for construct, own in weights.items():
        values = data.matrix(tuple(own))
        columns[construct] = ((values - values.mean(axis=0)) / values.std(axis=0, ddof=1)) @ np.array(
            list(own.values())
        )
    return pd.DataFrame(columns)


def test_consistent_is_the_default_and_is_named() -> None:
    """Whoever switches the family gets corrected estimates, and the document says so."""
    found = document(THREE)
    assert (found.family, found.estimator) == ("composite", "plsc")
    assert Settings(estimator="pls").family == "composite"
    assert Settings(estimator="gls").family == "covariance"
    assert found.fit is not None
    assert found.fit.implied_within == "common factor"
    assert document(THREE, estimator="pls").fit.implied_within == "composite"  # type: ignore[union-attr]


@pytest.mark.parametrize("scheme", ["path", "factorial", "centroid"])
def test_plain_figures_by_their_definitions(scheme: str) -> None:
    """Everything that follows from the weights, computed from the scores of cases with another library."""
    found = document(MIXED, estimator="pls", scheme=scheme)
    own = scores(found)
    own["x"] = cases().matrix(("x",))[:, 0]
    between = own.corr()
    assert own[["A", "F", "C"]].std().to_numpy() == pytest.approx(np.ones(3))
    for outcome, causes in {"F": ["A", "x"], "C": ["A", "F"]}.items():
        block, cross = between.loc[causes, causes].to_numpy(), between.loc[causes, outcome].to_numpy()
        coefficients = np.linalg.solve(block, cross)
        paths = estimates(found, "path")
        assert [paths[cause, outcome] for cause in causes] == pytest.approx(coefficients, abs=1e-9)
        share = float(coefficients @ cross)
        assert found.r_squared[outcome] == pytest.approx(share)
        assert found.r_squared_adjusted is not None
        assert found.r_squared_adjusted[outcome] == pytest.approx(1 - (1 - share) * 399 / 397)
        for i, cause in enumerate(causes):
            rest = float(cross[1 - i] ** 2)
            f2 = next(f.value for f in found.f_squared if (f.from_, f.to) == (cause, outcome))
            assert f2 == pytest.approx((share - rest) / (1 - share))
        assert found.quality is not None
        vif = {(v.outcome, v.antecedent): v.vif for v in found.quality.vif_antecedents}
        assert vif[outcome, causes[0]] == pytest.approx(1 / (1 - block[0, 1] ** 2))
    data = pd.DataFrame(cases().matrix(("a1", "b1", "c2")), columns=["a1", "b1", "c2"])
    loadings = estimates(found, "loading")
    for construct, item in (("A", "a1"), ("F", "b1"), ("C", "c2")):
        assert loadings[construct, item] == pytest.approx(own[construct].corr(data[item]))


def test_quality_by_its_definitions() -> None:
    """Alpha, AVE, composite reliability, HTMT in its three forms, and VIF of all kinds, by plain loops."""
    found = document(THREE, estimator="pls")
    assert found.quality is not None
    quality = {c.name: c for c in found.quality.constructs}
    loadings = estimates(found, "loading")
    matrix = correlations([f"{block}{i}" for block in "abc" for i in (1, 2, 3)])
    for name in "ABC":
        items = [f"{name.lower()}{i}" for i in (1, 2, 3)]
        own = np.array([loadings[name, item] for item in items])
        answers = pd.DataFrame(cases().matrix(tuple(items)))
        assert quality[name].ave == pytest.approx((own**2).mean())
        assert quality[name].composite_reliability == pytest.approx(
            own.sum() ** 2 / (own.sum() ** 2 + (1 - own**2).sum())
        )
        assert quality[name].alpha == pytest.approx(1.5 * (1 - answers.var().sum() / answers.sum(axis=1).var()))
        vif = {entry.indicator: entry.vif for entry in found.quality.loadings if entry.construct_ == name}
        inverse = np.linalg.inv(matrix.loc[items, items].to_numpy())
        assert [vif[item] for item in items] == pytest.approx(np.diag(inverse))
    within = {n: [matrix.loc[f"{n}{i}", f"{n}{j}"] for i in (1, 2, 3) for j in range(1, i)] for n in "abc"}
    across = [matrix.loc[f"a{i}", f"b{j}"] for i in (1, 2, 3) for j in (1, 2, 3)]
    pair = found.quality.htmt[0]
    assert (pair.a, pair.b) == ("A", "B")
    assert pair.value == pytest.approx(
        np.abs(across).mean() / np.sqrt(np.abs(within["a"]).mean() * np.abs(within["b"]).mean())
    )
    assert pair.signed == pytest.approx(np.mean(across) / np.sqrt(np.mean(within["a"]) * np.mean(within["b"])))
    assert found.quality.htmt2 is not None
    mean = {n: np.exp(np.log(values).mean()) for n, values in within.items()}
    assert found.quality.htmt2[0].value == pytest.approx(np.exp(np.log(across).mean()) / np.sqrt(mean["a"] * mean["b"]))
    between = np.linalg.inv(scores(found).corr().to_numpy())
    assert [quality[n].vif_full for n in "ABC"] == pytest.approx(np.diag(between))
    assert quality["A"].htmt_highest == max(h.value for h in found.quality.htmt if "A" in (h.a, h.b) and h.value)


def test_htmt2_needs_positive_correlations() -> None:
    """An item that runs against its block leaves it without a geometric mean, and the pairs of other blocks with theirs."""
    data = cases()
    turned = replace(
        data,
        columns=tuple(
            replace(c, numbers=-c.numbers) if c.name == "a2" and c.numbers is not None else c for c in data.columns
        ),
    )
    found = document(THREE, turned)
    assert found.quality is not None
    assert found.quality.htmt2 is not None
    assert [h.value is None for h in found.quality.htmt2] == [True, True, False]
    assert found.quality.htmt[0].value is not None
    assert found.quality.htmt[0].signed is None or found.quality.htmt[0].signed < found.quality.htmt[0].value


@pytest.mark.parametrize("text", [THREE, MIXED, PARTS])
@pytest.mark.parametrize("estimator", ["pls", "plsc"])
def test_raw_data_covariances_and_correlations_give_the_same(text: str, estimator: str) -> None:
    """A published matrix is as good as the data, in any divisor and any unit."""
    data = cases()
    values = data.matrix(data.names)
    raw = document(text, estimator=estimator)
    for covariance, offset in ((np.cov(values, rowvar=False), 1), (np.corrcoef(values, rowvar=False), 0)):
        found = document(text, Moments("matrix", data.names, covariance, 400, offset, None), estimator=estimator)
        for kind in ("loading", "weight", "path", "covariance"):
            assert estimates(found, kind) == pytest.approx(estimates(raw, kind), abs=1e-9)
        assert found.fit is not None
        assert raw.fit is not None
        for name in ("srmr", "d_uls", "d_g"):
            assert getattr(found.fit, name) == pytest.approx(getattr(raw.fit, name), abs=1e-9)
            assert getattr(found.fit.measurement_part, name) == pytest.approx(
                getattr(raw.fit.measurement_part, name), abs=1e-9
            )


def test_two_stages_by_hand() -> None:
    """Scores of the parts, saved and put back as columns, give the second stage; the first links the parts to all that the
    whole is linked to."""
    for estimator in ("pls", "plsc"):
        found = document(PARTS, estimator=estimator)
        first = document(
            "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nA, B and x lead to C", estimator=estimator
        )
        assert estimates(found, "weight")["a1", "A"] == pytest.approx(estimates(first, "weight")["a1", "A"])
        own = scores(first)
        data = cases()
        more = replace(data, columns=(*data.columns, *(Column(f"s{n}", "number", own[n].to_numpy()) for n in "AB")))
        second = document("G shows in sA, sB\nC shows in c1..c3\nG and x lead to C", more, estimator=estimator)
        paths = estimates(second, "path")
        assert estimates(found, "path") == pytest.approx(paths)
        assert estimates(found, "loading")["G", "A"] == pytest.approx(estimates(second, "loading")["G", "sA"])
        assert found.fit is not None
        assert second.fit is not None
        assert found.fit.srmr == pytest.approx(second.fit.srmr)
        assert found.fit.measurement_part.srmr == pytest.approx(first.fit.measurement_part.srmr)  # type: ignore[union-attr]


@pytest.mark.parametrize("mode", ["shows in", "is made of"])
def test_repeated_indicators(mode: str) -> None:
    """The whole has all columns of its parts; its loadings are its correlations with them, its weights a regression on
    them."""
    text = PARTS.replace("G shows in", f"G {mode}")
    found = document(text, estimator="pls", second_order="repeated")
    fitted = run(text, estimator="pls", second_order="repeated").fitted
    assert fitted is not None
    ((plan, outcome),) = fitted.own
    place = plan.program.place
    between = outcome.scores[0]
    rows = [place["A"], place["B"]]
    assert estimates(found, "loading")["G", "A"] == pytest.approx(between[place["A"], place["G"]])
    weights = np.linalg.solve(between[np.ix_(rows, rows)], between[rows, place["G"]])
    assert [estimates(found, "weight")[part, "G"] for part in "AB"] == pytest.approx(weights)
    assert np.count_nonzero(outcome.weights[0, place["G"]]) == 6
    assert found.fit is not None
    assert found.fit.srmr is None
    assert found.fit.measurement_part is not None
    assert found.fit.measurement_part.srmr is not None


def test_a_path_held_at_zero_is_left_out() -> None:
    """It is the one value that regressions can hold."""
    held = document(THREE + "\nhold A > C at 0")
    without = document(THREE.replace("A leads to B, C", "A leads to B"))
    assert estimates(held, "path") == pytest.approx(estimates(without, "path"))


def test_effects_multiply_and_add_up() -> None:
    """Indirect is the product of its paths, total the sum, in one scale."""
    found = document(THREE)
    paths = estimates(found, "path")
    effect = {(e.from_, e.to, e.kind): e.estimate for e in found.effects}
    assert effect["A", "C", "total indirect"] == pytest.approx(paths["A", "B"] * paths["B", "C"])
    assert effect["A", "C", "total"] == pytest.approx(paths["A", "C"] + paths["A", "B"] * paths["B", "C"])
    assert all(e.estimate == e.standardized and e.se is None for e in found.effects)
    tracked = document(THREE + "\ncall A > B first\ncall B > C second\ntrack both = first * second").tracked
    assert tracked[0].estimate == pytest.approx(effect["A", "C", "total indirect"])


def test_measurement_alone_links_everything() -> None:
    """Formative constructs too, and whatever paths were drawn: they do not count."""
    found = document(MIXED, part="measurement", estimator="pls")
    other = document(MIXED.replace("A and F lead to C", "C leads to F"), part="measurement", estimator="pls")
    assert estimates(found, "path") == {}
    assert set(estimates(found, "covariance")) == {("A", "F"), ("A", "C"), ("F", "C")}
    assert estimates(found, "weight") == pytest.approx(estimates(other, "weight"))
    assert "x takes no part" in next(p.message for p in found.problems if p.code == "measurement_only")


def test_missing_answers_three_ways() -> None:
    """Leaving out, filling and pairwise work are each what they say."""
    data = with_gaps()
    names = ["a1", "a2", "a3", "b1", "b2", "b3", "c1", "c2", "c3"]
    frame = pd.DataFrame(data.matrix(tuple(names)), columns=names)
    matrices = {
        "listwise": frame.dropna().corr(),
        "mean": frame.fillna(frame.mean()).corr(),
        "pairwise": frame.corr(),
    }
    counts = {"listwise": len(frame.dropna()), "mean": 400, "pairwise": 400}
    for missing, matrix in matrices.items():
        found = document(THREE, data, missing=missing)
        same = document(THREE, Moments("m", tuple(names), matrix.to_numpy(), 400, 0, None))
        assert estimates(found, "path") == pytest.approx(estimates(same, "path"), abs=1e-9), missing
        assert found.data is not None
        assert found.data.n_used == counts[missing]


def test_pairwise_moments_of_resamples_are_those_of_the_drawn_cases() -> None:
    """Counts of cases and repeated cases are one thing."""
    rng = np.random.default_rng(2)
    values = rng.normal(size=(40, 4)) + rng.normal(size=(40, 1))
    values[rng.random(values.shape) < 0.2] = np.nan
    drawn = rng.integers(0, 40, size=(3, 40))
    counts = np.stack([np.bincount(rows, minlength=40) for rows in drawn]).astype(float)
    covariance, means = resample_pairs(prepare_pairs(values), counts, 1)
    for i, rows in enumerate(drawn):
        frame = pd.DataFrame(values[rows])
        sd = frame.std().to_numpy()
        assert covariance[i] == pytest.approx(frame.corr().to_numpy() * np.outer(sd, sd))
        assert means[i] == pytest.approx(frame.mean().to_numpy())


def test_a_resample_is_an_analysis_of_its_cases() -> None:
    """The figures of a batch of 200 resamples are those of each drawn data set, analysed alone."""
    analysis = run(MIXED, bootstrap=20)
    assert analysis.fitted is not None
    assert analysis.fitted.task is not None
    rng = np.random.default_rng(1)
    drawn = rng.integers(0, 400, size=(200, 400))
    counts = np.stack([np.bincount(rows, minlength=400) for rows in drawn]).astype(float)
    result = run_samples(prepare(analysis.fitted.task.own), from_counts(prepare(analysis.fitted.task.own), counts))
    assert result.failed == 0
    place = analysis.fitted.statistics.place
    for i, rows in enumerate(drawn):
        data = cases()
        own = replace(
            data,
            columns=tuple(replace(c, numbers=c.numbers[rows]) if c.numbers is not None else c for c in data.columns),
        )
        alone = run(MIXED, own).fitted
        assert alone is not None
        values = alone.statistics.values[[alone.statistics.place[key] for key in place]]
        np.testing.assert_allclose(result.statistics[i, list(place.values())], values, rtol=1e-6, atol=1e-6)


def test_a_resample_that_fails_leaves_the_others_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    """One that drew a single case over and over has nothing to say, nor has one whose weights do not settle: they are counted, and no row
    of figures shifts."""
    analysis = run(THREE, bootstrap=20)
    assert analysis.fitted is not None
    assert analysis.fitted.task is not None
    rng = np.random.default_rng(7)
    counts = rng.multinomial(400, np.full(400, 1 / 400), size=12).astype(float)
    prepared = prepare(analysis.fitted.task.own)
    whole = run_samples(prepared, from_counts(prepared, counts))
    counts[5] = 0.0
    counts[5, 0] = 400.0
    result = run_samples(prepared, from_counts(prepared, counts))
    assert (whole.failed, result.failed) == (0, 1)
    np.testing.assert_allclose(result.statistics, np.delete(whole.statistics, 5, axis=0), rtol=1e-9)
    assert result.admissible.tolist() == np.delete(whole.admissible, 5).tolist()
    monkeypatch.setattr(weights, "MOST_ITERATIONS", 6)
    hurried = run_samples(prepared, from_counts(prepared, counts))
    assert 1 < hurried.failed < 12
    settled = [np.abs(result.statistics - one).max(axis=1).argmin() for one in hurried.statistics]
    np.testing.assert_allclose(hurried.statistics, result.statistics[settled], rtol=1e-9)
    assert hurried.admissible.tolist() == result.admissible[settled].tolist()


def test_the_bootstrap_fills_errors_and_reference_quantiles() -> None:
    """Composites have no other errors; distances get quantiles from data that fit, never from plain resamples."""
    plain = document(THREE)
    assert all(p.se is None and p.interval is None for p in plain.parameters)
    found = document(THREE, bootstrap=300, seed=4)
    assert found.fit is not None
    assert found.fit.reference is not None
    assert found.fit.measurement_part is not None
    for part, reference in (
        (found.fit, found.fit.reference),
        (found.fit.measurement_part, found.fit.measurement_part.reference),
    ):
        assert reference is not None
        for name in ("srmr", "d_uls", "d_g"):
            bounds = getattr(reference, name)
            assert 0 < bounds.q95 < bounds.q99
            assert getattr(part, name) < bounds.q99 * 1.5
    path = next(p for p in found.parameters if (p.from_, p.to) == ("A", "B"))
    assert path.bootstrap is not None
    assert path.se == path.bootstrap.se
    assert path.interval == path.bootstrap.headline
    assert path.p_value == path.bootstrap.p_value
    for name in ("quality.rho_a.A", "quality.ave.B", "r_squared_adjusted.C", "quality.vif_indicators.A.a1"):
        assert found.bootstrap_figures[name] is not None, name


def test_transformed_data_fit_the_model() -> None:
    """M S M′ is exactly what the model implies; where that is no correlation matrix there is no transformation."""
    rng = np.random.default_rng(3)
    sample, implied = (np.corrcoef(rng.normal(size=(60, 5)) + rng.normal(size=(60, 1)), rowvar=False) for _ in range(2))
    turn = transformation(sample, implied)
    assert turn is not None
    assert turn @ sample @ turn.T == pytest.approx(implied, abs=1e-9)
    assert transformation(sample, np.ones((5, 5))) is None
    assert transformation(sample, None) is None


def test_signs_can_follow_the_full_sample() -> None:
    """With weights that nearly cancel, turning by the loadings may flip; by the full sample it does not."""
    by_loadings = document(THREE, bootstrap=100)
    by_sample = document(THREE, bootstrap=100, signs="full-sample")
    for one, other in zip(by_loadings.parameters, by_sample.parameters, strict=True):
        assert one.bootstrap is not None
        assert other.bootstrap is not None
        assert other.bootstrap.mean == pytest.approx(one.bootstrap.mean, abs=1e-9)


def test_nothing_is_nested_and_nothing_breaks() -> None:
    """Comparisons of composites say that there is no test instead of failing."""
    family = FAMILIES["composite"]
    settings = Settings(family="composite")
    assert family.quick_fit(parse(THREE), cases(), settings) is None
    assert family.paths_at_zero(parse(THREE), cases(), settings) == []
    assert family.joint_test(parse(THREE), parse(THREE), cases(), settings) is None


TWO = "A shows in a1..a3\nB shows in b1..b3\n"


@pytest.mark.parametrize(
    ("text", "code", "about"),
    [
        (TWO + "C shows in c1..c3\nA leads to B", "linked_to_nothing", "C"),
        (TWO + "A leads to B\nB leads to A", "paths_in_circle", "A"),
        (THREE + "\nC leads to A", "paths_in_circle", "B"),
        (TWO + "A leads to B\nhold A > B at 0.5", "held_value", "A"),
        (TWO + "A leads to B\nhold A > a2 at 1", "held_value", "a2"),
        (TWO + "A leads to B\nhold variance of a1 at 0", "held_value", "a1"),
        (TWO + "A leads to B\nmatch A > a2, B > b2", "held_equal", "A > a2"),
        ("A shows in a1..a3\nB shows in b1..b3, a3\nA leads to B", "shared_indicator", "a3"),
        (PARTS + "\nA leads to C", "part_with_paths", "A"),
        ("A shows in a1..a3\nF is made of b1, b2, twice\nF leads to A", "formative_dependent", "F"),
        ("A shows in a1..a3\nB shows in b1, flat\nA leads to B", "zero_variance", "flat"),
        (PARTS.replace("G shows in A, B", "G shows in A, B, z"), "mixed_indicators", "G"),
        (TWO + "A leads to B\nrelease intercept of A", "no_such_parameter", "A"),
    ],
)
def test_what_composites_cannot_say_is_refused_by_name(text: str, code: str, about: str) -> None:
    """Nothing is dropped in silence; whoever needs it is told which family has it."""
    data = cases()
    numbers = {c.name: c.numbers for c in data.columns}
    assert numbers["b1"] is not None
    assert numbers["b2"] is not None
    more = (
        Column("twice", "number", numbers["b1"] + numbers["b2"]),
        Column("flat", "number", np.full(data.n, 3.0)),
    )
    found = run(text, replace(data, columns=(*data.columns, *more)))
    assert found.outcome == "refused"
    problem = next(p for p in found.problems if p.code == code)
    assert about in problem.about
    assert problem.message.endswith(".")


def test_what_is_left_aside_is_listed() -> None:
    """Residual covariances and starting values change nothing here, and that is said."""
    found = document(THREE + "\na1 and a2 covary\nbegin A > B at 0.3")
    assert estimates(found, "path") == pytest.approx(estimates(document(THREE), "path"))
    said = {p.code: p.message for p in found.problems}
    assert "a1 and a2 covary" in said["covariances_left_aside"]
    assert "A > B" in said["starts_left_aside"]


def test_formative_constructs_may_be_outcomes_and_may_end_a_chain() -> None:
    """What common factors refuse composites can do."""
    text = "A shows in a1..a3\nF is made of z, b1, b2\nA leads to F"
    found = document(text)
    assert found.r_squared["F"] is not None
    refused = analyse(parse(text), cases(), Settings())
    assert {"formative_without_path", "path_into_formative"} <= {p.code for p in refused.problems}


def test_impossible_corrections_are_shown_and_said() -> None:
    """Two constructs that are one: the corrected correlation passes 1 in some samples, which no correlation can."""
    beyond = 0
    for seed in range(8):
        rng = np.random.default_rng(seed)
        values = 0.6 * rng.normal(size=(60, 1)) + rng.normal(size=(60, 6))
        names = ("a1", "a2", "a3", "b1", "b2", "b3")
        data = DataSet("one", tuple(Column(n, "number", values[:, i]) for i, n in enumerate(names)))
        analysis = run(TWO + "A leads to B", data)
        if analysis.fitted is None:
            assert analysis.problems[-1].code in ("reliability_not_positive", "not_converged")
            continue
        correlation = analysis.fitted.blocks[0].quality.between[0, 1]
        largest = max(abs(p.estimate) for p in assemble(analysis).parameters if p.kind == "loading")
        assert analysis.fitted.admissible == (abs(correlation) < 1 and largest <= 1)
        said = {p.code for p in analysis.problems}
        assert ("constructs_alike" in said) == (abs(correlation) > 0.95)
        assert ("loading_beyond_one" in said) == (largest > 1)
        beyond += abs(correlation) > 1
    assert beyond > 0


def test_weights_that_never_settle_are_an_answer(monkeypatch: pytest.MonkeyPatch) -> None:
    """In words, with what to look at."""
    monkeypatch.setattr("dusk_arrow.core.composite.weights.MOST_ITERATIONS", 2)
    found = run(THREE)
    assert found.outcome == "not_estimated"
    assert found.problems[-1].code == "not_converged"


def test_scores_of_new_cases() -> None:
    """Weights in the document score anybody's answers: those of the sample have mean 0 and variance 1."""
    found = document(THREE)
    assert found.scores is not None
    part = found.scores.regression
    values = cases().matrix(tuple(part.columns))
    own = (values - np.array(found.scores.means)) @ np.array(part.values, dtype=float).T
    assert own.mean(axis=0) == pytest.approx(np.zeros(3), abs=1e-12)
    assert own.std(axis=0, ddof=1) == pytest.approx(np.ones(3))
    assert own == pytest.approx(scores(found)[part.rows].to_numpy(), abs=1e-9)


ODD: dict[str, tuple[str, int, dict[str, Any]]] = {
    "observed variables alone": ("v0 and v1 lead to v2\nv2 leads to v3", 100, {}),
    "single items": ("A shows in v0\nB is made of v1\nA leads to B", 100, {}),
    "fewer cases than columns": ("A shows in v0..v5\nB shows in v6..v11\nA leads to B", 9, {"estimator": "pls"}),
    "few cases bootstrapped": ("A shows in v0..v2\nB shows in v3..v5\nA leads to B", 14, {"bootstrap": 130}),
    "bca": ("A shows in v0..v2\nB shows in v3..v5\nA leads to B", 40, {"bootstrap": 130, "interval": "bca"}),
    "parts bootstrapped": (
        "A shows in v0..v2\nB shows in v3..v5\nG is made of A, B\nC shows in v6..v8\nG leads to C",
        200,
        {"bootstrap": 130},
    ),
    "repeated, bootstrapped": (
        "A shows in v0..v2\nB shows in v3..v5\nG shows in A, B\nC shows in v6..v8\nC leads to G",
        200,
        {"bootstrap": 130, "second_order": "repeated", "estimator": "pls"},
    ),
    "measurement bootstrapped": (
        "A shows in v0..v2\nB shows in v3..v5\nA leads to B",
        100,
        {"part": "measurement", "bootstrap": 130},
    ),
}


@pytest.mark.parametrize("name", ODD)
def test_odd_models_end_in_a_document_without_a_nan(name: str) -> None:
    """Whatever is asked, what comes is JSON that any reader takes: a figure that does not apply is null."""
    text, n, settings = ODD[name]
    rng = np.random.default_rng(1)
    values = 0.6 * rng.normal(size=(n, 1)) + rng.normal(size=(n, 12))
    data = DataSet("odd", tuple(Column(f"v{i}", "number", values[:, i]) for i in range(12)))
    analysis = analyse(parse(text), data, Settings(**{"family": "composite", **settings}), depth="thorough")
    written = json.dumps(assemble(analysis).model_dump(mode="json"), allow_nan=False)
    assert analysis.outcome in ("estimated", "not_estimated")
    if analysis.outcome == "estimated":
        assert '"srmr": ' in written
    else:
        assert analysis.problems[-1].message
