"""The words of a report say what the numbers carry: compared sentence by sentence."""

from __future__ import annotations

import re
import time

import numpy as np
import pytest

from dusk_arrow.core.assessment.criteria import sheet
from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import interval_text
from dusk_arrow.report.assembly import Words, build
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import material
from dusk_arrow.report.options import Edit, NamedFigure, PartChoice, ReportOptions
from dusk_arrow.report.references import citations, cited, literature, within
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.report.typesetting import NO_BREAK, kept_together, runs
from dusk_arrow.report.words import measures, methods, structure
from dusk_arrow.report.words.registry import WORDS
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text
from tests.report.conftest import estimated, wardens
from tests.report.test_tables import table as table_of


def test_chosen_pairs_are_told_and_the_others_left_to_the_table() -> None:
    """Whoever sends a mediation to the report wants to read about it; the rest stands in the table, which the text names."""
    own = wardens()
    unasked, *rest = structure.mediation(own)
    assert "The indirect effect of Training on Persistence" in unasked, "a hypothesis is about it"
    assert rest == ["The indirect effects of 4 other pairs are given in the table of effects."]
    sent = NamedFigure(key="pair", kind="mediation", source="Support", outcome="Stewardship")
    report = build(own, ReportOptions(figures=[NamedFigure(), sent]))
    words = next(b for b in report.blocks if isinstance(b, Words) and b.key == "mediation")
    assert ["Training" in words.paragraphs[0], "Support on Stewardship" in words.paragraphs[1]] == [True, True]
    table = next(b for b in report.tables if b.table.key == "effects")
    assert words.paragraphs[-1] == f"The indirect effects of 3 other pairs are given in Table\u00a0{table.number}."


def test_text_refers_to_what_it_is_about_by_number() -> None:
    """Numbers follow when a table is left out or moved."""
    own = wardens()

    def said(options: ReportOptions) -> str:
        return next(
            b for b in build(own, options).blocks if isinstance(b, Words) and b.key == "measures_and_fit"
        ).paragraphs[-1]

    def at(options: ReportOptions) -> int:
        return next(b.number for b in build(own, options).tables if b.table.key == "fit")

    plain, shorter = ReportOptions(), ReportOptions(parts=[PartChoice(key="descriptives", shown=False)])
    assert at(shorter) == at(plain) - 1
    assert f"(Table\u00a0{at(plain)})" in said(plain)
    assert f"(Table\u00a0{at(shorter)})" in said(shorter)
    assert "Table" not in said(ReportOptions(parts=[PartChoice(key="fit", shown=False)]))


@pytest.mark.parametrize("n", [True, False])
def test_n_stands_in_chi_square_where_it_is_wanted(n: bool) -> None:
    """Some journals ask for it."""
    report = build(wardens(), ReportOptions(n_in_chi_square=n))
    texts = [text for block in report.blocks if isinstance(block, Words) for text in block.paragraphs]
    assert any("χ²(213, N\u00a0=\u00a0350)\u00a0=\u00a0253.57" in text for text in texts) == n


def test_no_line_ends_inside_a_statistic_and_symbols_are_slanted() -> None:
    """A p at the end of a line and its value on the next one is a misprint."""
    text = kept_together(
        "β = −.25, 95 % interval [−.40, −.10], p < .001 (Table 3); SE = 0.1, χ²(24, N = 90) = 3.2, n is small"
    )
    assert text.count(NO_BREAK) == 12
    assert " = " not in text
    assert [piece for piece, symbol in runs(text) if symbol] == ["p", "SE", "N"]
    assert [piece for piece, symbol in runs("f²") if symbol] == ["f"]
    assert not [piece for piece, symbol in runs("step = 3, Ben = 4, x.p = 5") if symbol]


@pytest.mark.parametrize(
    ("value", "key", "printed"),
    [
        (0.4996, "ave", ".4996"),
        (0.5, "ave", ".50"),
        (0.8504, "htmt", ".8504"),
        (0.0804, "rmsea", ".0804"),
        (0.079, "rmsea", ".08"),
    ],
)
def test_a_figure_is_printed_so_that_its_verdict_shows(value: float, key: str, printed: str) -> None:
    """AVE .50 that misses .50 cannot be understood."""
    assert Style().judged(value, sheet("usual").by_key[key]) == printed


