"""The tables of a report: their numbers are those of the results document, and nothing that a reviewer asks for is missing."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dusk_arrow.core.assessment.comparing import Comparison, Difference
from dusk_arrow.core.assessment.criteria import sheet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.paper import diagram
from dusk_arrow.report.assembly import build
from dusk_arrow.report.cells import Number, Range, Row, Style, Table, spread
from dusk_arrow.report.material import Beside, Material, material
from dusk_arrow.report.options import PartChoice, ReportOptions
from dusk_arrow.report.tables.history import models
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text
from tests.report.conftest import estimated, wardens


def table(material: Material, key: str) -> Table:
    found = next(one for one in TABLES if one.key == key).make(material)
    assert found is not None
    return found


def column(found: Table, words: str) -> int:
    return [one.words for one in found.columns].index(words)


def row(found: Table, name: str) -> Row:
    return next(one for one in found.rows if str(one.cells[0]).strip() == name)


def value(found: Table, name: str, words: str) -> float | None:
    cell = row(found, name).cells[column(found, words)]
    assert isinstance(cell, Number)
    return cell.value


@pytest.mark.parametrize("family", ["covariance", "composite"])
def test_measures_are_those_of_the_document(family: str) -> None:
    """A loading or a reliability that is not the analysis's own is a false claim in print."""
    found, results = table(wardens(family), "measures"), estimated(family)
    assert results.quality is not None
    for construct in results.quality.constructs:
        if construct.mode == "reflective":
            assert value(found, construct.name, "Alpha") == construct.alpha
            assert value(found, construct.name, "AVE") == construct.ave
            assert value(found, construct.name, "Composite reliability") == construct.composite_reliability
            assert (family == "composite") == ("rho_A" in [one.words for one in found.columns])
    intervals = column(found, "95 % interval")
    for line in results.quality.loadings:
        formative = line.construct_ == "Effort"
        assert value(found, line.indicator, "Loading") == (line.weight if formative else line.loading)
        bounds = row(found, line.indicator).cells[intervals]
        assert isinstance(bounds, Range)
        assert bounds.bounds is not None
        assert bounds.bounds[0] < (line.weight if formative else line.loading or 0) < bounds.bounds[1]  # type: ignore[operator]


def test_paths_carry_their_hypotheses_and_what_decides() -> None:
    """The decision rests on the headline interval, whatever stands beside it."""
    results, found = estimated(), table(wardens(), "paths")
    for parameter in (p for p in results.parameters if p.kind == "path"):
        name = f"{parameter.from_} → {parameter.to}"
        line = next(one for one in found.rows if one.cells[1] == name)
        assert line.cells[column(found, "β")] == Number(parameter.standardized)
        assert parameter.bootstrap is not None
        low, high = parameter.bootstrap.headline
        decided = line.cells[column(found, "Decision")]
        if not line.cells[0]:
            assert decided == ("contains zero" if low <= 0 <= high else "excludes zero")
    by_label = {line.cells[0]: line for line in found.rows}
    for hypothesis in results.hypotheses:
        line = by_label[hypothesis.label]
        assert line.cells[1] == " → ".join(hypothesis.route)
        assert line.cells[column(found, "Decision")] == hypothesis.answer
        assert line.cells[column(found, "β")] == Number(hypothesis.standardized)
    assert {h.answer for h in results.hypotheses} == {"supported", "not supported"}


def test_fit_is_judged_by_the_cut_offs_in_force() -> None:
    """Whose cut-offs they are decides the verdict, so the table says both."""
    results = estimated()
    assert results.fit is not None
    for preset in ("usual", "strict", "exploratory"):
        criteria = sheet(preset)  # type: ignore[arg-type]
        found = table(material(results, demo_data("river_wardens"), criteria), "fit")
        for key in ("cfi", "tli", "rmsea", "srmr", "gfi", "nfi"):
            line = row(found, criteria.by_key[key].label)
            assert (line.cells[1].value, line.cells[1].decimals) == (getattr(results.fit, key), 3)  # type: ignore[union-attr]
            assert line.cells[4] == criteria.judge(key, getattr(results.fit, key))
            assert line.cells[5] == criteria.by_key[key].cut_off_source
        assert criteria.words in found.notes[0]


