"""Previews, names from elsewhere, files out and back in, and files that are broken in every way."""

from __future__ import annotations

import contextlib
import io
import time
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook

from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange.matrix_files import looks_like_matrix
from dusk_arrow.exchange.previews import preview, with_names
from dusk_arrow.exchange.reading import read_any, read_file
from dusk_arrow.exchange.reading_options import ReadingOptions
from dusk_arrow.exchange.writing import write_data, write_rows, write_workbook

AS_FOUND = ReadingOptions()


def survey() -> DataSet:
    return DataSet(
        "survey",
        (
            Column("q1", "ordered", np.array([1.0, 2, np.nan, 4]), None, "Ça va?", {"1": "nein", "4": "да"}),
            Column("naïve", "number", np.array([1.5, -2.25, 3.0, np.nan])),
            Column("text", "category", None, np.array(["ä", "=1+1", None, "日本"], dtype=object)),
        ),
    )


@pytest.mark.parametrize("ending", ["csv", "xlsx", "sav"])
def test_what_is_written_reads_back(ending: str) -> None:
    """Labels, gaps and every script survive the way out and in again."""
    data = survey()
    again = read_file(write_data(data, ending), f"survey.{ending}").data
    for name in ("q1", "naïve"):
        np.testing.assert_array_equal(again.column(name).numbers, data.column(name).numbers)
    texts = again.column("text").texts
    assert texts is not None
    assert [t.lstrip("'") if t else None for t in texts] == ["ä", "=1+1", None, "日本"]
    if ending == "sav":
        assert again.column("q1").label == "Ça va?"
        assert again.column("q1").value_labels == {"1": "nein", "4": "да"}
        assert again.column("q1").level == "ordered"


def test_tables_for_spreadsheets_hold_no_formulas() -> None:
    """A cell that begins with an equals sign must not run on a reader's machine."""
    book = load_workbook(
        io.BytesIO(write_workbook({"a/b": [["=cmd()", 1.5, None, float("nan")], ["x", 2, "+1", "-"]]}))
    )
    cells = [[cell.value for cell in row] for row in book.active.iter_rows()]
    assert cells[0][:3] == ["'=cmd()", 1.5, None]
    assert cells[1] == ["x", 2, "'+1", "-"]
    assert write_rows([["", "a"], ["a", None]]) == b",a\r\na,\r\n"


def test_preview_finds_out_how_a_file_is_written() -> None:
    """Semicolons, decimal commas, rows above the names: shown as found, and adjustable."""
    found = preview("a;b\n1,5;2\n2,5;3\n".encode("cp1252"), "x.csv", AS_FOUND)
    assert (found.delimiter, found.decimal, found.rows[0]) == (";", ",", ("a", "b"))
    assert isinstance(found.data, DataSet)
    assert found.data.column("a").numbers is not None
    above = b"Study of rivers\nmade in May\na,b\n1,2\n3,4\n"
    skipped = preview(above, "x.csv", ReadingOptions(skip=2))
    assert isinstance(skipped.data, DataSet)
    assert skipped.data.names == ("a", "b")
    twice = preview(b"a,a,\n1,2,3\n4,5,6\n", "x.csv", AS_FOUND)
    assert twice.data is None
    assert twice.problems[0].repairs[0].words == "Number the names"
    numbered = preview(b"a,a,\n1,2,3\n4,5,6\n", "x.csv", ReadingOptions(number_names=True))
    assert isinstance(numbered.data, DataSet)
    assert numbered.data.names == ("a", "a_2", "v3")
    bare = preview(b"1 2 3\n4 5 6\n7 8 9\n", "x.dat", AS_FOUND)
    assert bare.problems[0].code == "no_header"
    data, _ = read_any(b"1 2 3\n4 5 6\n7 8 9\n", "x.dat", ReadingOptions(header=False))
    assert isinstance(data, DataSet)
    named = with_names(data, "first, One\nsecond = Two\nthird")
    assert named.names == ("first", "second", "third")
    assert named.column("second").label == "Two"
    assert with_names(named, "first\tUno\nthird\tThree").column("third").label == "Three"
    assert with_names(data, "x y z").names == ("x", "y", "z")
    assert with_names(named, "column,label,level,values\nfirst,Eins,ordered,1=a;2=b\n").column(
        "first"
    ).value_labels == {
        "1": "a",
        "2": "b",
    }
    with pytest.raises(ProblemError, match="2 names for 3 columns"):
        with_names(data, "a\nb")


def test_sheets_and_ranges_of_a_workbook() -> None:
    """Tables do not always begin in the first cell of the first sheet."""
    book = Workbook()
    book.active.title = "notes"
    book.active["A1"] = "made in May"
    sheet = book.create_sheet("answers")
    for at, row in enumerate([["", "a", "b", "rubbish"], ["", 1, 2, 9], ["", 3, 4, 9], ["", 5, 6, 9]]):
        for column, value in enumerate(row):
            sheet.cell(at + 3, column + 1, value)
    buffer = io.BytesIO()
    book.save(buffer)
    found = preview(buffer.getvalue(), "x.xlsx", ReadingOptions(sheet="answers", cells="B3:C6"))
    assert found.sheets == ("notes", "answers")
    assert isinstance(found.data, DataSet)
    assert found.data.names == ("a", "b")
    assert found.data.n == 3
    with pytest.raises(ProblemError, match="no range"):
        read_file(buffer.getvalue(), "x.xlsx", ReadingOptions(sheet="answers", cells="all of it"))


