"""`./dusk fit` as it is used: files in, tables, JSON and figure out, exit codes."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from dusk_arrow.command_line.fit import fit
from tests.conftest import DEMO, ROOT


def run(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    code = fit(list(arguments))
    captured = capsys.readouterr()
    return code, captured.out, captured.err


def test_tables(capsys: pytest.CaptureFixture[str]) -> None:
    """Without --json a person reads it."""
    code, out, err = run(capsys, str(DEMO / "river_wardens.txt"), "--data", str(DEMO / "river_wardens.csv"))
    assert code == 0
    for piece in (
        "χ² = ",
        "CFI",
        "Efficacy → Stewardship",
        "composite reliability",
        "VIF of antecedents",
        "through Efficacy",
    ):
        assert piece in out
    assert "su4 runs against" in err


def test_json_figure_and_bootstrap(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """The same document as everywhere, on standard output, and the figure in a file."""
    figure = tmp_path / "out.svg"
    model, data = str(DEMO / "night_ferry.txt"), str(DEMO / "night_ferry.csv")
    code, out, _ = run(
        capsys, model, "--data", data, "--bootstrap", "200", "--seed", "9", "--json", "-", "--figure", str(figure)
    )
    document = json.loads(out)
    assert code == 0
    assert document["bootstrap_summary"]["used"] == 200
    assert document["settings"]["seed"] == 9
    assert document["tracked"][0]["name"] == "through_safety"
    assert figure.read_text().startswith("<svg")


def test_moments(capsys: pytest.CaptureFixture[str]) -> None:
    """A matrix with n is enough to estimate."""
    matrix = str(DEMO / "river_wardens_covariance.csv")
    code, out, _ = run(capsys, str(DEMO / "river_wardens.txt"), "--moments", matrix, "--json", "-")
    assert code == 0
    assert json.loads(out)["fit"]["df"] == 236
    code, _, err = run(capsys, str(DEMO / "river_wardens.txt"), "--moments", matrix, "--n", "1")
    assert code == 2
    assert "not enough" in err


@pytest.mark.parametrize(
    ("model", "data", "code", "words"),
    [
        ("A shows in tr1", "missing.csv", 2, "cannot be read"),
        ("A walks", None, 2, "Line 1, column 3"),
        ("A shows in tr1, tr9", None, 2, "Did you mean tr"),
        ("A shows in tr1, tr2", None, 3, "asks for"),
        ("A shows in tr1, tr2\nB shows in ef1, ef2\nA and B do not covary", None, 3, "not identified"),
    ],
)
def test_exit_codes_and_problems(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, model: str, data: str | None, code: int, words: str
) -> None:
    """2 before estimation, 3 by it; problems one a line on standard error; the document in every case."""
    (tmp_path / "model.txt").write_text(model)
    where = str(tmp_path / data) if data else str(DEMO / "river_wardens.csv")
    out = tmp_path / "out.json"
    found, _, err = run(capsys, str(tmp_path / "model.txt"), "--data", where, "--json", str(out))
    assert found == code
    assert words in err
    document = json.loads(out.read_text())
    assert document["converged"] is False
    assert document["fit"] is None
    assert [p for p in document["problems"] if p["severity"] == "error"]


def test_bad_options(capsys: pytest.CaptureFixture[str]) -> None:
    """An option that cannot be is refused in words."""
    data = str(DEMO / "river_wardens.csv")
    for extra in (["--level", "1.5"], ["--bootstrap", "-3"], ["--figure", "out.bmp"]):
        code, _, err = run(capsys, str(DEMO / "night_ferry.txt"), "--data", data, *extra)
        assert code == 2
        assert err.startswith("error: ")
    code, _, err = run(capsys, str(DEMO / "night_ferry.txt"))
    assert code == 2
    assert "--data FILE or --moments" in err


def test_it_runs_as_a_program_of_its_own() -> None:
    """Without server and database, from any folder."""
    command = [
        sys.executable,
        "-m",
        "dusk_arrow.command_line",
        "fit",
        str(DEMO / "night_ferry.txt"),
        "--data",
        str(DEMO / "night_ferry.csv"),
    ]
    done = subprocess.run(
        command, cwd="/", env={"PYTHONPATH": str(ROOT / "src")}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert "through_safety" in done.stdout


@pytest.mark.parametrize("errors", ["observed", "sandwich", "satorra-bentler"])
def test_choice_of_errors(capsys: pytest.CaptureFixture[str], errors: str) -> None:
    """The same estimates with other errors; robust ones bring the scaled test, and need raw data."""
    model, data = str(DEMO / "river_wardens.txt"), str(DEMO / "river_wardens.csv")
    _, plain, _ = run(capsys, model, "--data", data, "--json", "-")
    code, out, _ = run(capsys, model, "--data", data, "--errors", errors, "--json", "-")
    assert code == 0
    first, second = json.loads(plain), json.loads(out)
    for a, b in zip(first["parameters"], second["parameters"], strict=True):
        assert b["estimate"] == a["estimate"]
        assert b["se"] is None or b["se"] == pytest.approx(a["se"], rel=0.6)
    assert [p["se"] for p in first["parameters"]] != [p["se"] for p in second["parameters"]]
    scaled = second["fit"]["scaled"]
    assert (scaled is None) == (errors == "observed")
    if scaled is not None:
        assert scaled["chi_square"] * scaled["scaling_factor"] == pytest.approx(first["fit"]["chi_square"])
        matrix = str(DEMO / "river_wardens_covariance.csv")
        code, _, err = run(capsys, model, "--moments", matrix, "--errors", errors)
        assert code == 2
        assert "needs the raw data" in err
