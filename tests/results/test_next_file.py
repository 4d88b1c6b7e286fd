"""Two files of a questionnaire: what is gone, new, of another kind, or has moved."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.results.next_file import ColumnDifference, compare_files


def answers(**columns: list[object]) -> DataSet:
    made = []
    for name, values in columns.items():
        if all(isinstance(v, (int, float)) for v in values):
            made.append(Column(name, "number", np.array(values, dtype=float)))
        else:
            made.append(Column(name, "text", texts=np.array(values, dtype=object)))
    return DataSet("answers", tuple(made))


def moved(before: DataSet, after: DataSet) -> dict[str, ColumnDifference]:
    return {difference.name: difference for difference in compare_files(before, after).columns}


def test_columns_come_and_go() -> None:
    """A renamed column would otherwise vanish from a model without a word."""
    report = compare_files(answers(a=[1, 2, 3], b=[1, 2, 2]), answers(b=[2, 2, 1, 3], c=[1, 1, 1, 2]))
    assert report.columns_gone == ["a"]
    assert report.columns_new == ["c"]
    assert (report.cases_before, report.cases_after) == (3, 4)
    assert [c.name for c in report.columns] == ["b"]


def test_a_shift_is_in_standard_deviations_of_the_first_next_file() -> None:
    """“Half an SD higher” has to mean the file people know."""
    before, after = [1.0, 2.0, 3.0, 4.0, 5.0], [11.0, 12.0, 13.0, 14.0, 45.0]
    found = moved(answers(a=before), answers(a=after))["a"]
    assert found.mean_before == pytest.approx(3)
    assert found.mean_after == pytest.approx(19)
    assert found.shift == pytest.approx((19 - 3) / np.std(before, ddof=1))


def test_missing_answers_are_counted_apart() -> None:
    """A file with many gaps shows it, and its mean is that of the answers."""
    found = moved(answers(a=[1, 2, 3, 4]), answers(a=[1, np.nan, np.nan, 5]))["a"]
    assert (found.n_before, found.n_after, found.missing_before, found.missing_after) == (4, 2, 0, 2)
    assert found.mean_after == pytest.approx(3)


def test_answers_never_given_before_are_named() -> None:
    """A 9 in a scale of 1 to 7 is most likely a code for missing."""
    found = moved(answers(a=[1, 2, 7, 3]), answers(a=[9, 2, 7, 3]))["a"]
    assert found.new_values == ["9"]
    texts = moved(answers(g=["yes", "no", "no"]), answers(g=["yes", "perhaps", "no"]))["g"]
    assert texts.new_values == ["perhaps"]
    assert texts.mean_before is None


def test_many_different_values_are_not_listed() -> None:
    """Of ages or incomes every second value is new; nobody wants that list."""
    rng = np.random.default_rng(1)
    before, after = rng.normal(size=60).tolist(), rng.normal(size=60).tolist()
    assert moved(answers(a=before), answers(a=after))["a"].new_values == []


def test_a_column_that_became_text_is_named_and_not_compared() -> None:
    """Numbers that arrive as text are the commonest accident of a second export."""
    report = compare_files(answers(a=[1, 2, 3]), answers(a=["1", "two", "3"]))
    assert report.kind_changed == ["a"]
    assert report.columns == []


def test_the_largest_movement_comes_first() -> None:
    """Of sixty items the one that moved is read first."""
    before = answers(a=[1, 2, 3], b=[1, 2, 3], c=[1, 2, 3])
    after = answers(a=[1, 2, 3], b=[0, 1, 2], c=[3, 4, 5])
    assert [c.name for c in compare_files(before, after).columns] == ["c", "b", "a"]


def test_a_constant_column_has_no_shift() -> None:
    """Nothing is divided by a standard deviation of zero."""
    found = moved(answers(a=[2, 2, 2]), answers(a=[3, 3, 3]))["a"]
    assert found.shift is None


def test_identifiers_are_left_alone() -> None:
    """Case numbers differ between files by nature."""
    numbers = Column("id", "identifier", np.arange(5.0))
    report = compare_files(DataSet("one", (numbers,)), DataSet("two", (numbers,)))
    assert report.columns == []


@given(seed=st.integers(0, 1000))
def test_a_file_does_not_differ_from_itself(seed: int) -> None:
    """In any order of cases and columns."""
    rng = np.random.default_rng(seed)
    columns = {f"c{i}": rng.integers(1, 8, 30).astype(float).tolist() for i in range(4)}
    order = rng.permutation(30)
    shuffled = {name: [columns[name][i] for i in order] for name in rng.permutation(list(columns))}
    report = compare_files(answers(**columns), answers(**shuffled))
    assert report.columns_gone == report.columns_new == report.kind_changed == []
    assert all(abs(c.shift or 0) < 1e-12 and c.new_values == [] for c in report.columns)
