"""What an analysis refuses, and with which words: a refusal that fails to come is a wrong number in a paper."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.covariance.family import CovarianceFamily
from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import StoppedError
from dusk_arrow.results.settings import Settings
from tests.results.test_honesty import ONE, simulated

CASES = simulated(1)
WITH_GAPS = DataSet(
    "gaps",
    tuple(
        replace(c, numbers=np.where(np.arange(300) % 9 == i, np.nan, c.numbers)) for i, c in enumerate(CASES.columns)
    ),
)
NAMES = tuple(c.name for c in CASES.columns)
MATRIX = Moments("matrix", NAMES, np.cov(CASES.matrix(NAMES).T), 300)
ODD = DataSet(
    "odd",
    (
        *CASES.columns,
        Column("words", "text", None, tuple("yes" for _ in range(300))),
        Column("empty", "number", np.full(300, np.nan)),
    ),
)
FEW = DataSet("few", tuple(replace(c, numbers=c.numbers[:20]) for c in CASES.columns if c.numbers is not None))


@pytest.mark.parametrize(
    ("source", "text", "settings", "code", "words"),
    [
        (ODD, "words leads to a1", {}, "text_column", "words holds text"),
        (ODD, "empty leads to a1", {}, "all_missing", "empty has no values"),
        (MATRIX, ONE, {"missing": "full-information"}, "full_information_needs_cases", "Full information works on"),
        (MATRIX, ONE, {"bootstrap": 100}, "bootstrap_needs_cases", "The bootstrap works on"),
        (MATRIX, ONE, {"bollen_stine": True, "bootstrap": 100}, "bootstrap_needs_cases", "The bootstrap works on"),
        (MATRIX, ONE, {"errors": "sandwich"}, "errors_need_cases", "The choice of sandwich errors"),
        (MATRIX, ONE, {"errors": "satorra-bentler"}, "errors_need_cases", "The choice of satorra-bentler errors"),
        (MATRIX, ONE, {"estimator": "adf"}, "estimator_needs_cases", "ADF works on"),
        (MATRIX, ONE, {"means": True}, "means_missing", "Add a row “mean”"),
        (WITH_GAPS, ONE, {"missing": "full-information", "estimator": "gls"}, "full_information_needs_ml", "GLS works"),
        (WITH_GAPS, ONE, {"missing": "full-information", "estimator": "uls"}, "full_information_needs_ml", "ULS works"),
        (
            WITH_GAPS,
            ONE,
            {"missing": "full-information", "errors": "satorra-bentler"},
            "errors_need_complete_cases",
            "use the sandwich",
        ),
        (
            WITH_GAPS,
            ONE,
            {"missing": "full-information", "bootstrap": 50, "bollen_stine": True},
            "bollen_stine_needs_complete_cases",
            "Use listwise deletion",
        ),
        (
            CASES,
            ONE,
            {"estimator": "uls", "bootstrap": 50, "bollen_stine": True},
            "bollen_stine_needs_complete_cases",
            "maximum likelihood or GLS",
        ),
        (CASES, ONE, {"estimator": "uls", "errors": "satorra-bentler"}, "errors_not_available", "residual-based test"),
        (FEW, ONE, {"estimator": "adf"}, "too_few_cases", "ADF weighs 21 moments"),
        (FEW, ONE, {"estimator": "adf", "means": True}, "too_few_cases", "ADF weighs 27 moments"),
        (FEW, ONE, {"estimator": "uls", "errors": "sandwich"}, "too_few_cases", "The robust test of ULS weighs 21"),
    ],
)
def test_refused_before_estimation(source: Source, text: str, settings: dict[str, Any], code: str, words: str) -> None:
    """Each with its own words and no figure beside them."""
    analysis = analyse(parse(text), source, Settings(**settings))
    assert analysis.outcome == "refused"
    problem = next(p for p in analysis.problems if p.code == code)
    assert problem.severity == "error"
    assert words in problem.message
    found = assemble(analysis)
    assert (found.converged, found.fit, found.parameters, found.effects) == (False, None, [], [])


@pytest.mark.parametrize(
    ("source", "settings"),
    [
        (CASES, {"estimator": "gls", "bootstrap": 20, "bollen_stine": True}),
        (CASES, {"estimator": "uls", "errors": "sandwich"}),
        (CASES, {"estimator": "adf", "errors": "satorra-bentler"}),
        (MATRIX, {"estimator": "uls", "errors": "observed"}),
        (WITH_GAPS, {"missing": "full-information", "errors": "sandwich", "means": True}),
        (replace(MATRIX, means=np.zeros(6)), {"means": True}),
    ],
)
def test_what_goes_together_is_not_refused(source: Source, settings: dict[str, Any]) -> None:
    """The neighbours of the refusals above are estimated."""
    analysis = analyse(parse(ONE), source, Settings(**settings))
    assert analysis.outcome == "estimated"
    assert not [p for p in analysis.problems if p.severity == "error"]


def noise(seed: int) -> DataSet:
    """Twelve cases of nothing."""
    rng = np.random.default_rng(seed)
    return DataSet("noise", tuple(Column(name, "number", rng.normal(size=12)) for name in NAMES))


def test_a_model_without_a_minimum_is_not_estimated() -> None:
    """Where no start converges there are no numbers, and the usual reasons are named."""
    analysis = analyse(parse(ONE), noise(2), Settings())
    assert analysis.outcome == "not_estimated"
    problem = next(p for p in analysis.problems if p.code == "not_converged")
    assert "Usual reasons" in problem.message
    found = assemble(analysis)
    assert (found.converged, found.fit, found.parameters) == (False, None, [])


@pytest.mark.parametrize("seed", [2, 4, 12, 25])
def test_impossible_estimates_are_null_and_named(seed: int) -> None:
    """With twelve cases of noise some constructs have negative variances: their figures are empty, not made up."""
    analysis = analyse(parse(ONE), noise(seed), Settings(estimator="uls"))
    assert analysis.outcome == "estimated"
    document = assemble(analysis)
    below = [p for p in document.parameters if p.kind == "variance" and p.estimate < 0]
    assert below
    assert {p.from_ for p in below} == {p.about[0] for p in analysis.problems if p.code == "negative_variance"}
    assert [p.standardized for p in document.parameters if p.kind == "path"] == [None]


def test_a_computation_that_breaks_off_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """A singular matrix somewhere inside is a problem with its usual reasons, never a crash."""

    def break_off(*_given: object) -> None:
        raise np.linalg.LinAlgError("Singular matrix")

    monkeypatch.setattr(CovarianceFamily, "fit", break_off)
    analysis = analyse(parse(ONE), CASES, Settings())
    assert analysis.outcome == "not_estimated"
    assert [p.code for p in analysis.problems] == ["broke_off"]
    assert "Singular matrix" in analysis.problems[0].message


def test_resamples_that_fail_are_counted_and_told() -> None:
    """Twenty cases with weak items: many resamples have no admissible solution, and the intervals say so."""
    weak = simulated(7, 25, loading=0.3)
    analysis = analyse(parse(ONE), weak, Settings(bootstrap=20, seed=1))
    assert analysis.outcome == "estimated"
    assert analysis.bootstrap is not None
    lost = analysis.bootstrap.not_converged + analysis.bootstrap.inadmissible
    told = [p for p in analysis.problems if p.code == "many_bad_resamples"]
    assert lost > 3
    assert told
    assert told[0].message.startswith(f"{lost} of 20 ")
    sound = analyse(parse(ONE), CASES, Settings(bootstrap=60, seed=1))
    assert not [p for p in sound.problems if p.code == "many_bad_resamples"]


def test_a_run_that_is_stopped_ends_without_figures() -> None:
    """Stop is obeyed after the chunk at work."""
    with pytest.raises(StoppedError):
        analyse(parse(ONE), CASES, Settings(bootstrap=500), progress=lambda _done, _asked: "stop")
