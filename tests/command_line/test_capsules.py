"""`./dusk fit CAPSULE.zip`: the same numbers, or it is said that they are not."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from dusk_arrow.capsules.capsule import KIND
from dusk_arrow.capsules.packing import pack, unpack
from dusk_arrow.command_line.fit import fit
from tests.conftest import DEMO

MODEL, DATA = str(DEMO / "river_wardens.txt"), ["--data", str(DEMO / "river_wardens.csv")]


@pytest.mark.parametrize(
    "how", [["--bootstrap", "96"], ["--family", "composite", "--bootstrap", "64"], ["--missing", "full-information"]]
)
def test_a_capsule_is_repeated_to_the_last_digit(
    how: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """On one machine nothing may differ, the bootstrap included; files come with it as they do without a capsule."""
    file = str(tmp_path / "it.zip")
    assert (
        fit(
            [
                MODEL,
                *DATA,
                *how,
                "--workers",
                "1",
                "--no-what-ifs",
                "--capsule",
                file,
                "--json",
                str(tmp_path / "first.json"),
            ]
        )
        == 0
    )
    assert (
        fit([file, "--workers", "1", "--json", str(tmp_path / "second.json"), "--report", str(tmp_path / "it.md")]) == 0
    )
    assert "the same to the last digit" in capsys.readouterr().out
    first, second = (json.loads((tmp_path / f"{name}.json").read_text()) for name in ("first", "second"))
    assert first["parameters"] == second["parameters"]
    assert first["fit"] == second["fit"]
    assert "Table 1" in (tmp_path / "it.md").read_text()


def test_steps_of_the_data_are_taken_again(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A recoded item is recoded once, not twice and not never."""
    steps = tmp_path / "steps.json"
    steps.write_text(json.dumps([{"type": "reverse", "columns": ["su4"], "low": 1, "high": 7}]))
    file = str(tmp_path / "it.zip")
    assert (
        fit(
            [
                MODEL,
                *DATA,
                "--steps",
                str(steps),
                "--no-what-ifs",
                "--capsule",
                file,
                "--json",
                str(tmp_path / "first.json"),
            ]
        )
        == 0
    )
    assert fit([file]) == 0
    assert "the same to the last digit" in capsys.readouterr().out


def test_the_original_file_is_in_the_capsule_and_read_again(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Whoever doubts how the data were read has the very file, with the options; another file is found out."""
    survey = tmp_path / "survey.csv"
    text = (DEMO / "river_wardens.csv").read_text().replace(",", ";").replace("NA", "-9")
    survey.write_bytes(("made up\n" + text).encode("utf-16"))
    file = tmp_path / "it.zip"
    how = ["--data", str(survey), "--skip", "1", "--missing-codes", "-9", "--encoding", "utf-16", "--no-what-ifs"]
    assert fit([MODEL, *how, "--capsule", str(file), "--json", str(tmp_path / "first.json")]) == 0
    files = unpack(file.read_bytes(), KIND)
    assert files["data/original/survey.csv"] == survey.read_bytes()
    assert json.loads(files["data/reading.json"])["options"]["skip"] == 1
    assert fit([str(file)]) == 0
    assert "survey.csv, read again, gives the same data" in capsys.readouterr().out
    other = survey.read_bytes().replace("5".encode("utf-16-le"), "6".encode("utf-16-le"), 1)
    file.write_bytes(pack(KIND, files | {"data/original/survey.csv": other}))
    assert fit([str(file)]) == 3
    assert "gives other data" in capsys.readouterr().out


def test_other_numbers_are_not_called_the_same(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A capsule whose document says something else is found out, and where."""
    file = tmp_path / "it.zip"
    assert fit([MODEL, *DATA, "--no-what-ifs", "--capsule", str(file), "--json", str(tmp_path / "first.json")]) == 0
    files = unpack(file.read_bytes(), KIND)
    document = json.loads(files["results.json"])
    document["fit"]["cfi"] += 1e-6
    file.write_bytes(pack(KIND, files | {"results.json": json.dumps(document)}))
    assert fit([str(file)]) == 3
    said = capsys.readouterr().out
    assert "Not repeated" in said
    assert "in fit.cfi" in said


def test_moments_alone_cannot_be_bootstrapped(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """What needs the cases is left out and said, everything else is the same."""
    file = str(tmp_path / "it.zip")
    for family in ([], ["--family", "composite"]):
        how = [*family, "--bootstrap", "64", "--workers", "1", "--no-what-ifs", "--json", str(tmp_path / "first.json")]
        assert fit([MODEL, *DATA, *how, "--capsule", file, "--without-data"]) == 0
        assert fit([file]) == 0
        assert "it needs the cases" in capsys.readouterr().out
    (tmp_path / "none.zip").write_bytes(b"nothing")
    assert fit([str(tmp_path / "none.zip")]) == 2
    assert "This is no capsule" in capsys.readouterr().err
