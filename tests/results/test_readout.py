"""The readout and the figures kept with a revision: verdicts, differences, and what may be compared with what."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dusk_arrow.core.assessment.criteria import BY_KEY, EXTREMES
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.key_figures import LINES, key_figures
from dusk_arrow.results.readout import MOST_FIGURES, ReadoutFigure, available, figure_value, readout, same_data
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text

NAME = "river_wardens"


def estimated(text: str | None = None, **settings: object) -> Results:
    specification = parse(demo_text(NAME) if text is None else text)
    return assemble(analyse(specification, demo_data(NAME), Settings(**settings)))


@pytest.fixture(scope="module")
def whole() -> Results:
    return estimated()


@pytest.fixture(scope="module")
def shorter() -> Results:
    """Without the direct path: the same answers, one degree of freedom more."""
    text = demo_text(NAME)
    assert "Stewardship, Training and Effort lead" in text
    return estimated(text.replace("Stewardship, Training and Effort lead", "Stewardship and Effort lead"))


def by_key(figures: list[ReadoutFigure]) -> dict[str, ReadoutFigure]:
    return {figure.key: figure for figure in figures}


def test_every_figure_is_the_document_s(whole: Results) -> None:
    """The readout is what people copy: it must not round first, nor take its number from elsewhere."""
    assert whole.fit is not None
    assert whole.quality is not None
    figures = by_key(readout(whole, None))
    assert tuple(figures) == FAMILIES["covariance"].readout
    for key in FAMILIES["covariance"].readout[:-1]:
        assert figures[key].value == getattr(whole.fit, key)
    lowest = min((c.ave, c.name) for c in whole.quality.constructs if c.ave is not None)
    assert (figures["lowest_ave"].value, figures["lowest_ave"].detail) == lowest
    assert figures["chi_square"].detail.startswith(f"({whole.fit.df})")
    assert whole.fit.rmsea_interval is not None
    low, high = whole.fit.rmsea_interval
    assert f"{low:.3f}"[1:] in figures["rmsea"].detail
    assert f"{high:.3f}"[1:] in figures["rmsea"].detail


def test_without_a_revision_before_there_is_no_difference(whole: Results) -> None:
    """A first revision that shows “=” claims a comparison nobody made."""
    for figure in readout(whole, None):
        assert (figure.change, figure.change_text, figure.direction) == (None, "", None)


def test_differences_are_taken_before_rounding(whole: Results, shorter: Results) -> None:
    """Two figures rounded first can differ by a digit that is not there."""
    figures = by_key(readout(whole, shorter))
    for key in FAMILIES["covariance"].readout:
        now, before = figure_value(whole, key), figure_value(shorter, key)
        assert now is not None
        assert before is not None
        assert figures[key].change == now - before
        shown = round(
            now - before, 1 if key == "chi_square" else 2 if key in ("chi_square_per_df", "lowest_ave") else 3
        )
        assert figures[key].direction == ("up" if shown > 0 else "down" if shown < 0 else "same")
    assert figures["lowest_ave"].change_text == "="
    assert "other data" not in figures["chi_square"].change_text


def test_a_chi_square_of_other_answers_is_not_compared_in_silence(whole: Results) -> None:
    """χ² of 349 cases and of 412 are no pair; whoever reads a fall as improvement would be misled."""
    other = estimated(missing="full-information")
    assert not same_data(whole, other)
    figures = by_key(readout(other, whole))
    assert figures["chi_square"].change_text.endswith("other data")
    assert all(
        "other data" not in figures[key].change_text for key in FAMILIES["covariance"].readout if key != "chi_square"
    )


@pytest.mark.parametrize(
    ("key", "value", "verdict"),
    [
        ("cfi", 0.95, "meets"),
        ("cfi", 0.9499999, "borderline"),
        ("cfi", 0.8999999, "misses"),
        ("rmsea", 0.06, "meets"),
        ("rmsea", 0.0600001, "borderline"),
        ("rmsea", 0.0800001, "misses"),
        ("srmr", 0.0800001, "borderline"),
        ("lowest_ave", 0.4999999, "misses"),
    ],
)
def test_verdicts_at_the_edge(whole: Results, key: str, value: float, verdict: str) -> None:
    """A figure that prints as its criterion and misses it by a hair is no pass."""
    found = whole.model_copy(deep=True)
    assert found.fit is not None
    assert found.quality is not None
    if key == "lowest_ave":
        for construct in found.quality.constructs:
            construct.ave = value
    else:
        setattr(found.fit, key, value)
    figure = by_key(readout(found, None))[key]
    expected = BY_KEY[key].judge(value)
    assert figure.verdict == expected
    if key != "lowest_ave":
        assert expected == verdict
    if expected in ("borderline", "misses") and BY_KEY[key].good is not None:
        assert ("above" if BY_KEY[key].better == "lower" else "short of") in figure.verdict_words


def test_a_saturated_model_is_said_to_be_one() -> None:
    """CFI 1.000 of a model that cannot fail is no success."""
    found = estimated("tr1 leads to su1")
    figures = by_key(readout(found, None))
    for key in ("cfi", "tli", "rmsea", "srmr", "chi_square"):
        assert figures[key].verdict == "none"
        assert "saturated" in figures[key].verdict_words
    assert figures["lowest_ave"].value is None
    assert figures["lowest_ave"].verdict_words == "does not apply"


def test_what_could_not_be_estimated_has_no_figures() -> None:
    """A model in pieces shows dashes, not the numbers of the one before."""
    broken = estimated("Training shows in tr1, tr2\nTraining leads to nothing_known")
    assert all(figure.value is None and figure.verdict == "none" for figure in readout(broken, None))
    kept = key_figures(broken)
    assert not kept.estimated
    assert kept.values == {}
    assert kept.n_used is None


def test_kept_figures_are_those_of_the_document(whole: Results) -> None:
    """The line on the trail is drawn from these; a wrong one sends people back to the wrong revision."""
    assert whole.fit is not None
    assert whole.data is not None
    kept = key_figures(whole)
    assert kept.estimated
    assert set(kept.values) == {*FAMILIES["covariance"].readout, *LINES}
    for key in LINES:
        if key not in EXTREMES:
            assert kept.values[key] == getattr(whole.fit, key)
    assert (kept.df, kept.p_value, kept.n_used) == (whole.fit.df, whole.fit.p_value, whole.data.n_used)
    assert kept.analysed == whole.data.analysed


def test_one_changed_answer_is_other_data(whole: Results) -> None:
    """The same number of cases and the same columns do not make the same data."""
    again = estimated()
    assert same_data(whole, again)
    assert whole.sample is not None
    data = demo_data(NAME)
    answers = np.column_stack([data.column(name).numbers for name in whole.sample.variables])
    at = int(np.flatnonzero(np.isfinite(answers).all(axis=1))[3])
    columns = []
    for column in data.columns:
        if column.name == "tr1" and column.numbers is not None:
            changed = column.numbers.copy()
            changed[at] = 1 if changed[at] != 1 else 2
            column = replace(column, numbers=changed)
        columns.append(column)
    other = assemble(analyse(parse(demo_text(NAME)), replace(data, columns=tuple(columns)), Settings()))
    assert other.data is not None
    assert whole.data is not None
    assert whole.data.n_used == other.data.n_used
    assert not same_data(whole, other)
    assert not same_data(other, whole)


def test_composites_have_a_readout_of_their_own() -> None:
    """No χ² where there is none: distance, what is explained, and where measurement is weakest, each named."""
    found = estimated(family="composite")
    figures = readout(found, None)
    assert [f.key for f in figures] == [
        "srmr", "r_squared.Efficacy", "r_squared.Stewardship", "r_squared.Persistence", "lowest_ave", "highest_htmt", "highest_vif",
    ]  # fmt: skip
    assert found.quality is not None
    shown = by_key(figures)
    highest = max((h.value or 0, h.a, h.b) for h in found.quality.htmt)
    assert (shown["highest_htmt"].value, shown["highest_htmt"].detail) == (highest[0], f"{highest[1]}, {highest[2]}")
    assert shown["highest_vif"].value == max(v.vif or 0 for v in found.quality.vif_antecedents)
    assert shown["r_squared.Persistence"].value == found.r_squared["Persistence"]
    assert shown["r_squared.Persistence"].label == "R² Persistence"
    assert shown["srmr"].verdict == BY_KEY["srmr"].judge(shown["srmr"].value)
    kept = key_figures(found)
    assert kept.values["chi_square"] is None
    assert kept.values["srmr"] == shown["srmr"].value


def test_readouts_of_two_families_are_not_subtracted(whole: Results) -> None:
    """A change of family is no change of a figure; only what both have is compared."""
    found = by_key(readout(estimated(family="composite"), whole))
    assert found["lowest_ave"].change is not None
    assert found["highest_vif"].change is not None
    assert found["r_squared.Efficacy"].change == pytest.approx(
        (found["r_squared.Efficacy"].value or 0) - (whole.r_squared["Efficacy"] or 0)
    )


def test_figures_of_the_readout_are_chosen(whole: Results) -> None:
    """In the order they were chosen in; unknown ones and those of another family are passed over, none leaves the usual."""
    assert [f.key for f in readout(whole, None, chosen=["rmsea", "gfi", "bic"])] == ["rmsea", "gfi", "bic"]
    assert [f.key for f in readout(whole, None, chosen=["d_uls", "nothing"])] == list(FAMILIES["covariance"].readout)
    assert len(readout(whole, None, chosen=available("covariance"))) >= MOST_FIGURES
    both = by_key(readout(whole, None, chosen=["r_squared", "srmr"]))
    assert set(both) == {"r_squared.Efficacy", "r_squared.Stewardship", "r_squared.Persistence", "srmr"}
    composites = estimated(family="composite")
    assert [f.key for f in readout(composites, None, chosen=["d_g", "chi_square"])] == ["d_g"]


def test_every_figure_that_can_be_chosen_is_in_the_registry() -> None:
    """A figure without a definition, or one that a document does not have, must not be offered."""
    for family in FAMILIES:
        keys = available(family)
        found = estimated(family=family)
        assert set(keys) <= set(BY_KEY)
        assert set(FAMILIES[family].readout) <= set(keys)
        for figure in readout(found, None, chosen=keys):
            assert figure.value is not None, figure.key
