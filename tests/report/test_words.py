"""The words of a report say what the numbers carry: compared sentence by sentence."""

from __future__ import annotations

import re

import numpy as np
import pytest

from dusk_arrow.core.assessment.criteria import sheet
from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.report.assembly import Words, build
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import material
from dusk_arrow.report.options import Edit, PartChoice, ReportOptions
from dusk_arrow.report.references import citations, cited, literature, within
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.report.words import findings, methods
from dusk_arrow.report.words.registry import WORDS
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text
from tests.report.conftest import estimated, wardens
from tests.report.test_tables import table as table_of


@pytest.mark.parametrize("family", ["covariance", "composite"])
def test_a_path_is_called_significant_exactly_where_its_interval_excludes_zero(family: str) -> None:
    """The sentence is quoted; it must not say more than the interval that decides."""
    (text,) = findings.paths(wardens(family))
    said = {
        word: part
        for part in re.split(r"(?<=\.) (?=The path)", text)
        for word in ["not significant" if "not significant" in part else "significant"]
        if "The path" in part
    }
    seen = set()
    for p in estimated(family).parameters:
        if p.kind != "path" or p.bootstrap is None:
            continue
        low, high = p.bootstrap.headline
        word = "not significant" if low <= 0 <= high else "significant"
        figures = f"from {p.from_} to {p.to} (β = {Style().number(p.standardized)}, 95 % interval {Style().range(p.standardized_bootstrap.headline)}"  # type: ignore[union-attr]
        assert figures in said[word]
        assert figures not in said.get({"significant": "not significant"}.get(word, "significant"), "")
        seen.add(word)
    assert seen == {"significant", "not significant"}


def test_without_intervals_nothing_is_called_significant() -> None:
    """Composites have no errors until a bootstrap was run."""
    text = demo_text("river_wardens")
    results = assemble(analyse(parse(text), demo_data("river_wardens"), Settings(family="composite")))
    said = " ".join(findings.paths(material(results, demo_data("river_wardens"))))
    assert "significant" not in said
    assert "Without intervals" in said


def test_mediation_says_the_kind_and_the_share_of_the_document() -> None:
    """One paragraph a pair, with the document's own kind and numbers."""
    results = estimated()
    said = findings.mediation(wardens())
    pairs = [
        m
        for m in results.mediation
        if any(e.kind == "total indirect" and (e.from_, e.to) == (m.from_, m.to) for e in results.effects)
    ]
    assert len(said) == len(pairs)
    for text, known in zip(said, pairs, strict=True):
        assert f"The indirect effect of {known.from_} on {known.to}" in text
        assert f"Mediation: {known.kind} (" in text
        share = "Share of the total" in text
        assert share == (known.share_mediated is not None)
        if known.share_mediated is not None:
            assert Style().number(known.share_mediated) in text


def test_fit_is_told_with_what_it_met_and_missed() -> None:
    """A cut-off that was missed must not be passed over."""
    results = estimated()
    assert results.fit is not None
    strict = material(results, demo_data("river_wardens"), sheet("strict"))
    (said,) = findings.fit(strict)
    assert f"χ²({results.fit.df}) = {results.fit.chi_square:.2f}" in said
    missed = [words for words, key in findings.FIT if strict.criteria.judge(key, getattr(results.fit, key)) != "meets"]
    met = said.partition("met: ")[2].partition(";")[0]
    assert all(f"{word} (" not in met for word in missed)
    bad = results.model_copy(update={"fit": results.fit.model_copy(update={"cfi": 0.7})})
    assert "missed: CFI (" in findings.fit(material(bad, None))[0]


