"""Recorded steps and conditions: what they do to a column, what they refuse, and what they never touch."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.observations.conditions import fulfilled
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.observations.steps import (
    Center,
    Combine,
    DescribeColumn,
    DropColumns,
    DummyCode,
    FillWithMean,
    HoldOut,
    HoldOutHalf,
    KeepCases,
    RenameColumn,
    Reverse,
    Step,
    TreatAsMissing,
    WeightCases,
    current_names,
    held_out,
    other_half,
    words,
)
from dusk_arrow.core.observations.taking_steps import apply_step, apply_steps
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange.recorded_steps import read_steps, write_steps

NAN = np.nan


def small() -> DataSet:
    return DataSet(
        "small",
        (
            Column("q1", "ordered", np.array([1.0, 2, 7, NAN, 99]), None, "first", {"1": "no", "7": "yes"}),
            Column("q2", "ordered", np.array([4.0, NAN, 2, 5, 1])),
            Column("years", "number", np.array([0.5, 2, 3, 4, NAN])),
            Column("where", "category", None, np.array(["upland", "low land", None, "upland", "Ufer"], dtype=object)),
        ),
    )


def numbers(data: DataSet, name: str) -> list[float]:
    found = data.column(name).numbers
    assert found is not None
    return [float(v) for v in found]


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("years >= 2", [0, 1, 1, 1, 0]),
        ("years >= 2 and where = upland", [0, 0, 0, 1, 0]),
        ('years < 1 or where = "low land"', [1, 1, 0, 0, 0]),
        ("not (years >= 2)", [1, 0, 0, 0, 1]),
        ("where is missing", [0, 0, 1, 0, 0]),
        ("q2 is not missing and q2 != 4", [0, 0, 1, 1, 1]),
        ("q1 = yes", [0, 0, 1, 0, 0]),
        ("q1 in (1, 2)", [1, 1, 0, 0, 0]),
        ("where != upland", [0, 1, 0, 0, 1]),
        ("years ≤ 2", [1, 1, 0, 0, 0]),
        ("q2 = 1 or q2 = 2 and years = 3", [0, 0, 1, 0, 1]),
    ],
)
def test_conditions_mean_what_they_say(condition: str, expected: list[int]) -> None:
    """Missing answers fulfil no comparison; labels may stand for their values; “and” binds before “or”."""
    assert fulfilled(small(), condition).astype(int).tolist() == expected


@pytest.mark.parametrize(
    ("condition", "said"),
    [
        ("year >= 2", "Did you mean years?"),
        ("years", "comparison is needed"),
        ("years >= many", "neither a number"),
        ("where > upland", "only be compared with ="),
        ("(years > 1", "closing parenthesis"),
        ("years > 1 years", "not expected"),
        ("years >", "ends where"),
    ],
)
def test_conditions_that_cannot_be_read_say_why(condition: str, said: str) -> None:
    """Nobody should lose cases to a typing error."""
    with pytest.raises(ProblemError, match=said):
        fulfilled(small(), condition)


def test_each_step_does_what_its_words_say() -> None:
    """The figures that follow rest on these few lines of arithmetic."""
    data = small()
    missing = apply_step(data, TreatAsMissing(("q1",), ("99",)))
    assert np.isnan(numbers(missing, "q1")[4])
    turned = apply_step(missing, Reverse(("q1",), 1, 7))
    assert numbers(turned, "q1")[:3] == [7, 6, 1]
    assert turned.column("q1").value_labels == {"7": "no", "1": "yes"}
    assert numbers(apply_step(turned, Reverse(("q1",), 1, 7)), "q1")[:3] == [1, 2, 7]
    filled = apply_step(data, FillWithMean(("q2",)))
    assert numbers(filled, "q2") == [4, 3, 2, 5, 1]
    both = apply_step(missing, Combine("score", ("q1", "q2"), "mean", 1))
    np.testing.assert_allclose(numbers(both, "score"), [2.5, 2, 4.5, 5, 1])
    strict = apply_step(missing, Combine("score", ("q1", "q2"), "sum"))
    np.testing.assert_allclose(numbers(strict, "score"), [5, NAN, 9, NAN, NAN])
    centred = apply_step(data, Center("c", "years"))
    assert np.nanmean(numbers(centred, "c")) == pytest.approx(0)
    standard = apply_step(data, Center("z", "years", True))
    assert np.nanstd(numbers(standard, "z"), ddof=1) == pytest.approx(1)
    dummy = apply_step(data, DummyCode("up", "where", "upland"))
    np.testing.assert_array_equal(numbers(dummy, "up"), [1, 0, NAN, 1, 0])
    kept = apply_step(data, KeepCases("years >= 2"))
    assert kept.case_numbers == (2, 3, 4)
    out = apply_step(kept, HoldOut((3, 5), "far"))
    assert out.case_numbers == (2, 4)
    assert apply_step(data, RenameColumn("q1", "first")).names[0] == "first"
    assert apply_step(data, DropColumns(("q1", "where"))).names == ("q2", "years")
    described = apply_step(data, DescribeColumn("q2", "How often", "number"))
    assert (described.column("q2").label, described.column("q2").level) == ("How often", "number")
    weighted = apply_step(filled, WeightCases("q2"))
    assert weighted.weight == "q2"
    assert weighted.fingerprint() != filled.fingerprint()
    text = DataSet("t", (Column("x", "category", None, np.array(["1", "n/a", "3"], dtype=object)),))
    freed = apply_step(text, TreatAsMissing(("x",), ("n/a",)))
    np.testing.assert_array_equal(numbers(freed, "x"), [1, NAN, 3])


@pytest.mark.parametrize(
    ("step", "said"),
    [
        (Reverse(("q1",), 1, 7), "outside 1 to 7"),
        (Reverse(("q1",), 7, 1), "must be above"),
        (Reverse(("where",), 1, 7), "text, not numbers"),
        (RenameColumn("q1", "q2"), "already"),
        (RenameColumn("yers", "x"), "Did you mean years"),
        (KeepCases("years > 100"), "No case would be left"),
        (WeightCases("years"), "no weights"),
        (DummyCode("d", "where", "nowhere"), "No case"),
        (Combine("s", ("q1",)), "At least two"),
        (DropColumns(("q1", "q2", "years", "where")), "No column"),
        (DescribeColumn("where", None, "number"), "text"),
    ],
)
def test_steps_that_cannot_be_taken_say_why(step: Step, said: str) -> None:
    """A step is refused with its reason, and in a list it is passed over while the others are taken."""
    with pytest.raises(ProblemError, match=said):
        apply_step(small(), step)
    data, faults = apply_steps(small(), [step, RenameColumn("q2", "kept")])
    assert "kept" in data.names
    assert said in faults[0].message
    assert words(step) in faults[0].message


def test_steps_switched_off_do_nothing_and_order_matters() -> None:
    """Recoding before or after the codes are missing is not the same thing."""
    reverse, missing = Reverse(("q1",), 1, 7), TreatAsMissing(("q1",), ("99",))
    data, faults = apply_steps(small(), [missing, replace(reverse, on=False)])
    assert numbers(data, "q1")[:3] == [1, 2, 7]
    assert faults == []
    _, faults = apply_steps(small(), [reverse, missing])
    assert faults[0].code == "outside_scale"
    assert held_out([HoldOut((2, 3), "far"), HoldOut((4,), None, False)]) == {2: "far", 3: "far"}
    assert current_names([RenameColumn("a", "b"), RenameColumn("b", "c"), RenameColumn("x", "y", False)]) == {"a": "c"}


STEPS = st.lists(
    st.one_of(
        st.builds(RenameColumn, st.sampled_from(["q1", "q2"]), st.sampled_from(["n1", "n2"]), st.booleans()),
        st.builds(HoldOut, st.lists(st.integers(1, 5), min_size=1, max_size=3).map(tuple), st.none() | st.text(max_size=5)),
        st.builds(KeepCases, st.sampled_from(["years >= 2", "q2 is not missing", "nonsense ="])),
        st.builds(Center, st.sampled_from(["c1", "c2"]), st.sampled_from(["q1", "q2", "years"]), st.booleans()),
        st.builds(DropColumns, st.lists(st.sampled_from(["q1", "q2", "years"]), min_size=1, max_size=2).map(tuple)),
        st.builds(TreatAsMissing, st.just(("q1",)), st.just(("99", "x")), st.booleans()),
    ),
    max_size=6,
)  # fmt: skip


@given(STEPS)
def test_any_list_of_steps_is_applied_or_explained_and_survives_its_file(steps: list[Step]) -> None:
    """No list of steps breaks the data set, changes the import, or reads back as another list."""
    data = small()
    before = data.fingerprint()
    after, faults = apply_steps(data, steps)
    assert data.fingerprint() == before
    assert after.n == len(after.case_numbers) <= 5
    assert all(fault.message for fault in faults)
    assert read_steps(write_steps(steps).encode()) == steps
    assert apply_steps(data, steps)[0].fingerprint() == after.fingerprint()


@pytest.mark.parametrize("content", [b"", b"[1]", b'{"steps": [{"type": "nothing"}]}', b"{}", b"\xff\xfe"])
def test_files_without_steps_are_refused(content: bytes) -> None:
    """A wrong file on the command line is a sentence, not a trace."""
    with pytest.raises(ProblemError):
        read_steps(content)


@given(n=st.integers(2, 60), gaps=st.sets(st.integers(0, 59)), seed=st.integers(0, 5))
def test_two_halves_share_no_case_and_lose_no_complete_one(n: int, gaps: set[int], seed: int) -> None:
    """A case in both halves would confirm itself; one in neither would be lost without a word."""
    values = np.arange(1.0, n + 1)
    holes = values.copy()
    holes[[g for g in gaps if g < n]] = NAN
    data = DataSet("made up", (Column("a", "number", holes), Column("b", "number", values[::-1].copy())))
    step = HoldOutHalf(("a", "b"), seed)
    complete = {int(v) for v in holes[~np.isnan(holes)]}
    if len(complete) < 2:
        with pytest.raises(ProblemError, match="no halves"):
            apply_step(data, step)
        return
    first, second = (apply_steps(data, steps)[0].case_numbers for steps in ([step], other_half([step])))
    assert set(first) | set(second) == complete
    assert not set(first) & set(second)
    assert len(first) == (len(complete) + 1) // 2
    assert apply_step(data, step).case_numbers == first
    assert list(first) == sorted(first)


def test_another_seed_is_another_half() -> None:
    """The seed is what decides; without one it would be the file's order."""
    data = DataSet("made up", (Column("a", "number", np.arange(100.0)),))
    halves = {apply_step(data, HoldOutHalf(("a",), seed)).case_numbers for seed in range(4)}
    assert len(halves) == 4
    assert words(HoldOutHalf(("a",), 3)) == "half of the cases held out unseen (seed 3)"
    assert words(HoldOutHalf(("a",), 3, opened=True)) == "half of the cases held out and opened (seed 3)"


def test_running_numbers_of_a_file_stay_running_numbers() -> None:
    """With some cases left out they do not follow each other any more; as measurements they would enter correlations and distances."""
    cases = np.arange(1.0, 61.0)
    data = DataSet("made up", (Column("case", "identifier", cases), Column("age", "number", 20 + cases % 17)))
    after, problems = apply_steps(data, [KeepCases("age > 25"), HoldOut((40,))])
    assert not problems
    assert after.n < 60
    assert after.column("case").level == "identifier"
