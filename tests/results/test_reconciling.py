"""Figures of a paper against one's own: digits agree or do not, and the convention that explains a gap is found."""

from __future__ import annotations

from functools import cache
from typing import Any

import pytest

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import coefficient, p_text
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.reconciling import read_printed, reconcile
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text

SHORT = """
Training shows in tr1, tr2, tr3, tr4
Support shows in su1, su2, su3
Efficacy shows in ef1, ef2, ef3, ef4
Training and Support lead to Efficacy
"""


@cache
def estimated(**settings: Any) -> Results:
    return assemble(analyse(parse(SHORT), demo_data("river_wardens"), Settings(**settings)))


def paper(results: Results, standardized: bool = True) -> str:
    """What a paper would print of a document."""
    fit = results.fit
    assert fit is not None
    lines = [
        f"χ² = {fit.chi_square:.2f}",
        f"df {fit.df}",
        f"CFI {coefficient(fit.cfi, 3)}",
        f"RMSEA: {fit.rmsea:.3f}",
        f"SRMR\t{fit.srmr:.3f}",
    ]
    lines += [f"p of χ² {p_text(fit.p_value)}"]
    for p in results.parameters:
        if p.kind == "path":
            lines.append(f"{p.from_} -> {p.to} {p.standardized if standardized else p.estimate:.3f}***")
            lines.append(f"SE {p.from_} > {p.to}  {p.se:.4f}")
        elif p.kind == "loading" and p.free:
            lines.append(f"{p.to} {coefficient(p.standardized) if standardized else f'{p.estimate:.2f}'}")
    return "\n".join(["Table 2. What they found", *lines, ""])


def test_a_figure_agrees_within_half_a_unit_of_its_last_digit() -> None:
    """.43 may be .425 to .435, .430 may not; a bound is only a bound."""
    short, long, bound, comma, many = read_printed("CFI .43\nCFI = 0.430**\np < .001\nCFI −,43\nχ² 1234.5")
    assert (short.value, short.half, long.half, comma.value, many.value) == (0.43, 0.005, 0.0005, -0.43, 1234.5)
    assert short.agrees(0.4349)
    assert short.agrees(0.425)
    assert not short.agrees(0.4351)
    assert not long.agrees(0.4349)
    assert not short.agrees(None)
    assert bound.agrees(0.0004)
    assert not bound.agrees(0.002)
    assert read_printed("no number here\n\n 12") == []


def test_what_is_printed_as_it_is_agrees_without_a_change() -> None:
    """Most papers need nothing; then nothing may be claimed."""
    results = estimated()
    found = reconcile(paper(results), results, demo_data("river_wardens"))
    assert [line.printed.label for line in found.lines if not line.agrees] == []
    assert len(found.lines) == 6 + 4 + 8
    assert (found.changes, found.explained, found.tried) == ((), True, 1)


@pytest.mark.parametrize(
    ("theirs", "standardized", "changes"),
    [
        ({"divisor": "n-1"}, True, 1),
        ({"estimator": "gls"}, True, 1),
        ({"errors": "sandwich"}, True, 1),
        ({"missing": "full-information"}, True, 1),
        ({}, False, 1),
        ({"divisor": "n-1", "estimator": "gls"}, False, 3),
    ],
)
def test_the_smallest_change_that_explains_all_gaps_is_named(
    theirs: dict[str, str], standardized: bool, changes: int
) -> None:
    """A gap is a mistake only when no convention explains it."""
    own = estimated()
    found = reconcile(paper(estimated(**theirs), standardized), own, demo_data("river_wardens"))
    assert not all(line.agrees for line in found.lines)
    assert found.explained
    assert all(line.agrees_then for line in found.lines)
    assert len(found.changes) == changes, found.changes
    words = " ".join(found.changes)
    if "missing" in theirs:
        assert "full information" in words
    if not standardized:
        assert "coefficients in units" in words


def test_a_wrong_digit_stays_a_gap() -> None:
    """No convention may be made up for a misprint, and what is not known by its name is said to be so."""
    own = estimated()
    text = paper(own).replace("CFI ", "CFI .5\nCFI ") + "Belonging → Voice .40"
    found = reconcile(text, own, demo_data("river_wardens"))
    assert not found.explained
    assert found.changes == ()
    left = [line for line in found.lines if not line.agrees_then]
    assert [line.printed.text for line in left] == [".5", ".40"]
    assert left[1].figure is None
    assert found.tried > 1


def test_a_matrix_is_searched_without_what_needs_cases() -> None:
    """Somebody who has only the published covariances can still reconcile."""
    from dusk_arrow.exchange.reading import read_any
    from dusk_arrow.exchange.reading_options import ReadingOptions
    from tests.conftest import DEMO

    content = (DEMO / "river_wardens_covariance.csv").read_bytes()
    source, _ = read_any(content, "m.csv", ReadingOptions(), None, 1)
    results = assemble(analyse(parse(SHORT), source, Settings()))
    other = assemble(analyse(parse(SHORT), source, Settings(divisor="n-1")))
    found = reconcile(paper(other), results, source)
    assert found.explained
    assert len(found.changes) == 1
    composite = assemble(
        analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), Settings(family="composite"))
    )
    assert reconcile("AVE Training .1", composite, demo_data("river_wardens")).explained is False
