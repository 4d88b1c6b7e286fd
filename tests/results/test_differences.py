"""What differs between two models, in words: each sentence is true to the numbers it is about."""

from __future__ import annotations

import re
from typing import Any

import pytest

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.differences import what_differs
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text

NAME = "river_wardens"


def estimated(text: str, **settings: Any) -> Results:
    return assemble(analyse(parse(text), demo_data(NAME), Settings(**settings)))


def told(
    first: str, second: str, before: dict[str, Any] | None = None, after: dict[str, Any] | None = None
) -> list[str]:
    one, other = estimated(first, **(before or {})), estimated(second, **(after or {}))
    return what_differs(parse(first), parse(second), one, other)


TEXT = demo_text(NAME)


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (
            lambda t: t.replace("Stewardship, Training and Effort", "Stewardship and Effort"),
            "leaves out the path Training → Persistence",
        ),
        (lambda t: t + "Support leads to Persistence\n", "adds the path Support → Persistence"),
        (lambda t: t + "set aside ef5 from Efficacy\n", "does without ef5"),
        (lambda t: t + "st1 and st2 covary\n", "lets st1 and st2 covary"),
        (lambda t: t.replace("Effort is made of", "Effort shows in"), "has Effort reflective"),
        (lambda t: t + "hold Support > Stewardship at 0.2\n", "It says: hold Support > Stewardship at 0.2"),
    ],
)
def test_what_a_model_states_is_said(edit: Any, words: str) -> None:
    """A reader of two columns wants to know what was changed, before by how much."""
    found = told(TEXT, edit(TEXT))
    assert words in found[0]
    assert found[0].endswith(".")


def test_the_same_model_differs_in_nothing() -> None:
    """And says so, instead of leaving a blank."""
    found = told(TEXT, TEXT)
    assert found == ["It states the same and is estimated alike.", "No path differs by what two decimals show."]


def test_other_settings_and_other_cases_are_said() -> None:
    """Full information uses every case; whoever compares has to know."""
    found = told(TEXT, TEXT, {}, {"missing": "full-information"})
    assert "a missing answer: full information" in found[0]
    assert "412 cases instead of 349: other data" in found[1]


def test_the_paths_that_part_most_are_named_with_both_numbers() -> None:
    """Taken from the two documents, largest first."""
    shorter = TEXT.replace("Stewardship, Training and Effort", "Stewardship and Effort")
    one, other = estimated(TEXT), estimated(shorter)
    found = next(s for s in what_differs(parse(TEXT), parse(shorter), one, other) if s.startswith("Where"))
    values = [{(p.from_, p.to): p.standardized or 0 for p in d.parameters if p.kind == "path"} for d in (one, other)]
    most = max((p for p in values[0] if p in values[1]), key=lambda p: abs(values[0][p] - values[1][p]))
    first, second = (f"{values[k][most]:.2f}"[1:] for k in (0, 1))
    assert f"{most[0]} → {most[1]}, {first} against {second}" in found


@pytest.mark.parametrize("estimator", ["pls", "plsc"])
def test_why_two_families_differ_is_true_to_these_numbers(estimator: str) -> None:
    """Attenuation is told with the reliabilities and loadings that were found, not with a general truth."""
    one, other = estimated(TEXT), estimated(TEXT, estimator=estimator)
    found = what_differs(parse(TEXT), parse(TEXT), one, other)
    assert "composites" in found[0]
    why = found[-1]
    assert one.quality is not None
    assert other.quality is not None
    rhos = [c.rho_a for c in other.quality.constructs if c.rho_a is not None]
    assert f"rho_A from {min(rhos):.2f}"[0:11] in why
    assert f"{min(rhos):.2f}"[1:] in why
    assert f"{max(rhos):.2f}"[1:] in why
    own = {(e.construct_, e.indicator): abs(e.loading or 0) for e in one.quality.loadings}
    shift = [
        abs(e.loading or 0) - own[e.construct_, e.indicator] for e in other.quality.loadings if e.construct_ != "Effort"
    ]
    mean, apart = sum(shift) / len(shift), sum(abs(s) for s in shift) / len(shift)
    assert f"by {(abs(mean) if estimator == 'pls' else apart):.2f}".replace("0.", ".") in why
    if estimator == "pls":
        assert mean > 0.03
        assert "larger" in why
        assert f"about {sum(rhos) / len(rhos):.2f}".replace("0.", ".") in why
    assert not re.search(r"nan|None", " ".join(found))


def test_what_the_other_family_leaves_aside_is_listed() -> None:
    """A covariance that is said and not estimated must not look as if it were."""
    text = TEXT + "st1 and st2 covary\n"
    found = told(text, text, {}, {"family": "composite"})
    assert any("st1 and st2 covary" in sentence and "Left aside" in sentence for sentence in found)