def test_a_matrix_is_known_by_its_shape() -> None:
    """Full or lower triangle, names in front or not; n is asked for when it is not in the file."""
    lower = b"a,b,c\n1\n0.5,1\n0.4,0.3,1\n"
    found = preview(lower, "m.csv", AS_FOUND)
    assert found.data is None
    assert found.problems[0].code == "n_missing"
    given_n = preview(lower, "m.csv", AS_FOUND, 200)
    assert isinstance(given_n.data, Moments)
    assert given_n.data.n == 200
    full = b",a,b\na,2,1\nb,1,3\nn,150\nmean,4,5\n"
    data, _ = read_any(full, "m.csv", AS_FOUND)
    assert isinstance(data, Moments)
    assert (data.n, data.means is not None) == (150, True)
    assert not looks_like_matrix([["a", "b"], ["1", "2"], ["3", "4"]])
    assert not looks_like_matrix([["case", "x"], ["1", "2"], ["2", "5"], ["3", "1"]])


def test_large_files_are_read_quickly_enough() -> None:
    """Only the first rows are looked at for a preview; what is not a table is refused at once."""
    rng = np.random.default_rng(1)
    frame = pd.DataFrame(rng.integers(1, 8, (30_000, 40)), columns=[f"q{i}" for i in range(40)])
    content = frame.to_csv(index=False).encode()
    begun = time.perf_counter()
    found = preview(content, "x.csv", AS_FOUND)
    assert isinstance(found.data, DataSet)
    assert found.data.n == 2000
    assert found.lines == 30_001
    assert time.perf_counter() - begun < 20
    wide = ",".join(f"c{i}" for i in range(200_000)).encode()
    with pytest.raises(ProblemError, match="200000 columns"):
        read_file(wide + b"\n" + b",".join([b"1"] * 200_000), "x.csv")


NAMES = st.sampled_from(
    ["x.csv", "x.txt", "x.xlsx", "x.sav", "x.zsav", "x.dta", "x.sas7bdat", "x.parquet", "x.xls", "x"]
)
STARTS = st.sampled_from(
    [b"", b"PK\x03\x04", b"$FL2", b"$FL3", b"PAR1", b"<12345_dta>", b"a,b\n", b"\xff\xfe", b"\x71\x02"]
)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(NAMES, STARTS, st.binary(max_size=300))
def test_broken_files_are_problems_never_traces(name: str, start: bytes, rest: bytes) -> None:
    """Whatever bytes arrive under whatever name: a data set or a problem in words."""
    with contextlib.suppress(ProblemError):
        read_file(start + rest, name)
    found = preview(start + rest, name, AS_FOUND)
    assert found.data is not None or found.problems
    assert all(len(problem.message) > 10 for problem in found.problems)


@pytest.mark.parametrize("ending", ["xlsx", "sav", "parquet"])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.9, 0.99])
def test_files_cut_off_anywhere_are_refused(ending: str, share: float, tmp_path: Path) -> None:
    """A download that broke off must not be imported in part without a word."""
    if ending == "parquet":
        path = tmp_path / "x.parquet"
        pd.DataFrame({"a": range(500), "b": range(500)}).to_parquet(path)
        content = path.read_bytes()
    else:
        rng = np.random.default_rng(2)
        many = DataSet("m", tuple(Column(f"c{i}", "number", rng.standard_normal(400)) for i in range(4)))
        content = write_data(many, ending)
    with pytest.raises(ProblemError):
        read_file(content[: int(len(content) * share)], f"x.{ending}")


def test_the_same_items_are_of_one_kind_whatever_the_format() -> None:
    """Answers from 1 to 7 were numbers from a .sav that says “scale” of everything, and ordered answers from a .csv."""
    rng = np.random.default_rng(1)
    items = tuple(Column(f"q{i}", "number", rng.integers(1, 8, 50).astype(float)) for i in range(3))
    data = DataSet(
        "d", (Column("case", "number", np.arange(1.0, 51)), *items, Column("x", "number", rng.normal(size=50)))
    )
    levels = {
        ending: [c.level for c in read_file(write_data(data, ending), f"d.{ending}").data.columns]
        for ending in ("csv", "xlsx", "sav")
    }
    assert levels["sav"] == levels["csv"] == levels["xlsx"] == ["identifier", "ordered", "ordered", "ordered", "number"]


def test_rows_are_counted_as_they_will_be_read() -> None:
    """A quoted line break in a name made one case too many, and rows that are passed over were taken away twice."""
    rows = "".join(f"{i},{i % 7}\n" for i in range(20))
    found = preview(f'junk\nmore\n"How often\ndo you?","\u202ewhen"\n{rows}'.encode(), "x.csv", ReadingOptions(skip=2))
    assert isinstance(found.data, DataSet)
    assert (found.lines, found.data.n) == (21, 20)
    assert found.rows[0] == ("How often do you?", "when")
    plain = preview(f"junk\nmore\na,b\n{rows}".encode(), "x.csv", ReadingOptions(skip=2))
    assert plain.lines == 21