def test_fit_of_composites_stands_beside_what_chance_would_do() -> None:
    """Distances have no cut-off; what stays below them where the model holds is all there is to judge by, once it was drawn."""
    drawn = estimated("composite")
    assert drawn.fit is not None
    assert drawn.fit.reference is not None
    found = table(material(drawn, demo_data("river_wardens"), sheet("usual")), "fit")
    for label, key in (("SRMR", "srmr"), ("d_ULS", "d_uls"), ("d_G", "d_g")):
        cells = row(found, label).cells
        assert [cells[1].value, cells[2].value] == [getattr(drawn.fit, key), getattr(drawn.fit.reference, key).q95]  # type: ignore[union-attr]
        assert cells[3] == ("below it" if cells[1].value <= cells[2].value else "beyond it")  # type: ignore[union-attr, operator]
    bare = drawn.model_copy(update={"fit": drawn.fit.model_copy(update={"reference": None})})
    plain = table(material(bare, demo_data("river_wardens"), sheet("usual")), "fit")
    assert len(plain.columns) == len(found.columns) - 2 == len(plain.rows[0].cells)


def test_effects_hold_every_route_and_say_what_their_interval_says() -> None:
    """One route more or less is another claim about what mediates."""
    results, found = estimated(), table(wardens(), "effects")
    indirect = [e for e in results.effects if e.kind == "specific indirect"]
    lines = [str(one.cells[0]).strip() for one in found.rows]
    assert sum(line.startswith("through ") for line in lines) == len(indirect)
    assert sum(one.heading for one in found.rows) == len({(e.from_, e.to) for e in indirect})
    numbers = {one.cells[1].value for one in found.rows if isinstance(one.cells[1], Number)}
    assert {e.standardized for e in indirect} <= numbers


def test_what_was_set_aside_keeps_its_reason_and_is_counted() -> None:
    """A removal without its reason cannot be defended; one that is not counted is hidden."""
    found = table(wardens(), "set_aside")
    assert found.rows[0].cells == ("ef5", "item of Efficacy", estimated().data.labels["ef5"], "it says two things")  # type: ignore[union-attr]
    assert len(found.rows) == 1, "not once as an item and once more as a change"
    assert found.notes[0].startswith("1 change on the way")
    assert (
        next(one for one in TABLES if one.key == "set_aside").make(material(estimated("covariance", ""), None)) is None
    )


def test_everything_that_the_job_lists_is_in_the_report() -> None:
    """What a practitioner has to look for elsewhere was forgotten here."""
    report = build(wardens(), ReportOptions(parts=[PartChoice(key=one.key) for one in TABLES]))
    heads = {column.words for one in report.tables for column in one.table.columns}
    cells = {str(row.cells[0]).strip() for one in report.tables for row in one.table.rows}
    assert {
        "n",
        "Mean",
        "SD",
        "Min",
        "Max",
        "Skewness",
        "Kurtosis",
        "Loading",
        "Alpha",
        "Composite reliability",
        "AVE",
    } <= heads
    assert {
        "β",
        "b",
        "SE",
        "p",
        "f²",
        "R²",
        "VIF",
        "Decision",
        "Verdict",
        "Source of the cut-off",
        "95 % interval",
    } <= heads
    wanted = {"χ² (df = 235)", "χ²/df", "CFI", "TLI", "RMSEA", "SRMR", "GFI", "AGFI", "NFI"}
    assert {one for one in wanted if not one.startswith("χ² (")} <= cells
    assert any(one.startswith("χ² (df = ") for one in cells)
    assert {"Cases per free parameter", "Multivariate normality", "Outliers (Mahalanobis distance)"} <= cells
    titles = [one.table.title for one in report.tables]
    assert [one.number for one in report.tables] == list(range(1, len(titles) + 1))
    assert any("HTMT" in title for title in titles)
    assert any("√AVE" in title for title in titles)


