"""`./dusk check`: the screening document and the tables, on the demo with its planted flaws."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from dusk_arrow.command_line.check import check
from dusk_arrow.core.observations.codes import number_level, proposed_codes
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.observations.steps import DescribeColumn, TreatAsMissing
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.exchange.cells import check_columns
from dusk_arrow.results.screening import screen
from tests.conftest import DEMO, demo_data


@pytest.fixture(scope="module")
def document(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    out = tmp_path_factory.mktemp("check") / "out.json"
    assert check([str(DEMO / "river_wardens.csv"), "--json", str(out)]) == 0
    return dict(json.loads(out.read_text()))


def test_keys_that_others_build_on(document: dict[str, Any]) -> None:
    """The document of a checked file has the agreed keys."""
    assert {"version", "data", "problems", "screening"} <= set(document)
    screening = document["screening"]
    column = next(c for c in screening["columns"] if c["name"] == "tr1")
    assert {"name", "label", "level", "n", "missing", "mean", "sd", "min", "max", "skewness", "kurtosis"} <= set(column)
    assert {"skewness", "skewness_chi_square", "skewness_p", "kurtosis", "kurtosis_z", "kurtosis_p"} <= set(
        screening["multivariate_normality"]
    )
    assert set(screening["mahalanobis"][0]) == {"case", "d2", "p_value"}
    assert screening["correlations"]["rows"] == screening["correlations"]["columns"]


def test_planted_flaws_are_found(document: dict[str, Any]) -> None:
    """The reverse-worded item, the careless respondents and the skipped page."""
    found = {p["code"]: p for p in document["problems"]}
    assert found["item_reversed"]["about"] == ["su4"]
    assert found["straight_liners"]["message"].startswith("7 cases")
    patterns = document["screening"]["missing_patterns"]
    assert patterns[0]["missing"] == []
    page = next(p for p in patterns if p["missing"] == ["pe1", "pe2", "pe3", "pe4"])
    assert page["cases"] >= 5
    assert sum(p["cases"] for p in patterns) == 412
    assert document["screening"]["little"]["p_value"] > 0.05


def test_distances_are_sorted_and_name_their_case(document: dict[str, Any]) -> None:
    """Cases are counted from 1 in the file, complete ones only, the farthest first."""
    distances = document["screening"]["mahalanobis"]
    columns = tuple(document["screening"]["multivariate_normality"]["columns"])
    assert "case" not in columns
    values = demo_data("river_wardens").matrix(columns)
    complete = values[~np.isnan(values).any(axis=1)]
    assert len(distances) == len(complete) == document["screening"]["multivariate_normality"]["n"]
    assert [d["d2"] for d in distances] == sorted((d["d2"] for d in distances), reverse=True)
    first = values[distances[0]["case"] - 1]
    centred = first - complete.mean(axis=0)
    assert distances[0]["d2"] == pytest.approx(centred @ np.linalg.solve(np.cov(complete.T), centred))


def test_tables(capsys: pytest.CaptureFixture[str]) -> None:
    """Without --json a person reads it; warnings go to standard error."""
    assert check([str(DEMO / "river_wardens.csv")]) == 0
    captured = capsys.readouterr()
    for piece in ("412 cases, 33 columns", "Mardia", "Farthest from the centre", "Little's test"):
        assert piece in captured.out
    assert "su4 runs against its block su" in captured.err


def test_useless_files(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    """Exit code 2, the reason on standard error, and the document all the same."""
    bad = tmp_path / "bad.csv"
    bad.write_text("a,b,a\n1,2,3\n")
    assert check([str(bad), "--json", "-"]) == 2
    captured = capsys.readouterr()
    assert json.loads(captured.out)["screening"] is None
    assert "2 columns are called a" in captured.err
    assert check([str(tmp_path / "nothing.csv")]) == 2


def test_codes_that_look_like_missing_are_proposed_never_applied(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """99 among answers 1–5 is named; whether it means missing is for the user to say."""
    rng = np.random.default_rng(0)
    frame = pd.DataFrame(rng.integers(1, 6, (60, 3)), columns=["a", "b", "c"])
    frame.loc[[3, 8], "b"] = 99
    path = tmp_path / "codes.csv"
    frame.to_csv(path, index=False)
    assert check([str(path), "--json", "-"]) == 0
    captured = capsys.readouterr()
    assert captured.err.count("99 in b looks like missing") == 1
    assert "--missing-codes" in captured.err
    column = next(c for c in json.loads(captured.out)["screening"]["columns"] if c["name"] == "b")
    assert (column["max"], column["missing"]) == (99, 0)
    check([str(path), "--missing-codes", "99", "--json", "-"])
    column = next(c for c in json.loads(capsys.readouterr().out)["screening"]["columns"] if c["name"] == "b")
    assert (column["max"], column["missing"]) == (5, 2)


def careless(n: int = 80, items: int = 27) -> DataSet:
    """Answers of 1 to 5 with 99 for none, and eight people who ticked the same throughout."""
    rng = np.random.default_rng(3)
    values = rng.integers(1, 6, (n, items)).astype(float)
    values[:8] = np.arange(8)[:, None] % 5 + 1
    values[10:20, :] = np.where(rng.random((10, items)) < 0.3, 99, values[10:20, :])
    values[20, :] = 99
    return DataSet("d", tuple(Column(f"q{i}", number_level(v), v) for i, v in enumerate(values.T)))


def test_one_code_in_many_columns_is_one_card_with_one_button() -> None:
    """Twenty-seven cards hide the other things that are wrong; no command-line words for whoever has a browser."""
    data = careless()
    cards = [p for p in screen(data)[1] if p.code == "missing_code_suspected"]
    assert len(cards) == 1
    assert cards[0].message.startswith("99 in 27 columns (q0, q1, q2")
    assert cards[0].repairs[0].words == "Treat 99 as missing in all 27 columns"
    assert not [p for p in screen(data)[1] if "--" in p.message]
    assert [p.message for p in check_columns(data)] == [cards[0].message], "in the preview already"
    treated, faults = apply_steps(data, [cards[0].repairs[0].change])
    assert faults == []
    assert {column.level for column in treated.columns} == {"ordered"}


def test_what_screening_sees_does_not_depend_on_when_a_code_was_declared() -> None:
    """Eight straight-liners vanished where 99 was declared after the import, because its columns passed for measurements."""
    later, _ = apply_steps(careless(), [TreatAsMissing(careless().names, ("99",))])
    before = replace(later, columns=tuple(Column(c.name, number_level(c.numbers), c.numbers) for c in later.columns))  # type: ignore[arg-type]
    found = [[(p.code, p.message) for p in screen(data)[1]] for data in (later, before)]
    assert found[0] == found[1]
    assert "straight_liners" in [code for code, _ in found[0]]
    described, _ = apply_steps(
        careless(), [DescribeColumn("q0", level="category"), TreatAsMissing(careless().names, ("99",))]
    )
    assert described.column("q0").level == "category", "what somebody said stays so"


@pytest.mark.parametrize(
    ("values", "codes"),
    [
        ([1, 2, 3, 4, 5, 9], [9.0]),
        ([1, 2, 3, 4, 5, 6, 7, 8, 9], []),
        ([1, 2, 3, 4, 5, -9, 99], [-9.0, 99.0]),
        ([18, 35, 60, 99], []),
        ([0, 1, 2, 1], []),
        ([0.5, 1.5, 99], []),
    ],
)
def test_what_looks_like_a_code(values: list[float], codes: list[float]) -> None:
    """A code stands apart from the scale; an old respondent does not."""
    assert proposed_codes(Column("x", "number", np.array(values, dtype=float))) == codes


def data_of(**columns: np.ndarray) -> DataSet:
    return DataSet("d", tuple(Column(name, "number", values) for name, values in columns.items()))


def test_what_cannot_be_computed_is_said() -> None:
    """Totals among their parts, too few cases, nothing that varies."""
    rng = np.random.default_rng(1)
    a, b = rng.standard_normal(40), rng.standard_normal(40)
    screening, problems = screen(data_of(a=a, b=b, total=a + b))
    assert screening.multivariate_normality is None
    assert {p.code for p in problems} >= {"exact_sum", "dependent_columns"}
    screening, problems = screen(data_of(a=a[:3], b=b[:3], c=a[:3] * b[:3]))
    assert screening.mahalanobis == []
    assert "Only 3 complete cases" in next(p.message for p in problems if p.code == "dependent_columns")
    screening, problems = screen(data_of(a=a, b=np.ones(40)))
    assert screening.correlations is None
    assert problems[0].code == "nothing_to_relate"
