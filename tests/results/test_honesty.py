"""What is printed must be what was computed, on the data it was computed from."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.comparison import compare, difference, paths_at_zero, quick_fit
from dusk_arrow.results.document import Bootstrap, Results
from dusk_arrow.results.judgements import minima_notes
from dusk_arrow.results.readout import readout, same_data
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text, paper_figure
from tests.core.test_search import simulated as weak_markers

ONE = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B"


def simulated(seed: int, n: int = 300, flip: tuple[str, ...] = (), loading: float = 0.75) -> DataSet:
    rng = np.random.default_rng(seed)
    a = rng.normal(size=n)
    b = 0.4 * a + rng.normal(size=n)
    columns = []
    for name in ("a1", "a2", "a3", "b1", "b2", "b3"):
        values = (a if name[0] == "a" else b) * loading + rng.normal(size=n) * 0.66
        columns.append(Column(name, "number", -values if name in flip else values))
    return DataSet("simulated", tuple(columns))


def analysed(source: Source, text: str = ONE, **settings: Any) -> Analysis:
    return analyse(parse(text), source, Settings(**settings))


def document(source: Source, text: str = ONE, **settings: Any) -> Results:
    return assemble(analysed(source, text, **settings))


def test_equal_n_is_not_the_same_data() -> None:
    """Two unrelated samples of 300 came back as nested, with a negative Δχ² as a test."""
    free, held = parse(ONE), parse(ONE + "\nhold A > B at 0")
    whole, other = quick_fit(free, simulated(1), Settings()), quick_fit(held, simulated(2), Settings())
    assert whole is not None
    assert other is not None
    found = compare(whole, other, Settings())
    assert (found.nested, found.difference) == (False, None)
    assert "same cases" in found.reason
    own = quick_fit(held, simulated(1), Settings())
    assert own is not None
    assert compare(whole, own, Settings()).difference is not None
    one, two = document(simulated(1)), document(simulated(2), ONE + "\nhold A > B at 0")
    assert not same_data(one, two)
    assert difference(one, two) is None


def test_the_same_cases_in_other_columns_and_order_are_the_same_data() -> None:
    """A column that no model uses, or another order of columns, makes no other data."""
    data = simulated(1)
    more = DataSet("more", (Column("extra", "number", np.arange(300.0)), *data.columns[::-1]))
    assert same_data(document(data), document(more, ONE + "\nhold A > B at 0"))
    fewer = DataSet("fewer", tuple(Column(c.name, c.level, c.numbers[:-1]) for c in data.columns))  # type: ignore[index]
    assert not same_data(document(data), document(fewer))


def test_the_headline_is_one_everywhere() -> None:
    """With BCa the figure drew bias-corrected bounds and called them BCa; solid and dashed follow the interval shown."""
    for asked in ("percentile", "bias-corrected", "bca"):
        found = document(demo_data("night_ferry"), demo_text("night_ferry"), bootstrap=300, interval=asked)
        boots = [p.standardized_bootstrap for p in found.parameters if p.kind == "path"]
        figure = paper_figure(found)
        for boot in boots:
            assert boot is not None
            bounds = {"percentile": boot.percentile, "bias-corrected": boot.bias_corrected, "bca": boot.bca}
            assert boot.headline == bounds[asked]
            low, high = (f"{abs(v):.2f}".lstrip("0") for v in boot.headline)
            assert low in figure
            assert high in figure
        crossing = sum(1 for boot in boots if boot and boot.headline[0] <= 0 <= boot.headline[1])
        assert figure.count("stroke-dasharray") == crossing
    assert "BCa bootstrap intervals" in " ".join(re.sub(r"<[^>]+>", " ", figure).split())


def test_runs_of_earlier_versions_keep_their_interval() -> None:
    """A stored bootstrap without a headline is read, not thrown away."""
    stored = {"mean": 0.0, "bias": 0.0, "se": 1.0, "percentile": [0, 1], "bias_corrected": [2, 3], "bca": None,
              "p_value": None, "n_used": 9}  # fmt: skip
    assert Bootstrap.model_validate(stored).headline == (0, 1)
    assert Bootstrap.model_validate(stored | {"bca": [4, 5]}).headline == (4, 5)


@pytest.mark.parametrize("estimator", ["ml", "gls", "uls"])
def test_the_figure_says_how_it_was_estimated(estimator: str) -> None:
    """Under GLS the note still said maximum likelihood."""
    words = {"ml": "maximum likelihood", "gls": "generalized least squares", "uls": "unweighted least squares"}
    figure = paper_figure(document(simulated(1), estimator=estimator))
    note = figure.replace("</text>", " ").replace("\n", " ")
    assert all(word in note for word in words[estimator].split())
    assert ("maximum" in note) == (estimator == "ml")
    assert "<title>Path diagram: A and B</title>" in figure


def test_a_reversed_first_item_is_the_one_that_is_named() -> None:
    """It once turned four good items into misses; the scale stays, the majority judges, and there are buttons."""
    found = document(simulated(1, flip=("a1",)))
    quality = found.quality
    assert quality is not None
    assert next(c for c in quality.constructs if c.name == "A").direction == -1
    loadings = {entry.indicator: entry.loading for entry in quality.loadings}
    assert loadings["a1"] > 0.5
    assert loadings["a2"] < -0.5
    against = [p for p in found.problems if p.code == "runs_against_block"]
    assert [p.about[0] for p in against] == ["a1"]
    words = [r.words for r in against[0].repairs]
    assert any(w.startswith("Recode") for w in words)
    assert any("carry the scale" in w for w in words)
    assert not [p for p in found.problems if p.code == "weak_loading"]


def test_a_saturated_model_has_no_verdict() -> None:
    """df 0 fits always; CFI 1.000 is no merit, and χ² is written 0.0."""
    found = document(demo_data("night_ferry"), "notice leads to safety")
    figures = {f.key: f for f in readout(found, None)}
    assert found.fit is not None
    assert found.fit.df == 0
    assert {f.verdict for key, f in figures.items() if key != "lowest_ave"} == {"none"}
    assert figures["chi_square"].text == "0.0"


def test_errors_by_bootstrap_are_the_bootstrap_s() -> None:
    """--errors bootstrap once left expected errors in every column."""
    plain = document(simulated(1))
    found = document(simulated(1), errors="bootstrap", bootstrap=400)
    assert found.settings.errors == "bootstrap"
    for before, p in zip(plain.parameters, found.parameters, strict=True):
        if not p.free:
            continue
        assert p.bootstrap is not None
        assert p.se == p.bootstrap.se != before.se
        assert p.interval == p.bootstrap.headline
        assert p.p_value == p.bootstrap.p_value
        assert p.z == pytest.approx(p.estimate / p.bootstrap.se)
        assert p.standardized_se is None or p.standardized_se == p.standardized_bootstrap.se  # type: ignore[union-attr]
    assert Settings(errors="bootstrap").bootstrap == 5000


def test_a_matrix_has_no_full_information() -> None:
    """It was accepted without a word, and means were asked for that are not there."""
    matrix = Moments("m", ("a1", "a2", "a3"), np.array([[1, 0.5, 0.4], [0.5, 1, 0.3], [0.4, 0.3, 1]]), 200)
    found = analysed(matrix, "A shows in a1, a2, a3", missing="full-information")
    assert found.outcome == "refused"
    assert found.problems[0].code == "full_information_needs_cases"


def test_singular_computations_are_not_adf_s_fault() -> None:
    """Whatever broke off was once said of ADF's weights, under every estimator."""
    loop = "a1 leads to a2\na2 leads to a1\nhold a1 > a2 at 1\nhold a2 > a1 at 1"
    found = analysed(simulated(1), loop)
    assert found.outcome != "estimated"
    assert not any("ADF" in p.message for p in found.problems)
    twice = simulated(1, 60)
    adf = analysed(twice, estimator="adf")
    assert adf.outcome == "estimated" or any("ADF" in p.message for p in adf.problems)


