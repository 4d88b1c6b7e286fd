"""Growth from the first sentence to the advice: nothing is proposed that cannot be, and a covariance that went is given back."""

from __future__ import annotations

from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from dusk_arrow.results.what_ifs import estimator_of, item_what_ifs, left_out_what_ifs
from tests.report.situations import GROWTH, growth

CASES = growth()


def document(text: str) -> Results:
    return assemble(analyse(parse(text), CASES, Settings()))


def test_no_verdict_and_no_what_if_that_cannot_be() -> None:
    """The fit of the documented growth model ended with "y1 already belongs to Level": a loading held at 0 was proposed as a new
    indicator. Items say when, not how well."""
    found = document(GROWTH)
    assert found.quality is not None
    assert found.quality.htmt == []
    assert {(c.ave, c.alpha, c.composite_reliability) for c in found.quality.constructs} == {(None, None, None)}
    assert not {p.code for p in found.problems} & {"weak_loading", "runs_against_block", "constructs_alike"}
    estimate = estimator_of(CASES, Settings())
    assert item_what_ifs(parse(GROWTH), found, estimate) == []
    assert found.modification  # among them are loadings held at 0
    assert left_out_what_ifs(parse(GROWTH), found, estimate) == []


def test_a_predictor_of_growth_says_what_went_and_gives_it_back() -> None:
    """Led to, level and slope are no longer exogenous and their covariance goes: χ² of a model that nobody meant."""
    asked = GROWTH + "z leads to Level, Slope\n"
    gone = document(asked)
    problem = next(p for p in gone.problems if p.code == "growth_covariance_gone")
    meant = document(asked + "Level and Slope covary\n")
    assert not any(p.code == "growth_covariance_gone" for p in meant.problems)
    assert gone.fit is not None
    assert meant.fit is not None
    assert gone.fit.df == meant.fit.df + 1
    assert gone.fit.chi_square > meant.fit.chi_square
    analysis = analyse(parse(asked), CASES, Settings())
    repairs = next(p for p in analysis.problems if p.code == "growth_covariance_gone").repairs
    assert len(repairs) == len(problem.repairs) > 0
    given_back = document(write(apply(parse(asked), repairs[0].change)))
    assert given_back.fit is not None
    assert given_back.fit.chi_square == meant.fit.chi_square
