"""Numbers read as something else than was written are the worst that an import can do."""

from __future__ import annotations

import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange.csv_files import read_csv
from dusk_arrow.exchange.previews import preview
from dusk_arrow.exchange.reading import read_any, read_file
from dusk_arrow.exchange.reading_options import ReadAgain, ReadingOptions

AS_FOUND = ReadingOptions()


def column(text: str, name: str, **options: object) -> list[float] | list[str]:
    found = read_csv(text.encode(), "t", ReadingOptions(**options)).data.column(name)  # type: ignore[arg-type]
    values = found.numbers if found.numbers is not None else found.texts
    return list(values)  # type: ignore[arg-type]


def codes(text: str, **options: object) -> dict[str, str]:
    return {p.code: p.message for p in read_csv(text.encode(), "t", ReadingOptions(**options)).problems}  # type: ignore[arg-type]


def test_a_point_is_a_decimal_mark_beside_decimal_commas() -> None:
    """Once 3.5 became 35 without a word, because another column of the file wrote 1,5."""
    text = "a;b\n1,5;3.5\n2,25;4.75\n"
    assert column(text, "a") == [1.5, 2.25]
    assert column(text, "b") == [3.5, 4.75]
    assert "b writes decimals with a point" in codes(text)["marks_differ"]


def test_points_group_only_threes() -> None:
    """1.234,50 is a number of this world, 1.23,5 is not and is pointed at."""
    assert column("a;b\n1.234,5;0,5\n12.000.000,25;0,7\n7;1,1\n", "a") == [1234.5, 12000000.25, 7]
    text = "a;b\n1.23,5;0,5\n" + "2,5;0,7\n" * 9
    assert not read_csv(text.encode(), "t").data.column("a").numeric
    assert "“1.23,5” (case 1)" in codes(text)["text_in_number_column"]


def test_what_could_be_either_is_said_and_can_be_turned() -> None:
    """1.234 in a file with decimal commas: a thousand, or one and a bit? The reader decides, seeing both."""
    text = "a;b\n1.234;0,5\n2.500;0,75\n"
    assert column(text, "a") == [1234, 2500]
    reading = read_csv(text.encode(), "t")
    doubt = next(p for p in reading.problems if p.code == "marks_in_doubt")
    assert "read as 1234, and could be 1.234" in doubt.message
    again = doubt.repairs[0].change
    assert isinstance(again, ReadAgain)
    assert column(text, "a", turned_marks=tuple(again.options["turned_marks"])) == [1.234, 2.5]
    assert column(text, "b", turned_marks=("a",)) == [0.5, 0.75]
    assert column('a,b\n"1,234",1\n"2,500",2\n', "a") == [1234, 2500]
    assert "marks_in_doubt" in codes('a,b\n"1,234",1\n"2,500",2\n')
    assert column("a;b\n1,234;1\n2,500;2\n", "a") == [1.234, 2.5]
    assert "marks_in_doubt" in codes("a;b\n1,234;1\n2,500;2\n")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("a,b\n1.234,x\n0.5,y\n", [1.234, 0.5]),
        ("a;b\n0,512;x\n1,234;y\n", [0.512, 1.234]),
        ('a,b\n"3,5",1\n"4,25",2\n', [3.5, 4.25]),
        ('a,b\n"1,234.50",1\n"2.25",2\n', [1234.5, 2.25]),
        ("a\tb\n-1,5e3\tx\n+,5\ty\n", [-1500, 0.5]),
        ("a|b\n1e-3|x\n2|y\n", [0.001, 2]),
    ],
)
def test_ordinary_numbers_need_no_words(text: str, expected: list[float]) -> None:
    """Every usual way of writing, in every usual kind of file."""
    assert column(text, "a") == expected
    assert "marks_in_doubt" not in codes(text)


def test_commas_late_in_a_file_count_as_well() -> None:
    """Decimals that begin after the first hundreds of rows must not turn the column into text."""
    text = "a;b\n" + "3;1.234\n" * 500 + "3,5;1.234\n"
    assert column(text, "a")[-1] == 3.5
    assert "marks_in_doubt" in codes(text)


@given(
    st.lists(st.tuples(st.decimals(-9999, 9999, places=2), st.decimals(-99, 99, places=4)), min_size=1, max_size=20),
    st.booleans(),
)
def test_every_column_comes_back_as_it_was_written(rows: list[tuple[object, object]], other_comma: bool) -> None:
    """Whatever the mark of each column, the numbers are those that were written."""

    def written(number: object, comma: bool) -> str:
        return str(number).replace(".", ",") if comma else str(number)

    body = "".join(f"{written(a, True)};{written(b, other_comma)}\n" for a, b in rows)
    data = read_csv(("a;b\n" + body).encode(), "t").data
    np.testing.assert_allclose(data.column("a").numbers, [float(a) for a, _ in rows])  # type: ignore[arg-type]
    np.testing.assert_allclose(data.column("b").numbers, [float(b) for _, b in rows])  # type: ignore[arg-type]


def test_numbers_of_a_workbook_keep_their_points() -> None:
    """A typed 1.234 is no thousand because a neighbour was typed as the text 2,5."""
    book = Workbook()
    for row in (["a", "b"], [1.234, "2,5"], [12.345, "3,75"], ["1,5", "4,25"]):
        book.active.append(row)
    buffer = io.BytesIO()
    book.save(buffer)
    data = read_file(buffer.getvalue(), "x.xlsx").data
    assert list(data.column("b").numbers) == [2.5, 3.75, 4.25]  # type: ignore[arg-type]
    assert not data.column("a").numeric


