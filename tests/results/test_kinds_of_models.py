"""Every kind of model that can be said goes all the way: estimates, bootstrap, document, board and figure."""

from __future__ import annotations

import pytest

from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.board import board
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, paper_figure

TWO = "Training shows in tr1..tr4\nEfficacy shows in ef1..ef4\n"
KINDS = {
    # df by hand: p(p+1)/2 variances and covariances less loadings, variances, covariances and paths
    "measurement only": (TWO + "Support shows in su1..su4", 78 - (9 + 12 + 6)),
    "structural": (TWO + "Training leads to Efficacy", 36 - (6 + 8 + 2 + 1)),
    "one indicator": ("Training shows in tr1..tr4\nR shows in readings\nTraining leads to R", 15 - (3 + 4 + 2 + 1)),
    "formative": ("F is made of eo1..eo3\nPersistence shows in pe1..pe4\nF leads to Persistence", 28 - (2 + 3 + 4 + 6 + 1 + 1)),
    "two formative": (
        "F is made of eo1..eo3\nG is made of mo1..mo3\nPersistence shows in pe1..pe4\nF and G lead to Persistence",
        55 - (4 + 3 + 4 + 21 + 1 + 2),
    ),
    "second order": (
        TWO + "Support shows in su1..su3\nG shows in Training, Support, Efficacy\nyears leads to G",
        78 - (8 + 11 + 2 + 4 + 1 + 1),
    ),
    "loop": (
        TWO + "Stewardship shows in st1..st4\nTraining leads to Efficacy\nyears leads to Stewardship\n"
        "Efficacy leads to Stewardship\nStewardship leads to Efficacy",
        91 - (9 + 12 + 5 + 4),
    ),
    "equal loadings": (TWO + "Training leads to Efficacy\nmatch Training > tr2, Training > tr3, Efficacy > ef2", 36 - (17 - 2)),
    "fixed variance carries the scale": (TWO + "hold variance of Training at 1\nTraining leads to Efficacy", 36 - 17),
    "fixed residual variance": (TWO + "hold variance of ef1 at 0.5\nTraining leads to Efficacy", 36 - 16),
    "residual covariance": (TWO + "Training leads to Efficacy\ntr1 and tr2 covary", 36 - 18),
    "uncorrelated constructs": (TWO + "Training and Efficacy do not covary", 36 - 16),
    "disturbances covary": ("age leads to years, readings\nyears and readings covary", 0),
    "marker freed by others that are fixed": ("Training shows in tr1..tr4\nhold Training > tr2 at 1\nhold Training > tr3 at 1\nhold Training > tr4 at 1", 10 - (1 + 4 + 1)),
    "marker aside": (TWO + 'set aside tr1 from Training because "x"\nhold Training > tr1 at 1\nTraining leads to Efficacy', 28 - (5 + 7 + 2 + 1)),
    "hypothesis and essential item": (TWO + "Training leads to Efficacy\nexpect Training > Efficacy positive as H1\nkeep tr4 in Training", 19),
    "names in quotation marks": ('"my construct" shows in tr1..tr4\nEfficacy shows in ef1..ef4\n"my construct" leads to Efficacy', 19),
    "one path": ("age leads to readings", 0),
}  # fmt: skip


@pytest.mark.parametrize(("text", "df"), KINDS.values(), ids=KINDS.keys())
def test_all_the_way(text: str, df: int) -> None:
    """A gap anywhere on the way would meet somebody as a white page."""
    specification = parse(text)
    analysis = analyse(specification, demo_data("river_wardens"), Settings(bootstrap=60))
    assert analysis.outcome == "estimated", [p.message for p in analysis.problems]
    results = assemble(analysis)
    assert results.fit is not None
    assert results.fit.df == df
    assert results.bootstrap_summary is not None
    assert results.bootstrap_summary.used >= 57
    assert "NaN" not in results.model_dump_json()
    drawn = board(read(specification), results, {})
    assert len([a for a in drawn.arrows if a.kind == "path"]) == len(read(specification).paths)
    assert paper_figure(results).count("<ellipse") == len(read(specification).constructs)
    for parameter in results.parameters:
        assert (parameter.se is None) == (not parameter.free)
        assert parameter.free or parameter.why_fixed


@pytest.mark.parametrize("name", ["structural", "second order", "loop", "residual covariance", "formative"])
def test_unit_variance_scaling_fits_alike(name: str) -> None:
    """Which scale a construct is given changes no fit and no standardized figure."""
    text, _ = KINDS[name]
    data = demo_data("river_wardens")
    marker = assemble(analyse(parse(text), data, Settings()))
    unit = assemble(analyse(parse(text), data, Settings(scaling="unit-variance")))
    assert marker.fit is not None
    assert unit.fit is not None
    assert unit.fit.chi_square == pytest.approx(marker.fit.chi_square, abs=1e-6)
    first = {(p.kind, p.from_, p.to): p.standardized for p in marker.parameters}
    for p in unit.parameters:
        assert p.standardized == pytest.approx(first[p.kind, p.from_, p.to], abs=1e-5)
