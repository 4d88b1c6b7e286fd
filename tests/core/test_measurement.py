"""The measurement model inside a model: exactly what somebody would write by hand."""

from __future__ import annotations

import pytest

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.measurement import left_out, measurement_only
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text
from tests.core.populations import ALL, table_of

RICH = """# a theory
A shows in a1, a2, a3
B shows in b1, b2, b3
F is made of f1, f2
G shows in A, B
A, F and x lead to B
B leads to y
A and B do not covary
a1 and b1 covary
call A > B a
call x > B b
call A > a2 l
match l, B > b2
track product = a * b
track route = x > B > y
expect A > B positive as H1
hold A > B at 0.3
hold A > a3 at 0.8
begin x > B at 0.1
set aside a2 from A because "why"
keep f1 in F
"""
BY_HAND = """# a theory
A shows in a1, a2, a3
B shows in b1, b2, b3
G shows in A, B
a1 and b1 covary
call A > a2 l
match l, B > b2
hold A > a3 at 0.8
set aside a2 from A because "why"
"""


def test_what_is_said_of_paths_waits() -> None:
    """Paths, routes, hypotheses, what rests on them and what has no measurement go; all else stays, comments too."""
    reduced = measurement_only(parse(RICH))
    assert write(reduced) == BY_HAND
    assert left_out(parse(RICH)) == ("F", "x", "y")
    assert measurement_only(reduced) == reduced, "done twice it is done once"
    assert FAMILIES["covariance"].estimated_part(parse(RICH), "whole") == parse(RICH)


@pytest.mark.parametrize("name", ALL)
def test_all_constructs_covary(name: str) -> None:
    """In the measurement model every pair of constructs of the first order has a free covariance and none has a path."""
    said = measurement_only(parse(ALL[name]))
    model = read(said)
    if not model.constructs:
        return
    assert [p for p in check(said) if p.severity == "error"] == []
    table = table_of(write(said))
    above = {n for c in model.constructs for n in c.indicators}
    nodes = [c.name for c in model.constructs if c.name not in above]
    pairs = {frozenset((p.source, p.target)) for p in table.parameters if p.kind == "covariance" and p.free}
    assert {frozenset((a, b)) for i, a in enumerate(nodes) for b in nodes[:i]} <= pairs
    assert not [p for p in table.parameters if p.kind in ("path", "weight")]


def test_the_demo_by_one_switch_and_by_hand() -> None:
    """The numbers of the switch are those of a model without paths, and the document says which text it is of."""
    data, text = demo_data("river_wardens"), demo_text("river_wardens")
    switched = assemble(analyse(parse(text), data, Settings(part="measurement")))
    hand = "\n".join(line for line in text.splitlines() if "shows in" in line)
    plain = assemble(analyse(parse(hand), data, Settings()))
    assert switched.fit is not None
    assert plain.fit is not None
    assert switched.fit.chi_square == pytest.approx(plain.fit.chi_square, rel=1e-10)
    assert switched.fit.df == plain.fit.df
    assert switched.model == write(parse(text))
    assert switched.settings.part == "measurement"
    note = next(p for p in switched.problems if p.code == "measurement_only")
    assert "Effort take" in note.message or "Effort" in note.about