def test_numbers_are_written_in_either_tradition() -> None:
    """A journal that wants 0.43 gets it everywhere, and a p is never 0."""
    short, long = Style(2, False), Style(3, True)
    assert (short.number(0.4349), long.number(0.4349), short.number(-0.26), long.number(-0.26)) == (
        ".43",
        "0.435",
        "−.26",
        "−0.260",
    )
    assert (short.number(0.0001, "p"), long.number(0.0001, "p"), long.p(0.021), short.p(0.0004)) == (
        "< .001", "< 0.001", "p = 0.021", "p < .001",
    )  # fmt: skip
    assert (short.number(1234.0, "count"), short.number(None), short.range((-0.1, 0.2)), short.number(2.0, "plain")) == (
        "1,234", "–", "[−.10, .20]", "2.00",
    )  # fmt: skip


def test_a_spreadsheet_gets_numbers_and_intervals_in_two_columns() -> None:
    """A cell that holds “[.38, .58]” cannot be computed with."""
    found = table(wardens(), "measures")
    heads, rows = spread(found)
    at = heads.index("95 % interval, from")
    assert heads[at + 1] == "to"
    assert all(len(line) == len(heads) for line in rows)
    for line, own in zip(rows, found.rows, strict=True):
        if not own.heading:
            assert isinstance(line[at], float)
            assert isinstance(line[at + 1], float)
            assert line[at] < line[at - 1] < line[at + 1]  # type: ignore[operator]


def test_parts_are_left_out_renamed_and_ordered() -> None:
    """What was chosen is what is printed, and numbers follow the order."""
    chosen = ReportOptions(
        parts=[
            PartChoice(key="fit", title="How well it fits"),
            PartChoice(key="measures", shown=False),
            PartChoice(key="descriptives"),
        ]
    )
    report = build(wardens(), chosen)
    titles = [one.table.title for one in report.tables]
    assert titles.index("How well it fits") < titles.index("Variables")
    assert "Measures" not in titles
    assert [one.key for one in report.offered if one.key in ("fit", "measures", "descriptives")] == [
        "fit",
        "measures",
        "descriptives",
    ]


def test_the_interval_that_was_chosen_is_the_one_that_is_printed() -> None:
    """Bias-corrected bounds under the name of percentile ones, or the other way round, are another claim."""
    settings = Settings(bootstrap=128, seed=3, interval="bias-corrected")
    results = assemble(analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), settings))
    own = material(results, demo_data("river_wardens"))
    found = table(own, "paths")
    at = column(found, "95 % interval")
    printed = {line.cells[0]: line.cells[at] for line in found.rows}
    differ = 0
    for p in results.parameters:
        if p.kind == "path" and p.standardized_bootstrap is not None:
            assert printed[f"{p.from_} → {p.to}"] == Range(p.standardized_bootstrap.bias_corrected)
            differ += p.standardized_bootstrap.bias_corrected != p.standardized_bootstrap.percentile
    assert differ > 3
    assert any("bias-corrected" in note for note in found.notes)
    drawn = {words.text for words in diagram(results).words()}
    assert all(Style().range(bounds.bounds) in drawn for bounds in printed.values() if isinstance(bounds, Range))


def test_models_are_tested_with_the_scaled_difference_where_there_is_one() -> None:
    """With robust errors the plain difference of χ² is none; its table says which it prints, and why there is none elsewhere."""
    own = estimated()
    scaled = Comparison(True, "nested", Difference(9.0, 1, 0.0027, 4.0, 0.0457))
    none = Comparison(False, "not nested: the one cannot reproduce what the other implies", None)
    whole = replace(
        wardens(),
        beside=[Beside("Z", own), Beside("A", own, None, True), Beside("B", own, scaled), Beside("C", own, none)],
    )
    found = models(whole)
    assert found is not None
    at = column(found, "Δχ²")
    style = Style()
    assert [[style.printed(cell) for cell in row.cells[at : at + 3]] for row in found.rows] == [
        ["", "", ""], ["", "", ""], ["4.00", "1", ".046"], ["", "", ""],
    ]  # fmt: skip
    assert any("Δχ² is against A;" in note for note in found.notes)  # not Z, whose family knows no test
    assert any("Δχ² is scaled" in note for note in found.notes)
    assert "C: not nested: the one cannot reproduce what the other implies." in found.notes
    assert models(replace(whole, beside=[Beside("A", own)])) is None
