"""Files written by the usual libraries come back as they were: labels, missing codes, non-Latin text; broken ones are refused."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pandas as pd
import pyreadstat
import pytest

from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange.csv_files import ReadingOptions
from dusk_arrow.exchange.reading import read_file

FRAME = pd.DataFrame(
    {
        "q1": [1.0, 2.0, np.nan, 5.0, 3.0],
        "größe": [170.5, 182.0, 165.25, 190.0, 175.0],
        "city": ["Łódź", "東京", "", "Zürich", "Łódź"],
    }
)
LABELS = ["Wie zufrieden sind Sie?", "Body height", "Город"]
VALUES = {"q1": {1: "gar nicht", 5: "sehr"}}


def written(tmp_path: Path, kind: str) -> bytes:
    path = tmp_path / f"study{kind}"
    if kind == ".sav":
        pyreadstat.write_sav(
            FRAME, str(path), column_labels=LABELS, variable_value_labels=VALUES, variable_measure={"q1": "ordinal"}
        )
    elif kind == ".zsav":
        pyreadstat.write_sav(FRAME, str(path), column_labels=LABELS, variable_value_labels=VALUES, compress=True)
    elif kind == ".dta":
        pyreadstat.write_dta(FRAME, str(path), column_labels=LABELS, variable_value_labels=VALUES)
    elif kind == ".parquet":
        FRAME.to_parquet(path)
    else:
        with pd.ExcelWriter(path, engine="xlsxwriter") as writer:
            FRAME.to_excel(writer, sheet_name="Answers", index=False)
            pd.DataFrame({"a": [1, 2], "b": [3, 4]}).to_excel(writer, sheet_name="Codes", index=False)
    return path.read_bytes()


@pytest.mark.parametrize("kind", [".sav", ".zsav", ".dta", ".parquet", ".xlsx"])
def test_values_names_and_gaps_survive(tmp_path: Path, kind: str) -> None:
    """The same table whatever program wrote it."""
    data = read_file(written(tmp_path, kind), f"study{kind}").data
    assert data.names == ("q1", "größe", "city")
    np.testing.assert_array_equal(data.column("q1").numbers, FRAME["q1"])
    np.testing.assert_array_equal(data.column("größe").numbers, FRAME["größe"])
    texts = list(data.column("city").texts)  # type: ignore[arg-type]
    assert texts[:2] == ["Łódź", "東京"]
    assert texts[2] in (None, "")


@pytest.mark.parametrize("kind", [".sav", ".zsav", ".dta"])
def test_labels_survive(tmp_path: Path, kind: str) -> None:
    """The wording of the questions is why people use these files."""
    data = read_file(written(tmp_path, kind), f"study{kind}").data
    assert data.column("q1").label == LABELS[0]
    assert data.column("city").label == LABELS[2]
    assert data.column("q1").value_labels == {"1": "gar nicht", "5": "sehr"}


def test_measurement_levels_are_taken_over(tmp_path: Path) -> None:
    """An ordinal item arrives as ordered answers."""
    assert read_file(written(tmp_path, ".sav"), "study.sav").data.column("q1").level == "ordered"


def test_declared_missing_values_are_missing(tmp_path: Path) -> None:
    """99 = no answer must never enter a mean."""
    frame = pd.DataFrame({"a": [1.0, 99.0, 3.0, 2.0], "b": [1.0, 2.0, 3.0, -8.0]})
    path = tmp_path / "codes.sav"
    pyreadstat.write_sav(frame, str(path), missing_ranges={"a": [99], "b": [{"lo": -9, "hi": -7}]})
    data = read_file(path.read_bytes(), "codes.sav").data
    np.testing.assert_array_equal(np.isnan(data.matrix(("a", "b"))), [[0, 0], [1, 0], [0, 0], [0, 1]])


def test_sheets_are_chosen_by_name(tmp_path: Path) -> None:
    """The first sheet is read and that is said; a wrong name is met with the right ones."""
    content = written(tmp_path, ".xlsx")
    assert read_file(content, "s.xlsx").problems[0].code == "first_sheet_read"
    assert read_file(content, "s.xlsx", ReadingOptions(sheet="Codes")).data.names == ("a", "b")
    with pytest.raises(ProblemError) as caught:
        read_file(content, "s.xlsx", ReadingOptions(sheet="codes"))
    assert "Did you mean Codes" in caught.value.problems[0].message


def test_formulas_come_as_their_last_value() -> None:
    """A computed column that was saved has its numbers; text among them is pointed at."""
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["a", "b"], [1, 2], [3, "=A3*2"], [5, 6]):
        sheet.append(row)
    buffer = io.BytesIO()
    book.save(buffer)
    data = read_file(buffer.getvalue(), "f.xlsx").data
    np.testing.assert_array_equal(data.column("a").numbers, [1, 3, 5])
    assert np.isnan(data.column("b").numbers[1])  # type: ignore[index]


@pytest.mark.parametrize("kind", [".sav", ".zsav", ".dta", ".parquet", ".xlsx"])
@pytest.mark.parametrize("share", [0.15, 0.5, 0.9])
def test_cut_off_files_are_refused(tmp_path: Path, kind: str, share: float) -> None:
    """A download that broke off gives a clear word, never a stack trace or half a table."""
    content = written(tmp_path, kind)
    cut = content[: int(len(content) * share)]
    try:
        found = read_file(cut, f"study{kind}").data
    except ProblemError:
        return
    assert found.names == ("q1", "größe", "city")
    assert 0 < found.n < 5


@pytest.mark.parametrize("kind", [".sav", ".dta", ".sas7bdat", ".parquet", ".xlsx", ".xls"])
def test_wrong_contents_under_a_known_name(kind: str) -> None:
    """A text file renamed is not what its name says."""
    with pytest.raises(ProblemError) as caught:
        read_file(b"a,b\n1,2\n", f"study{kind}")
    assert caught.value.problems[0].code in ("file_broken", "format_unknown")


def test_archives_without_a_worksheet() -> None:
    """A zipped CSV is not a workbook."""
    import zipfile

    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("data.csv", "a,b\n1,2\n")
    with pytest.raises(ProblemError) as caught:
        read_file(buffer.getvalue(), "data.zip")
    assert caught.value.problems[0].code == "format_unknown"