@pytest.mark.parametrize(
    ("bounds", "printed"),
    [
        ((0.004, 0.23), "[.004, .230]"),
        ((-0.0004, 0.23), "[−.0004, .2300]"),
        ((0.0, 0.23), "[.00, .23]"),
        ((-0.1, 0.23), "[−.10, .23]"),
    ],
)
def test_a_bound_tells_its_side_of_zero(bounds: tuple[float, float], printed: str) -> None:
    """[.00, .23] cannot be judged."""
    assert Style().range(bounds) == interval_text(bounds) == printed


@pytest.mark.parametrize(
    ("p", "resamples", "printed"),
    [
        (2 / 501, 500, "p ≤ .004 (500 resamples)"),
        (4 / 501, 500, "p = .008"),
        (2 / 5001, 5000, "p < .001"),
        (0.0004, None, "p < .001"),
        (0.03, None, "p = .030"),
    ],
)
def test_no_p_is_smaller_than_its_resamples_can_tell(p: float, resamples: int | None, printed: str) -> None:
    """Of 500 resamples none tells .001 from .004."""
    assert Style().p(p, resamples) == printed


def test_no_text_takes_long_to_be_looked_through_for_citations() -> None:
    """One word of 12,000 letters held everything for a minute."""
    begun = time.process_time()
    for text in ("A" * 12_000, "Ab " * 6_000, "Ab, " * 6_000, "Ab & " * 6_000, "Ab, Cd & " * 4_000 + "1999"):
        citations(text)
    assert time.process_time() - begun < 2


def test_fit_is_told_with_what_it_met_and_missed() -> None:
    """A cut-off that was missed must not be passed over."""
    results = estimated()
    assert results.fit is not None
    strict = material(results, demo_data("river_wardens"), sheet("strict"))
    (said,) = measures.fit(strict)
    assert f"χ²({results.fit.df}, N = 350) = {results.fit.chi_square:.2f}" in said
    bad = results.model_copy(update={"fit": results.fit.model_copy(update={"cfi": 0.7})})
    assert "CFI (≥ .95, tolerated ≥ .90) missed its cut-off and" in measures.fit(material(bad, None))[0], (
        "what is missed first"
    )


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
    said = measures.measures(own)
    at = next(i for i, one in enumerate(said) if "inadmissible" in one)
    assert "a1" in said[at]
    assert all("CFI" not in one for one in said[:at])
    assert any("inadmissible" in str(row.cells[1]) for row in table_of(own, "assumptions").rows)
    assert not any("inadmissible" in one for one in measures.measures(wardens()))


def test_the_sample_is_told_as_it_was_treated() -> None:
    """What happened to missing answers is the first thing a reviewer asks."""
    (said,) = methods.sample(wardens())
    data = estimated().data
    assert data is not None
    assert f"rests on {data.n_used:,} of the {data.n_total:,} cases" in said
    assert f"{data.n_total - data.n_used} cases lacked an answer" in said
    full = Settings(missing="full-information")
    results = assemble(analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), full))
    (other,) = methods.sample(material(results, demo_data("river_wardens")))
    assert "full-information" in other
    assert "left out" not in other
    (how,) = methods.method(wardens())
    assert "256 bootstrap resamples of the cases (seed 7)" in how


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
    texts += [cell for one in report.tables for row in one.table.rows for cell in row.cells if isinstance(cell, str)]
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
            re.sub(r" \(\d{4}[a-z]?\)", "", one.cited).replace(" & ", ", ").split(", "), one.authors, strict=True
        ):
            assert author.startswith(f"{name},"), one.cited
        assert one.text.count("..") == 0
        assert "()" not in one.text
        assert one.bibtex.count("{") == one.bibtex.count("}")
    assert within("Hu & Bentler (1999); .90: Bentler (1990)") == "Hu & Bentler, 1999; .90: Bentler, 1990"