def test_one_case_says_so_first() -> None:
    """Not six columns without variance, but one case."""
    from dusk_arrow.exchange.csv_files import read_csv

    reading = read_csv(b"a1,a2,a3\n1,2,3\n", "one")
    assert [p.code for p in reading.problems] == ["one_case"]
    found = analysed(reading.data, "A shows in a1, a2, a3")
    assert "Only 1 complete case is left" in found.problems[0].message


def test_unconverged_moments_do_not_count_as_resamples(monkeypatch: pytest.MonkeyPatch) -> None:
    """A resample whose saturated moments were not found has no likelihood ratio; it is a failed one."""
    import dusk_arrow.core.observations.evidence as evidence

    data = simulated(1, 120)
    gaps = tuple(
        Column(c.name, c.level, np.where(np.arange(120) % 7 == i, np.nan, c.numbers))
        for i, c in enumerate(data.columns)  # type: ignore[arg-type]
    )
    source = DataSet("gaps", gaps)
    real = evidence.em_batch
    monkeypatch.setattr(
        evidence,
        "em_batch",
        lambda *given: (found := real(*given))._replace(converged=np.arange(len(found.mean)) % 2 == 0),
    )
    found = document(source, missing="full-information", bootstrap=100)
    assert found.bootstrap_summary is not None
    assert found.bootstrap_summary.not_converged == 50


