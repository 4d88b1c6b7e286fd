"""Reading files: what people really have, and what is said when it is no use."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange.csv_files import read_csv
from dusk_arrow.exchange.labels import with_labels
from dusk_arrow.exchange.parquet import column_notes, from_parquet, to_parquet
from dusk_arrow.exchange.reading import read_any
from dusk_arrow.exchange.reading_options import ReadingOptions
from tests.conftest import DEMO, demo_data

MATRIX = ReadingOptions(kind="matrix")


def code_of(content: bytes, options: ReadingOptions | None = None) -> str:
    with pytest.raises(ProblemError) as caught:
        read_csv(content, "file", options)
    assert all(p.message.endswith(".") for p in caught.value.problems)
    return caught.value.problems[0].code


@pytest.mark.parametrize(
    "text",
    ["a,b,c\n1,2.5,x\n3,NA,y\n", "a;b;c\n1;2,5;x\n3;;y\n", "a\tb\tc\n1\t2.5\tx\n3\t.\ty\n", "a b c\n1 2.5 x\n3 NA y\n", '"a","b","c"\r\n"1","2.5","x"\r\n"3","","y"\r\n'],
)  # fmt: skip
def test_common_shapes_read_alike(text: str) -> None:
    """Commas, semicolons with decimal commas, tabs, blanks, quotes: the same table."""
    data = read_csv(text.encode(), "t").data
    assert data.names == ("a", "b", "c")
    np.testing.assert_array_equal(data.column("b").numbers, [2.5, np.nan])
    assert list(data.column("c").texts) == ["x", "y"]  # type: ignore[arg-type]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings(encoding: str) -> None:
    """Names in any European language arrive as they were written."""
    data = read_csv("größe,naïve\n1,2\n3,4\n".encode(encoding), "t").data
    assert data.names == ("größe", "naïve")


def test_options_are_obeyed() -> None:
    """What the user states wins over what would be guessed."""
    options = ReadingOptions(delimiter=",", decimal=".", header=False, missing_codes=("-9",))
    data = read_csv(b"1,-9\n2,5\n", "t", options).data
    assert data.names == ("v1", "v2")
    assert np.isnan(data.column("v2").numbers[0])  # type: ignore[index]


@pytest.mark.parametrize(
    ("content", "code"),
    [
        (b"", "file_empty"),
        (b"\n\n  \n", "file_empty"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" * 20, "not_a_table"),
        (b"a\n1\n2\n", "one_column"),
        (b"a,b,a\n1,2,3\n", "duplicate_names"),
        (b"a,,c\n1,2,3\n", "column_without_name"),
        (b"1,2,3\n4,5,6\n", "no_header"),
        (b"a,b\n", "no_cases"),
        (b"a,b\n1,2\n1,2,3,4\n", "ragged"),
        (b"a b\n1 2\n1 2 3\n", "ragged"),
    ],
)
def test_useless_files_are_refused_in_words(content: bytes, code: str) -> None:
    """No stack trace, no guess: what is wrong, where, and what to do."""
    assert code_of(content) == code


def test_wrong_encoding_named_by_the_user() -> None:
    """A wrong choice is an error in words, not mangled names."""
    assert code_of("ü,b\n1,2\n".encode("cp1252"), ReadingOptions(encoding="utf-8")) == "wrong_encoding"
    assert code_of(b"a,b\n1,2\n", ReadingOptions(encoding="klingon")) == "unknown_encoding"


def test_text_among_numbers_is_pointed_at() -> None:
    """One stray word must not silently turn a column into missing values."""
    reading = read_csv(b"a,b\n1,1\n2,2\nthree,3\n4,4\n", "t")
    assert not reading.data.column("a").numeric
    problem = reading.problems[0]
    assert problem.code == "text_in_number_column"
    assert "“three” (case 3)" in problem.message


@given(st.binary(max_size=400))
def test_no_file_breaks_the_reader(content: bytes) -> None:
    """Whatever the bytes, the answer is a data set or a problem."""
    try:
        found = read_csv(content, "fuzz").data
    except ProblemError:
        return
    assert found.n > 0
    assert len(found.names) == len(set(found.names)) > 1


def test_parquet_and_labels_keep_everything() -> None:
    """The records must give back exactly what was imported."""
    data = with_labels(demo_data("river_wardens"), (DEMO / "river_wardens.labels.csv").read_text())
    again = from_parquet(to_parquet(data), data.name, column_notes(data))
    assert again.fingerprint() == data.fingerprint()
    assert again.column("su4").label == "I am left alone with my questions"
    assert again.column("tr1").value_labels["7"] == "agree entirely"
    assert again.column("case").level == "identifier"
    assert list(again.column("catchment").texts) == list(data.column("catchment").texts)  # type: ignore[arg-type]


def test_the_fingerprint_knows_the_data() -> None:
    """Runs are told apart by it: another value or name is other data, another label is not."""
    one = read_csv(b"a,b\n1,2\n3,4\n", "one").data
    assert one.fingerprint() == read_csv(b"a;b\n1;2\n3;4\n", "two").data.fingerprint()
    assert one.fingerprint() != read_csv(b"a,b\n1,2\n3,5\n", "one").data.fingerprint()
    assert one.fingerprint() != read_csv(b"a,c\n1,2\n3,4\n", "one").data.fingerprint()


@pytest.mark.parametrize(
    "text",
    [
        ",x,y\nx,2,0.5\ny,0.5,1\n",
        "x,y\n2,\n0.5,1\n",
        "x;y\n2;0.5\n0.5;1\nn;50\n",
        ",x,y\nx,1,\ny,0.3535533905932738,1\nsd,1.4142135623730951,1\nmean,3,4\n",
    ],
)
def test_matrices_in_their_usual_shapes(text: str) -> None:
    """Full or lower triangle, with or without names in front, correlations with SDs."""
    moments, problems = read_any(text.encode(), "m.csv", MATRIX, 50)
    np.testing.assert_allclose(moments.covariance, [[2, 0.5], [0.5, 1]])
    assert (moments.names, moments.n, problems) == (("x", "y"), 50, ())


def test_correlations_are_analysed_with_a_warning() -> None:
    """Errors of a correlation structure are approximate, and that is said."""
    _, problems = read_any(b"x,y\n1,\n0.5,1\nn,80\n", "m.csv", MATRIX, None)
    assert problems[0].code == "correlations_analysed"


@pytest.mark.parametrize(
    ("text", "n", "code"),
    [
        ("x,y\n1,\n0.5,1\n", None, "n_missing"),
        ("x,y\n1,0.4\n0.5,1\n", 50, "not_symmetric"),
        ("x,y\n1,\nabc,1\n", 50, "text_in_matrix"),
        ("x,y\n1,\n", 50, "not_a_matrix"),
        ("x,x\n1,\n0.5,1\n", 50, "duplicate_names"),
        ("x,y\n,1\n0.5,1\n", 50, "not_a_matrix"),
    ],
)
def test_useless_matrices_are_refused_in_words(text: str, n: int | None, code: str) -> None:
    """A matrix typed from a paper has typing errors; they must be found before the estimates are."""
    with pytest.raises(ProblemError) as caught:
        read_any(text.encode(), "m.csv", MATRIX, n)
    assert caught.value.problems[0].code == code


def test_the_demo_has_its_planted_flaws() -> None:
    """The tour and the screens rely on them."""
    data: DataSet = demo_data("river_wardens")
    assert data.n == 412
    items = [n for n in data.names if n.rstrip("0123456789") in ("tr", "su", "ef", "st", "pe", "eo", "mo")]
    values = data.matrix(tuple(items))
    assert 0.01 < np.isnan(values).mean() < 0.03
    assert (np.nanmax(values, axis=1) == np.nanmin(values, axis=1)).sum() >= 7
    skipped = np.isnan(data.matrix(("pe1", "pe2", "pe3", "pe4"))).all(axis=1)
    assert skipped.sum() >= 9
    correlation = np.ma.corrcoef(np.ma.masked_invalid(data.matrix(("su1", "su4"))), rowvar=False)
    assert correlation[0, 1] < -0.2
    assert demo_data("night_ferry").n == 240
