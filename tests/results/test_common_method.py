"""One factor behind all items, beside the measurement model: what reviewers ask, answered on the same cases."""

from __future__ import annotations

from typing import Any

import pytest

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import cases, matrix, with_gaps

TEXT = "A shows in a1..a3\nB shows in b1..b3\nF is made of x, z\nA leads to B\nF leads to B"


def thorough(text: str, source: Any, **settings: Any) -> Results:
    return assemble(analyse(parse(text), source, Settings(**settings), depth="thorough"))


def plain(text: str, source: Any, **settings: Any) -> Results:
    return assemble(analyse(parse(text), source, Settings(**settings)))


@pytest.mark.parametrize("settings", [{}, {"estimator": "gls"}, {"divisor": "n-1"}, {"missing": "full-information"}])
def test_both_fits_are_those_of_the_models_they_name(settings: dict[str, Any]) -> None:
    """Estimated as anybody would who wrote the two models down, by the estimator and the cases that were chosen."""
    source = with_gaps() if settings.get("missing") else cases()
    found = thorough(TEXT, source, **settings).common_method
    assert found is not None
    single = plain("M shows in a1..a3, b1..b3", source, **settings).fit
    measured = plain("A shows in a1..a3\nB shows in b1..b3", source, **settings).fit
    assert single is not None
    assert measured is not None
    assert found.items == 6
    for name in ("chi_square", "df", "cfi", "rmsea", "srmr"):
        assert getattr(found.single_factor, name) == pytest.approx(getattr(single, name), rel=1e-6)
        assert getattr(found.measurement, name) == pytest.approx(getattr(measured, name), rel=1e-6)
    assert (found.single_factor.df or 0) - (found.measurement.df or 0) == 1


def test_composites_are_asked_by_maximum_likelihood() -> None:
    """They have no χ² of their own, and the question is one of common factors."""
    own = thorough(TEXT, cases(), family="composite").common_method
    assert own is not None
    factors = thorough(TEXT, cases()).common_method
    assert factors is not None
    assert own.single_factor.chi_square == factors.single_factor.chi_square
    assert own.measurement.cfi == factors.measurement.cfi


def test_parts_count_with_their_items_and_formative_items_not_at_all() -> None:
    """A construct of constructs has no items of its own, and what makes a construct up is no answer to it."""
    text = TEXT + "\nC shows in c1..c3\nG shows in A, C\nG leads to B"
    found = thorough(text.replace("A leads to B\n", ""), cases()).common_method
    assert found is not None
    assert found.items == 9


def test_a_matrix_will_do_and_one_construct_will_not() -> None:
    """Nothing here needs cases; one construct is one factor already."""
    assert thorough("A shows in a1..a3\nB shows in b1..b3\nA leads to B", matrix(False)).common_method is not None
    assert thorough("A shows in a1..a3\nx leads to A", cases()).common_method is None
    assert plain(TEXT, cases()).common_method is None