def test_every_path_at_zero_never_falls_below_the_whole_model() -> None:
    """A freer model that fits worse has not been solved; its difference is no test."""
    for test in paths_at_zero(parse(demo_text("river_wardens")), demo_data("river_wardens"), Settings()):
        assert test.difference is None or test.difference.chi_square >= 0


GROWTH = "\n".join(
    [
        "Level shows in y1..y4",
        "Slope shows in y1..y4",
        *(
            f"hold Level > y{t + 1} at 1\nhold Slope > y{t + 1} at {t}\nhold intercept of y{t + 1} at 0"
            for t in range(4)
        ),
        "release intercept of Level",
        "release intercept of Slope",
    ]
)


def test_released_means_make_a_growth_model() -> None:
    """The means of constructs, which are 0 by default, are estimated where they are released: an exact population."""
    times = np.column_stack([np.ones(4), np.arange(4.0)])
    spread = np.array([[1.0, 0.2], [0.2, 0.3]])
    covariance = times @ spread @ times.T + 0.5 * np.eye(4)
    matrix = Moments("growth", ("y1", "y2", "y3", "y4"), covariance, 400, 0, times @ np.array([2.0, 0.5]))
    found = document(matrix, GROWTH)
    assert found.fit is not None
    assert found.fit.df == 14 - 9
    assert found.fit.chi_square == pytest.approx(0, abs=1e-6)
    means = {p.from_: p.estimate for p in found.parameters if p.kind == "mean" and p.free}
    assert means == {"Level": pytest.approx(2.0, abs=1e-6), "Slope": pytest.approx(0.5, abs=1e-6)}


def test_a_released_marker_leaves_its_construct_without_scale() -> None:
    """Nothing takes over in silence: the construct has no unit, and both ways to give it one lead to the same fit."""
    plain = document(simulated(1)).fit
    assert plain is not None
    text = ONE + "\nrelease A > a1"
    refused = analysed(simulated(1), text)
    assert refused.outcome == "not_estimated"
    (problem,) = [p for p in refused.problems if p.code == "no_scale"]
    assert len(problem.repairs) == 2
    for repair, carried in zip(problem.repairs, (("loading", "a2"), ("variance", "A")), strict=True):
        found = assemble(analyse(apply(parse(text), repair.change), simulated(1), Settings()))
        free = {(p.kind, p.to): p.free for p in found.parameters if p.from_ == "A"}
        assert free["loading", "a1"]
        assert not free[carried]
        assert found.fit is not None
        assert found.fit.chi_square == pytest.approx(plain.chi_square, abs=1e-6)
    index = analysed(simulated(1), "A is made of a1, a2\nA leads to b1, b2\nrelease a1 > A")
    assert [len(p.repairs) for p in index.problems if p.code == "no_scale"] == [1]


def test_what_is_held_cannot_be_released() -> None:
    """Holding and releasing the same is a contradiction, and a construct made of its indicators has no rest to free."""
    both = analysed(simulated(1), ONE + "\nrelease A > a1\nhold A > a1 at 0.7")
    assert [p.code for p in both.problems] == ["held_and_released"]
    composite = analysed(simulated(1), "A is made of a1, a2\nA leads to b1\nrelease variance of A")
    assert "not_to_be_released" in {p.code for p in composite.problems}


def test_minima_are_given_as_chi_square_only_where_they_are() -> None:
    """N·F is no χ² under ULS, whose test is of the residuals: the number would be one that nobody can find again."""
    table_of_two = "A shows in x1, x2, x3\nB shows in x4, x5, x6"
    for estimator, words in (("ml", "with χ² "), ("uls", "different points; the lowest")):
        source = weak_markers(92, [0.2, 0.7, 0.6, 0.2, 0.65, 0.7], 74)
        fitted = analysed(source, table_of_two, estimator=estimator).fitted
        assert fitted is not None
        (note,) = minima_notes(replace(fitted.minima, values=(7.4, 14.8)))
        assert words in note.message
        assert ("χ² 7.40 and 14.80" in note.message) == (estimator == "ml")