def test_an_impossible_solution_is_said_first() -> None:
    """A negative variance that the report passes over is found by the reviewer."""
    text = """
Low shows in a1, a2, a3
Other shows in b1, b2
Low leads to Other
"""
    sizes = {("a1", "a2"): 0.8, ("a1", "a3"): 0.75, ("a2", "a3"): 0.35, ("b1", "b2"): 0.4}
    names = ("a1", "a2", "a3", "b1", "b2")
    matrix = np.array([[1.0 if a == b else sizes.get((min(a, b), max(a, b)), 0.2) for b in names] for a in names])
    results = assemble(analyse(parse(text), Moments("made up", names, matrix, 200), Settings()))
    assert results.admissible is False
    own = material(results, None)
    said = findings.measures(own)
    at = next(i for i, one in enumerate(said) if "inadmissible" in one)
    assert "a1" in said[at]
    assert all("CFI" not in one for one in said[:at])
    assert any("inadmissible" in str(row.cells[1]) for row in table_of(own, "assumptions").rows)
    assert not any("inadmissible" in one for one in findings.measures(wardens()))


def test_the_sample_is_told_as_it_was_treated() -> None:
    """What happened to missing answers is the first thing a reviewer asks."""
    (said,) = methods.sample(wardens())
    data = estimated().data
    assert data is not None
    assert f"rests on {data.n_used:,} of {data.n_total:,} cases" in said
    assert f"{data.n_total - data.n_used} cases lacked an answer" in said
    full = Settings(missing="full-information")
    results = assemble(analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), full))
    (other,) = methods.sample(material(results, demo_data("river_wardens")))
    assert "full-information" in other
    assert "left out" not in other
    (how,) = methods.method(wardens())
    assert "256 bootstrap resamples (seed 7)" in how


def test_edited_words_are_kept_and_marked_when_the_numbers_move() -> None:
    """Somebody's own sentence is never lost, nor shown beside other numbers without a word."""

    def words(options: ReportOptions, more: str | None = None) -> Words:
        own = wardens() if more is None else material(estimated("covariance", more), demo_data("river_wardens"))
        return next(b for b in build(own, options).blocks if isinstance(b, Words) and b.key == "paths_in_words")

    computed = words(ReportOptions())
    assert computed.state == "computed"
    edits = ReportOptions(edits={"paths_in_words": Edit(text="In my words.\nTwice.", computed=computed.mark)})
    edited = words(edits)
    assert (edited.state, edited.paragraphs, edited.computed) == (
        "edited",
        ("In my words.", "Twice."),
        computed.paragraphs,
    )
    moved = words(edits, "")
    assert (moved.state, moved.paragraphs) == ("moved", ("In my words.", "Twice."))
    assert moved.computed != computed.paragraphs


@pytest.mark.parametrize("family", ["covariance", "composite"])
@pytest.mark.parametrize("preset", ["usual", "strict", "exploratory"])
def test_every_work_that_is_cited_is_in_the_list(family: str, preset: str) -> None:
    """A citation without its entry is sent back by the journal."""
    parts = [PartChoice(key=one.key) for one in (*TABLES, *WORDS)]
    own = material(estimated(family), demo_data("river_wardens"), sheet(preset))  # type: ignore[arg-type]
    report = build(own, ReportOptions(parts=parts))
    texts = [text for block in report.blocks if isinstance(block, Words) for text in block.paragraphs]
    texts += [str(cell) for one in report.tables for row in one.table.rows for cell in row.cells]
    texts += [note for one in report.tables for note in one.table.notes]
    found = {name for text in texts for name in citations(text)}
    assert len(found) > 10
    assert found <= set(literature())
    assert [one.cited for one in report.references] == [one.cited for one in cited(texts)]


def test_references_are_whole_and_their_keys_are_their_own() -> None:
    """An entry with an empty field is printed with a hole; two of one key are one in BibTeX."""
    works = list(literature().values())
    assert len({one.key for one in works}) == len(works)
    for one in works:
        assert one.cited.endswith(f"({one.year})")
        assert len(one.cited.replace(" & ", ", ").split(", ")) == len(one.authors), one.cited
        for name, author in zip(
            re.sub(r" \(\d{4}\)", "", one.cited).replace(" & ", ", ").split(", "), one.authors, strict=True
        ):
            assert author.startswith(f"{name},"), one.cited
        assert one.text.count("..") == 0
        assert "()" not in one.text
        assert one.bibtex.count("{") == one.bibtex.count("}")
    assert within("Hu & Bentler (1999); .90: Bentler (1990)") == "Hu & Bentler, 1999; .90: Bentler, 1990"