def test_numbers_beyond_reckoning_are_text() -> None:
    """A damaged file's 1e308 squared is infinite, and everything after it nonsense."""
    text = "a,b\n1e308,1\n2,2\n3,3\n4,4\n"
    assert not read_csv(text.encode(), "t").data.column("a").numeric
    assert "“1e308”" in codes(text)["text_in_number_column"] or "1e+308" in codes(text)["text_in_number_column"]


SQUARE = "a,b,c\n2,0.5,0.4\n0.5,1.5,0.3\n0.4,0.3,1\n"


@pytest.mark.parametrize(
    "text",
    [
        SQUARE,
        ",a,b,c\na,2,0.5,0.4\nb,0.5,1.5,0.3\nc,0.4,0.3,1\n",
        "variable,a,b,c\na,2,,\nb,0.5,1.5,\nc,0.4,0.3,1\n",
        "a,b,c\n2\n0.5,1.5\n0.4,0.3,1\n",
        "a,b,c\n2,0.5,0.4\n1.5,0.3\n1\n",
        "a,b,c\n2,0.5,0.4\n,1.5,0.3\n,,1\n",
        "a;b;c\n2\n0,5;1,5\n0,4;0,3;1\n",
        "a;b;c\n2;0,5;0,4\n0,5;1,5;0,3\n0,4;0,3;1\n",
        "a b c\n2\n0.5 1.5\n0.4 0.3 1\n",
        "a\tb\tc\n2\t0.5\t0.4\n0.5\t1.5\t0.3\n0.4\t0.3\t1\n",
    ],
)
def test_a_matrix_is_one_in_every_shape(text: str) -> None:
    """A square symmetric file was once six cases with nothing to put right."""
    data, problems = read_any(text.encode(), "m.csv", AS_FOUND, 200)
    assert isinstance(data, Moments)
    np.testing.assert_allclose(data.covariance, [[2, 0.5, 0.4], [0.5, 1.5, 0.3], [0.4, 0.3, 1]])
    assert (data.names, data.n) == (("a", "b", "c"), 200)
    assert problems[0].code == "read_as_matrix"
    assert problems[0].repairs[0].change == ReadAgain({"kind": "cases"})


def test_a_matrix_follows_the_reading_options() -> None:
    """Rows above, the rows n, sd and mean, a workbook, and the other reading when it is wanted."""
    above = "From a paper\n\na;b\n1;0,5\n0,5;1\nn;120\nsd;2;3\nmean;4,5;5\n"
    data, _ = read_any(above.encode(), "m.csv", ReadingOptions(skip=1))
    assert isinstance(data, Moments)
    np.testing.assert_allclose(data.covariance, [[4, 3], [3, 9]])
    assert data.n == 120
    np.testing.assert_allclose(data.means, [4.5, 5])  # type: ignore[arg-type]
    cases, _ = read_any(SQUARE.encode(), "m.csv", ReadingOptions(kind="cases"))
    assert isinstance(cases, DataSet)
    book = Workbook()
    for line in SQUARE.splitlines():
        book.active.append([float(c) if c[0].isdigit() else c for c in line.split(",")])
    buffer = io.BytesIO()
    book.save(buffer)
    sheet, _ = read_any(buffer.getvalue(), "m.xlsx", AS_FOUND, 90)
    assert isinstance(sheet, Moments)
    assert sheet.n == 90


@pytest.mark.parametrize(
    "text",
    [
        "a,b,c\n1,2,3\n2,1,3\n3,3,1\n",
        "a,b,c\n5,4,4\n4,5,3\n4,2,5\n",
        "case,x,y\n1,2,3\n2,4,5\n3,5,9\n",
        "x,y\n1,2\n2,3\n3,4\n",
    ],
)
def test_cases_are_not_taken_for_a_matrix(text: str) -> None:
    """Answers that happen to be symmetric would be correlations beyond 1."""
    data, _ = read_any(text.encode(), "m.csv", AS_FOUND)
    assert isinstance(data, DataSet)


@pytest.mark.parametrize(
    ("text", "code"),
    [
        (",a,b\na,1,1.2\nb,1.2,1\n", "impossible_correlation"),
        (",a,b\na,0,0\nb,0,1\n", "impossible_variance"),
        (",a,b\na,1,0.2\nb,0.3,1\n", "not_symmetric"),
        (",a,b\na,1,0.2\nb,0.2,1\nsd,1\n", "not_a_matrix"),
        (",a,b\na,1,0.2\nb,0.2,1\nn,1.5\n", "n_missing"),
    ],
)
def test_typing_errors_in_a_matrix_are_found_in_the_preview(text: str, code: str) -> None:
    """A matrix typed from a paper: an impossible number is said before anything is estimated from it."""
    found = preview(text.encode(), "m.csv", AS_FOUND, None if code == "n_missing" else 50)
    assert found.kind == "matrix"
    assert found.data is None
    assert found.problems[0].code == code
    assert "--" not in " ".join(p.message for p in found.problems)


def test_a_matrix_that_no_data_could_give_is_said_in_the_preview() -> None:
    """Correlations that are each possible, but not together."""
    found = preview(b"a,b,c\n1,.9,.9\n.9,1,-.9\n.9,-.9,1\nn,80\n", "m.csv", AS_FOUND)
    assert isinstance(found.data, Moments)
    assert "not positive definite" in next(p.message for p in found.problems if p.code == "not_positive_definite")
    with pytest.raises(ProblemError, match="How many cases"):
        read_any(b"a,b,c\n1,.9,.8\n.9,1,.9\n.8,.9,1\n", "m.csv", AS_FOUND)
