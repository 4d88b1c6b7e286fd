"""`./dusk fit` as it is used: files in, tables, JSON and figure out, exit codes."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from dusk_arrow.command_line.fit import fit
from tests.conftest import DEMO, ROOT, demo_text


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
    assert "above 1, not 1. Give it with --n." in err
    code, out, err = run(capsys, str(DEMO / "river_wardens.txt"), "--data", matrix, "--json", "-")
    assert (code, json.loads(out)["fit"]["df"]) == (0, 236)
    assert "read as a covariance or correlation matrix" in err


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


def run_json(tmp_path: Path, *options: str, model: str | None = None) -> tuple[int, dict[str, Any]]:
    text = tmp_path / "model.txt"
    text.write_text(model or demo_text("river_wardens"))
    out = tmp_path / "out.json"
    code = fit([str(text), *options, "--json", str(out)])
    return code, json.loads(out.read_text())


RIVER = str(DEMO / "river_wardens.csv")


@pytest.mark.parametrize("estimator", ["gls", "uls", "adf"])
def test_every_estimator_writes_the_whole_document(tmp_path: Path, estimator: str) -> None:
    """What has no likelihood has no AIC, and everything else is there."""
    code, found = run_json(tmp_path, "--data", RIVER, "--estimator", estimator)
    assert (code, found["estimator"]) == (0, estimator)
    assert found["fit"]["chi_square"] > 0
    assert found["fit"]["gfi"] is not None
    assert found["fit"]["aic"] is None
    assert found["fit"]["log_likelihood"] is None


def test_full_information_means_and_robust_errors(tmp_path: Path) -> None:
    """Missing answers switch nothing off: every case counts, intercepts are listed, the scaled test is there."""
    code, found = run_json(tmp_path, "--data", RIVER, "--missing", "full-information", "--no-what-ifs")
    assert (code, found["data"]["n_used"], found["settings"]["errors"]) == (0, 412, "observed")
    assert {"intercept", "mean"} <= {p["kind"] for p in found["parameters"]}
    assert found["implied"]["means"] is not None
    how = ["--missing", "full-information", "--errors", "sandwich", "--no-what-ifs"]
    code, robust = run_json(tmp_path, "--data", RIVER, *how)
    assert code == 0
    assert robust["fit"]["scaled"]["robust_cfi"] is not None
    assert robust["fit"]["chi_square"] == pytest.approx(found["fit"]["chi_square"])
    code, filled = run_json(tmp_path, "--data", RIVER, "--missing", "mean")
    assert (code, filled["data"]["n_used"]) == (0, 412)
    assert any(p["code"] == "filled_with_means" for p in filled["problems"])


def test_bootstrap_with_bca_and_bollen_stine_in_one_run(tmp_path: Path) -> None:
    """Two procedures that are always needed together run together; the document has both."""
    code, found = run_json(
        tmp_path, "--data", str(DEMO / "night_ferry.csv"), "--bootstrap", "200", "--interval", "bca", "--bollen-stine",
        model="safety and notice lead to rides",
    )  # fmt: skip
    assert code == 0
    boot = next(p["bootstrap"] for p in found["parameters"] if p["kind"] == "path")
    assert boot["bca"] is not None
    assert boot["bca"] != boot["percentile"]
    code, found = run_json(tmp_path, "--data", RIVER, "--bootstrap", "128", "--bollen-stine")
    test = found["fit"]["bollen_stine"]
    assert test["used"] == len(test["distribution"]) == 128
    assert test["p_value"] == pytest.approx((test["exceeded"] + 1) / 129)


def test_recorded_steps_and_stored_settings(tmp_path: Path) -> None:
    """What the browser exported gives the same analysis here; an option on the line goes before the file."""
    steps = tmp_path / "steps.json"
    steps.write_text(json.dumps({"steps": [{"type": "reverse", "columns": ["su4"], "low": 1, "high": 7}]}))
    code, plain_ = run_json(tmp_path, "--data", RIVER)
    (tmp_path / "stored.json").write_text(json.dumps(plain_))
    code, found = run_json(
        tmp_path, "--data", RIVER, "--steps", str(steps), "--settings", str(tmp_path / "stored.json")
    )
    loadings = {p["to"]: p["standardized"] for p in found["parameters"] if p["kind"] == "loading"}
    assert code == 0
    assert loadings["su4"] > 0.5
    assert found["fit"]["chi_square"] == pytest.approx(plain_["fit"]["chi_square"])
    steps.write_text(json.dumps([{"type": "reverse", "columns": ["no_such"], "low": 1, "high": 7}]))
    code, found = run_json(tmp_path, "--data", RIVER, "--steps", str(steps))
    assert code == 2
    assert "no_such" in found["problems"][0]["message"]


def test_scores_of_the_sample_and_of_new_cases(tmp_path: Path) -> None:
    """New cases are scored exactly as the sample was."""
    first, second = tmp_path / "a.csv", tmp_path / "b.csv"
    assert run_json(tmp_path, "--data", RIVER, "--scores", str(first))[0] == 0
    assert run_json(tmp_path, "--data", RIVER, "--scores", str(second), "--score-cases", RIVER)[0] == 0
    assert first.read_text() == second.read_text()
    assert len(first.read_text().splitlines()) == 413


@pytest.mark.parametrize(
    ("options", "code"),
    [
        (["--estimator", "pls", "--family", "covariance"], "option_invalid"),
        (["--estimator", "ml", "--missing", "pairwise"], "missing_not_available"),
        (["--family", "composite", "--missing", "full-information"], "missing_not_available"),
        (["--family", "composite", "--errors", "sandwich"], "errors_not_available"),
        (["--family", "composite", "--means"], "means_not_available"),
        (["--family", "composite", "--bollen-stine"], "bollen_stine_not_available"),
        (["--family", "composite", "--scheme", "nonsense"], "option_invalid"),
        (["--estimator", "gls", "--missing", "full-information"], "full_information_needs_ml"),
        (["--missing", "full-information", "--errors", "satorra-bentler"], "errors_need_complete_cases"),
        (["--missing", "full-information", "--bollen-stine"], "bollen_stine_needs_complete_cases"),
        (["--errors", "nonsense"], "option_invalid"),
        (["--settings", "no_such_file.json"], "file_unreadable"),
    ],
)
def test_options_that_do_not_go_together_are_refused_in_words(tmp_path: Path, options: list[str], code: str) -> None:
    """Exit code 2, and the document says why."""
    status, found = run_json(tmp_path, "--data", RIVER, *options)
    assert status == 2
    assert code in [p["code"] for p in found["problems"]]


def test_too_few_cases_for_adf_and_means_missing_from_a_matrix(tmp_path: Path) -> None:
    """The estimator that needs most cases says how many."""
    few = tmp_path / "few.csv"
    few.write_text("\n".join(Path(RIVER).read_text().splitlines()[:200]))
    status, found = run_json(tmp_path, "--data", str(few), "--estimator", "adf")
    assert status == 2
    assert "more cases than that" in found["problems"][-1]["message"]
    matrix = str(DEMO / "river_wardens_covariance.csv")
    status, found = run_json(tmp_path, "--moments", matrix, "--n", "349", "--means")
    assert status == 2
    assert "means_missing" in [p["code"] for p in found["problems"]]
    for option in (["--estimator", "adf"], ["--errors", "sandwich"], ["--bollen-stine"]):
        assert run_json(tmp_path, "--moments", matrix, "--n", "349", *option)[0] == 2
    for estimator in ("gls", "uls"):
        assert run_json(tmp_path, "--moments", matrix, "--n", "349", "--estimator", estimator)[0] == 0


def test_reliability_of_unrecoded_items_is_said_to_mean_nothing(capsys: pytest.CaptureFixture[str]) -> None:
    """su4 is worded the other way round; the figure stands as defined, with what it is worth beside it."""
    code, out, _ = run(capsys, str(DEMO / "river_wardens.txt"), "--data", str(DEMO / "river_wardens.csv"))
    assert code == 0
    assert "Reliability of Support means nothing until su4 is recoded." in out


def test_errors_by_bootstrap_from_the_command_line(capsys: pytest.CaptureFixture[str]) -> None:
    """The settings say bootstrap, and so does every error."""
    files = (str(DEMO / "night_ferry.txt"), "--data", str(DEMO / "night_ferry.csv"))
    code, out, _ = run(capsys, *files, "--errors", "bootstrap", "--bootstrap", "200", "--json", "-")
    found = json.loads(out)
    assert (code, found["settings"]["errors"]) == (0, "bootstrap")
    paths = [p for p in found["parameters"] if p["kind"] == "path"]
    assert all(p["se"] == p["bootstrap"]["se"] and p["interval"] == p["bootstrap"]["headline"] for p in paths)


def test_half_of_the_cases_from_the_command_line(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """Without a browser too: a half that waits, opened once, and the recorded step means the same."""
    model, data = str(DEMO / "river_wardens.txt"), str(DEMO / "river_wardens.csv")
    _, closed, _ = run(capsys, model, "--data", data, "--hold-out-half", "3", "--no-what-ifs", "--json", "-")
    assert json.loads(closed)["holdout"] is None
    given = [model, "--data", data, "--hold-out-half", "3", "--open-half", "--no-what-ifs"]
    code, out, _ = run(capsys, *given, "--json", "-")
    found = json.loads(out)["holdout"]
    assert code == 0
    assert (found["first"]["n"], found["second"]["n"]) == (175, 174)
    assert found["first"]["fit"]["chi_square"] == json.loads(closed)["fit"]["chi_square"]
    _, table, _ = run(capsys, *given)
    assert "F (ML) from the first half" in table
    columns = json.loads(out)["sample"]["variables"]
    steps = tmp_path / "steps.json"
    steps.write_text(json.dumps([{"type": "hold_out_half", "columns": columns, "seed": 3, "opened": True}]))
    _, again, _ = run(capsys, model, "--data", data, "--steps", str(steps), "--no-what-ifs", "--json", "-")
    assert json.loads(again)["holdout"] == found
    for wrong in (["--open-half"], ["--hold-out-half", "1", "--steps", str(tmp_path / "none.json")]):
        assert run(capsys, model, "--data", data, *wrong)[0] == 2


def test_what_ifs_criteria_and_global_items(capsys: pytest.CaptureFixture[str]) -> None:
    """What the screen knows: rows that cross a cut-off, whose cut-offs, and an item that sums a construct up."""
    given = [str(DEMO / "river_wardens.txt"), "--data", str(DEMO / "river_wardens.csv")]
    _, out, _ = run(capsys, *given, "--global-item", "Effort=pe1", "--json", "-")
    document = json.loads(out)
    assert len([w for w in document["what_ifs"] if w["change"]["type"] == "set_aside"]) == 24
    assert "lowest_ave" in next(w for w in document["what_ifs"] if w["change"].get("indicator") == "ef5")["crosses"]
    assert document["quality"]["redundancy"][0]["item"] == "pe1"
    assert [d["construct"] for d in document["scores"]["descriptives"]][-1] == "Effort"
    _, out, _ = run(capsys, *given, "--no-what-ifs", "--json", "-")
    assert json.loads(out)["what_ifs"] is None
    usual = run(capsys, *given, "--no-what-ifs")[1]
    strict = run(capsys, *given, "--no-what-ifs", "--criteria", "strict")[1]
    assert "verdicts follow the usual cut-offs" in usual
    assert "verdicts follow strict cut-offs" in strict
    assert ".784 ●" in usual
    assert ".784 ◐" in strict
    assert run(capsys, *given, "--global-item", "Effort")[0] == 2


def test_the_documented_growth_model_is_estimated(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """It ended with exit code 2, for a what-if that nobody had asked for."""
    page = (ROOT / "docs" / "methods" / "sentences.md").read_text("utf-8")
    said = page.split("## A latent growth model")[1].split("```")[1]
    rng = np.random.default_rng(4)
    level, slope = 3 + rng.normal(size=300), 0.5 + 0.4 * rng.normal(size=300)
    occasions = [level + t * slope + 0.5 * rng.normal(size=300) for t in range(4)]
    model, data, out = tmp_path / "growth.txt", tmp_path / "growth.csv", tmp_path / "out.json"
    model.write_text(said, "utf-8")
    np.savetxt(data, np.column_stack(occasions), delimiter=",", header="y1,y2,y3,y4", comments="")
    code, _, err = run(capsys, str(model), "--data", str(data), "--json", str(out))
    assert code == 0, err
    found = json.loads(out.read_text("utf-8"))
    means = {p["from"]: p["estimate"] for p in found["parameters"] if p["kind"] == "mean"}
    assert means["Level"] == pytest.approx(level.mean(), abs=0.1)
    assert means["Slope"] == pytest.approx(slope.mean(), abs=0.1)
    assert found["quality"]["htmt"] == []
    assert found["what_ifs"] == []
