"""The picture of one mediation shows what the model says of the pair, no more and no less."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET

import pytest

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import coefficient
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text, paper_figure


@pytest.fixture(scope="module")
def wardens() -> Results:
    return assemble(analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), Settings(bootstrap=128)))


def words_of(svg: str) -> list[str]:
    return [text.text or "" for text in ET.fromstring(svg).iter("{http://www.w3.org/2000/svg}text")]


def test_it_has_what_lies_between_and_nothing_else(wardens: Results) -> None:
    """A reader of the figure sees every mediator and every path on the way, with the numbers of the document."""
    words = words_of(paper_figure(wardens, about=("Support", "Persistence")))
    shown = {"Support", "Efficacy", "Stewardship", "Persistence"}
    assert shown <= set(words)
    assert not {"Training", "Effort", "su1", "pe1"} & set(words)
    between = [p for p in wardens.parameters if p.kind == "path" and {p.from_, p.to} <= shown]
    assert len(between) == 4
    for path in between:
        assert coefficient(path.standardized) in words
    note = " ".join(words)
    for effect in wardens.effects:
        if (effect.from_, effect.to) == ("Support", "Persistence"):
            assert coefficient(effect.standardized) in note
            assert effect.standardized_bootstrap is not None
            low, high = effect.standardized_bootstrap.headline
            assert f"[{coefficient(low)}, {coefficient(high)}]" in note
    assert re.search(r"Held constant and not drawn: Training, Effort\.", note)


def test_paths_in_a_circle_have_totals_alone() -> None:
    """Where routes cannot be listed the picture still shows what can be on the way, and the note only the totals."""
    text = "x leads to a\na leads to b\nb leads to a, y\nz leads to b"
    data = demo_data("river_wardens")
    names = {"x": "tr1", "a": "ef1", "b": "st1", "y": "pe1", "z": "su2"}
    for short, name in names.items():
        text = re.sub(rf"\b{short}\b", name, text)
    results = assemble(analyse(parse(text), data, Settings()))
    assert results.converged
    words = words_of(paper_figure(results, about=("tr1", "pe1")))
    assert {"tr1", "ef1", "st1", "pe1"} <= set(words)
    assert "su2" not in words
    assert "in total" in " ".join(words)
    assert "through" not in " ".join(words)


def test_a_pair_without_a_route_is_refused(wardens: Results) -> None:
    """An empty picture would say that there is no effect."""
    with pytest.raises(ValueError, match="no route leads from Persistence to Support"):
        paper_figure(wardens, about=("Persistence", "Support"))
