"""Whose cut-offs: presets of the literature, one's own in their place, and every verdict by the same sheet."""

from __future__ import annotations

import re

import pytest

from dusk_arrow.core.assessment.criteria import BY_KEY, SHEET, USUAL, Preset, sheet, wrong_bounds
from dusk_arrow.core.assessment.criteria.presets import OWN, PRESETS, SAME_AS
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.readout import readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.results.verdicts import judged_by
from dusk_arrow.results.what_ifs import estimator_of, item_what_ifs
from tests.results.golden_cases import cases

ORDER: tuple[Preset, ...] = ("strict", "usual", "exploratory")


def test_the_usual_sheet_is_the_registry() -> None:
    """Whoever chooses nothing gets what the registry says."""
    assert USUAL.by_key == BY_KEY
    assert USUAL.words == "the usual cut-offs"


@pytest.mark.parametrize(
    ("preset", "key", "values", "verdicts"),
    [
        ("strict", "cfi", (0.97, 0.969, 0.949), ("meets", "borderline", "misses")),
        ("strict", "rmsea", (0.05, 0.051, 0.081), ("meets", "borderline", "misses")),
        ("strict", "srmr", (0.05, 0.1, 0.101), ("meets", "borderline", "misses")),
        ("strict", "alpha", (0.8, 0.7, 0.69), ("meets", "borderline", "misses")),
        ("strict", "htmt", (0.85, 0.851, 0.95), ("meets", "misses", "misses")),
        ("exploratory", "rmsea", (0.08, 0.1, 0.101), ("meets", "borderline", "misses")),
        ("exploratory", "loading", (0.5, 0.4, 0.39), ("meets", "borderline", "misses")),
        ("exploratory", "htmt", (0.9, 1.0, 1.01), ("meets", "borderline", "misses")),
        ("exploratory", "vif_antecedents", (4.99, 5.0, 10.0), ("meets", "borderline", "misses")),
        ("exploratory", "cfi", (0.95, 0.9, 0.89), ("meets", "borderline", "misses")),
    ],
)
def test_bounds_of_the_presets(preset: Preset, key: str, values: tuple[float, ...], verdicts: tuple[str, ...]) -> None:
    """As the literature has them, at their very edges; what a preset does not mention stays as usual."""
    found = sheet(preset)
    assert tuple(found.judge(key, value) for value in values) == verdicts


def test_a_stricter_preset_never_passes_what_a_looser_one_fails() -> None:
    """Otherwise the names would lie."""
    rank = {"misses": 0, "borderline": 1, "meets": 2}
    sheets = [sheet(preset) for preset in ORDER]
    for criterion in SHEET:
        if criterion.good is None:
            continue
        for step in range(0, 1201):
            value = step / 100
            verdicts = [rank[one.judge(criterion.key, value)] for one in sheets]
            assert verdicts == sorted(verdicts), (criterion.key, value)


def test_every_bound_of_a_preset_has_its_source() -> None:
    """A source that cannot be named is called a convention; bounds are on the right side of each other."""
    for bounds in PRESETS.values():
        for key, (good, tolerable, source) in bounds.items():
            assert re.search(r"\(\d{4}\)|convention", source), key
            assert wrong_bounds(BY_KEY[key], good, tolerable) is None, key
    assert set(SAME_AS) <= set(BY_KEY)


def test_figures_of_extremes_follow_their_figure() -> None:
    """The lowest AVE is an AVE, the highest HTMT an HTMT, in every form."""
    own = sheet("strict", {"ave": (0.6, 0.4)})
    assert (own.by_key["lowest_ave"].good, own.by_key["lowest_ave"].tolerable) == (0.6, 0.4)
    for key in ("highest_htmt", "htmt2", "htmt_signed"):
        assert (own.by_key[key].good, own.by_key[key].tolerable) == (0.85, None)
    assert own.by_key["highest_vif"].good == 3.0


def test_one_s_own_goes_before_the_preset_and_is_called_so() -> None:
    """A cut-off without a source must not borrow one."""
    own = sheet("strict", {"cfi": (0.93, None)})
    assert own.judge("cfi", 0.93) == "meets"
    assert own.judge("cfi", 0.92) == "misses"
    assert own.by_key["cfi"].cut_off_source == OWN
    assert own.by_key["tli"].cut_off_source != OWN
    assert own.words == "strict cut-offs, 1 of them your own"


def test_bounds_that_make_no_sense_are_told() -> None:
    """Tolerable beyond good, and cut-offs of figures that have no verdict."""
    assert "cannot lie above" in (wrong_bounds(BY_KEY["cfi"], 0.9, 0.95) or "")
    assert "cannot lie below" in (wrong_bounds(BY_KEY["rmsea"], 0.08, 0.06) or "")
    assert "no verdict" in (wrong_bounds(BY_KEY["chi_square"], 3, 5) or "")
    assert wrong_bounds(BY_KEY["cfi"], 0.9, None) is None


@pytest.mark.parametrize("preset", ORDER)
def test_readout_and_what_ifs_follow_the_sheet(preset: Preset) -> None:
    """One figure has one verdict wherever it stands."""
    text = parse("A shows in a1..a3\nB shows in b1..b3\nA leads to B")
    estimate = estimator_of(cases(), Settings())
    now, in_force = estimate(text), sheet(preset)
    for figure in readout(now, None, in_force):
        assert figure.verdict == in_force.judge(figure.criterion, figure.value)
    for row in item_what_ifs(text, now, estimate, in_force):
        for change in row.figures:
            assert change.verdict_now == in_force.judge(change.key, change.now)
            assert change.verdict_then == in_force.judge(change.key, change.then)


def test_an_ave_below_a_half_is_tolerable_only_beside_a_reliable_composite() -> None:
    """Fornell and Larcker accept .40 where the composite reliability is above .60, and nowhere else."""
    exploratory = sheet("exploratory")
    for key in ("ave", "lowest_ave"):
        assert exploratory.judge(key, 0.45, 0.61) == "borderline"
        assert exploratory.judge(key, 0.45, 0.60) == "misses"
        assert exploratory.judge(key, 0.45) == "misses"
        assert exploratory.judge(key, 0.39, 0.9) == "misses"
    assert USUAL.judge("ave", 0.45, 0.9) == "misses"
    assert sheet("exploratory", {"ave": (0.5, 0.4)}).judge("ave", 0.45) == "borderline"


def test_what_is_called_weak_follows_the_cut_offs() -> None:
    """A warning by one sheet beside a verdict by another would contradict itself on one screen."""
    data = cases()
    estimate = estimator_of(data, Settings())
    text = "A shows in a1..a3, z\nB shows in b1..b3\nA leads to B"
    results = estimate(parse(text))
    assert results.quality is not None
    loadings = {(line.construct_, line.indicator): line.loading or 0 for line in results.quality.loadings}
    for preset, bound in (("usual", 0.5), ("strict", 0.5), ("exploratory", 0.4)):
        said = {p.about[0] for p in judged_by(results, sheet(preset)) if p.code == "weak_loading"}
        assert said == {name for (_, name), value in loadings.items() if value < bound}, preset
    strict = judged_by(results, sheet("usual", {"loading": (0.9, 0.8)}))
    weak = [p for p in strict if p.code == "weak_loading"]
    assert {p.about[0] for p in weak} == {name for (_, name), value in loadings.items() if value < 0.8}
    assert all("below .80" in p.message for p in weak)
    kept = estimate(parse(text + '\nkeep z in A because "the claim"'))
    assert [p.repairs for p in judged_by(kept) if p.about[:1] == ["z"]] == [[]]
