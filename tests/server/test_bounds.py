"""Whatever a request brings: an answer in words, soon, and never a 500."""

from __future__ import annotations

import contextlib
import csv
import io
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import schemathesis
from flask.testing import FlaskClient
from flask_openapi3 import OpenAPI
from hypothesis import HealthCheck, given, settings
from hypothesis.errors import Unsatisfiable
from openpyxl import Workbook
from sqlalchemy.exc import OperationalError

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.exchange import reading
from dusk_arrow.exchange.readers import workbook
from dusk_arrow.exchange.writing import write_data, write_rows
from dusk_arrow.records.database import Sessions
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.results.columns import column_parts
from dusk_arrow.results.screening import check_document
from dusk_arrow.runs.readers import Readers
from dusk_arrow.server.app import create_app
from dusk_arrow.server.context import size_of
from tests.conftest import DEMO

MODEL = "/api/models/2"  # River Wardens
RIVER = (DEMO / "river_wardens.csv").read_bytes()


@pytest.fixture(scope="module")
def app(records: Sessions) -> Iterator[OpenAPI]:
    found = create_app(records, workers=1)
    load_demo(records, DEMO)
    yield found
    found.extensions["dusk_arrow"].close()


@pytest.fixture
def client(app: OpenAPI) -> FlaskClient:
    return app.test_client()


def head(client: FlaskClient) -> int:
    return int(client.get(MODEL).get_json()["revision"]["id"])


def raw(client: FlaskClient, address: str, text: str, method: str = "POST") -> Any:
    return client.open(
        address, method=method, data=text.encode("utf-8", "surrogatepass"), content_type="application/json"
    )


def revised(client: FlaskClient, *changes: Any, **more: Any) -> Any:
    body = {"parent": head(client), "changes": list(changes), **more}
    return raw(client, f"{MODEL}/revisions", json.dumps(body))


@pytest.mark.parametrize("mode", list(schemathesis.GenerationMode))
def test_the_whole_api_under_generated_requests(app: OpenAPI, mode: schemathesis.GenerationMode) -> None:
    """What no hand would write: every operation with values from its schema, or against it, and no 5xx."""
    failures: list[str] = []
    operations = 0
    for found in schemathesis.openapi.from_wsgi("/api/openapi.json", app).get_all_operations():
        operation = found.ok()
        operations += 1

        @settings(
            max_examples=8, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck), database=None
        )
        @given(operation.as_strategy(generation_mode=mode))
        def answers(case: schemathesis.Case) -> None:
            answer = case.call()
            if answer.status_code >= 500 and answer.status_code != 503:
                failures.append(f"{case.method} {case.path} {answer.status_code}: {str(case.body)[:300]}")

        with contextlib.suppress(Unsatisfiable):  # nothing can be wrong with an operation that takes nothing
            answers()
    assert operations > 30
    assert failures == []


HUGE = 2**31


@pytest.mark.parametrize(
    "address",
    [
        f"/api/projects/{HUGE}", f"/api/models/{HUGE}", f"/api/runs/{HUGE}", "/api/models/99999999999999999999",
        f"/api/projects/{HUGE}/cases", f"/api/projects/{HUGE}/screening", f"/api/models/{HUGE}/scores.csv",
        "/api/models/0", f"/api/projects/{HUGE}/data.csv",
    ],
)  # fmt: skip
def test_numbers_of_nothing_are_not_found(client: FlaskClient, address: str) -> None:
    """A number that no record has, however large."""
    answer = client.get(address)
    assert answer.status_code == 404
    assert answer.get_json()["problems"][0]["message"].endswith(".")


@pytest.mark.parametrize(
    "body",
    [
        {"type": "rename", "name": "Training", "to": "a\0b"},
        {"type": "rename", "name": "Training", "to": "\ud800"},
        {"type": "rename", "name": "Training", "to": "x" * 201},
        {"type": "set_aside", "construct": "Training", "indicator": "tr1", "reason": "no\0"},
        {"type": "fix_path", "source": "Training", "target": "Efficacy", "value": float("nan")},
        {"type": "fix_path", "source": "Training", "target": "Efficacy", "value": float("inf")},
        {"type": "fix_path", "source": "Training", "target": "Efficacy", "value": 1e308},
        {"type": "replace_text", "text": "track q = " + "(" * 3000 + "1" + ")" * 3000},
        {"type": "replace_text", "text": "track q = " + "-" * 3000 + "1"},
        {"type": "replace_text", "text": "hold Training > Efficacy at 1e999"},
        {"type": "replace_text", "text": "\n".join(f"C{i} shows in x{i}" for i in range(3000))},
        {"type": "replace_text", "text": "a leads to b\n" * 100_000},
        {"type": "add_sentence", "sentence": "A shows in " + ", ".join(f"v{i}" for i in range(100_000))},
    ],
)  # fmt: skip
def test_what_cannot_be_stored_or_computed_is_refused_at_once(client: FlaskClient, body: dict[str, Any]) -> None:
    """Characters, numbers, depths and lengths: in words, within a second, and the model as it was."""
    before = client.get(MODEL).get_json()["sentences"]
    begun = time.perf_counter()
    answer = revised(client, body)
    assert answer.status_code in (413, 422), answer.get_json()
    assert time.perf_counter() - begun < 5
    assert answer.get_json()["problems"][0]["message"].endswith(".")
    assert client.get(MODEL).get_json()["sentences"] == before


def test_deep_and_large_requests(client: FlaskClient) -> None:
    """A request nested without end once ended in a trace, and 100 MB of JSON in memory."""
    assert raw(client, f"{MODEL}/revisions", "[" * 100_000 + "]" * 100_000).status_code == 422
    assert raw(client, f"{MODEL}/revisions", '{"a":' * 500 + "1" + "}" * 500).status_code == 422
    assert raw(client, f"{MODEL}/revisions", '"' + "x" * (3 * 1024 * 1024) + '"').status_code == 413
    assert raw(client, f"{MODEL}/pins", '{"pins": {"Training": {"x": NaN, "y": 1}}}', "PUT").status_code == 422
    assert raw(client, f"{MODEL}/pins", '{"pins": {"Training": {"x": 1e999, "y": 1}}}', "PUT").status_code == 422
    assert revised(client, {"type": "rename", "name": "x", "to": "y"}, reason="r" * 3000).status_code == 422


def sent(client: FlaskClient, content: bytes, name: str = "x.csv", **options: Any) -> Any:
    data = {"file": (io.BytesIO(content), name), "options": json.dumps(options)}
    return client.post("/api/previews", data=data)


@pytest.mark.parametrize(
    "options",
    [
        {"delimiter": "ab"}, {"encoding": "a\0b"}, {"encoding": "undefined"}, {"encoding": "base64"}, {"encoding": "\ud800"},
        {"encoding": "unicode_escape"}, {"cells": "\0"}, {"sheet": "\ud800"}, {"n": 10**30}, {"skip": 9999},
        {"missing_codes": ["\0"]}, {"delimiter": "\n"},
    ],
)  # fmt: skip
def test_odd_reading_options_are_problems(client: FlaskClient, options: dict[str, Any]) -> None:
    """Every option of an import, bent."""
    assert sent(client, RIVER, **options).status_code in (200, 422)


def test_a_flipped_bit_anywhere_in_a_file_is_no_trace(client: FlaskClient) -> None:
    """One bit of a .sav wrong: a data set, a problem, never a 500, and what is stored can be opened."""
    rng = np.random.default_rng(5)
    data = DataSet("m", tuple(Column(f"c{i}", "number", rng.standard_normal(60), None, f"L{i}") for i in range(4)))
    content = write_data(data, "sav")
    for place in rng.integers(4, len(content), 60):
        bent = bytearray(content)
        bent[place] ^= 1 << int(rng.integers(0, 8))
        assert sent(client, bytes(bent), "m.sav").status_code == 200
        if place % 10 == 0:
            created = client.post("/api/projects", data={"file": (io.BytesIO(bytes(bent)), "m.sav")})
            assert created.status_code in (201, 422)
            if created.status_code == 201:
                assert client.get(f"/api/projects/{created.get_json()['project_id']}").status_code == 200


def test_values_near_the_end_of_numbers(client: FlaskClient) -> None:
    """1e308 squared is infinite: the column is text, and everything else works."""
    rows = "\n".join(f"{i}e307,{i},{i * i % 7}" for i in range(1, 9))
    created = client.post("/api/projects", data={"file": (io.BytesIO(f"a,b,c\n{rows}\n".encode()), "x.csv")})
    assert created.status_code == 201
    project = created.get_json()["project_id"]
    for part in ("", "/screening", "/cases", "/tables/correlations.csv", "/data.csv", "/data.xlsx"):
        assert client.get(f"/api/projects/{project}{part}").status_code in (200, 422), part


def test_a_reader_that_hangs_dies_or_swells_is_stopped(tmp_path: Path) -> None:
    """A few kilobytes that unpack without end: the reader is stopped, and the next file is read."""
    readers = Readers(seconds=2)
    path = tmp_path / "x"
    path.write_bytes(b"content")
    try:
        for read, code in ((_hang, "reading_too_long"), (_die, "file_broken"), (_swell, "file_too_large")):
            with pytest.raises(ProblemError) as caught:
                readers.read(read, str(path))
            assert caught.value.problems[0].code == code
        assert readers.read(_count, str(path)) == 7
    finally:
        readers.close()


def test_a_workbook_with_too_many_cells_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    """What a sheet unpacks to is counted while it unpacks."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet()
    for row in range(60):
        sheet.append([row] * 20)
    packed = io.BytesIO()
    book.save(packed)
    monkeypatch.setattr(workbook, "MOST_CELLS", 1000)
    with pytest.raises(ProblemError, match="more than 1,000 cells"):
        reading.read_file(packed.getvalue(), "x.xlsx")
    monkeypatch.setattr(workbook, "MOST_UNPACKED", 1000)
    with pytest.raises(ProblemError, match="unpacks to more than"):
        reading.read_file(packed.getvalue(), "x.xlsx")


def _hang(content: bytes) -> int:
    time.sleep(60)
    return len(content)


def _die(content: bytes) -> int:
    import os

    os._exit(11)


def _swell(content: bytes) -> int:
    return len(bytearray(64 * 2**30))


def _count(content: bytes) -> int:
    return len(content)


def test_wide_data_stay_usable() -> None:
    """A thousand columns: the pages' parts within two seconds each, and what is left out is said."""
    rng = np.random.default_rng(1)
    base = rng.normal(size=(200, 1000))
    data = DataSet("wide", tuple(Column(f"q{i}", "number", base[:, i]) for i in range(1000)))
    assert len(column_parts(data)) == 1000
    document = check_document(data, [], 100)
    assert document.screening is not None
    assert len(document.screening.columns) == 1000
    assert document.screening.correlations is not None
    assert len(document.screening.correlations.rows) == 300
    assert "700 more" in document.problems[0].message


@pytest.mark.parametrize("site", ["cross-site", "same-site"])
def test_other_sites_may_not_even_read(client: FlaskClient, site: str) -> None:
    """A page elsewhere could have made the server compute, or guess at what it holds, by asking for it."""
    for address in ("/api/projects", "/api/models/1", "/api/models/1/paths-at-zero"):
        assert client.get(address, headers={"Sec-Fetch-Site": site}).status_code == 403
    assert client.get("/api/projects", headers={"Sec-Fetch-Site": "same-origin"}).status_code == 200
    assert client.get("/methods/fit", headers={"Sec-Fetch-Site": site}).status_code == 200


def test_undo_goes_from_where_one_looked(client: FlaskClient) -> None:
    """Two tabs: the second must not undo what it has not seen."""
    at = head(client)
    assert revised(client, {"type": "rename", "name": "Training", "to": "Schooling"}).status_code == 200
    assert client.post(f"{MODEL}/undo", json={"parent": at}).status_code == 409
    assert client.post(f"{MODEL}/undo", json={"parent": head(client)}).status_code == 200
    assert client.post(f"{MODEL}/redo", json={"parent": head(client) + 1}).status_code == 409


def test_scores_of_a_model_without_constructs_are_refused_in_words(client: FlaskClient) -> None:
    """Night Ferry has observed variables only; its scores once were a 500."""
    answer = client.get("/api/models/1/scores.csv")
    assert (answer.status_code, answer.get_json()["problems"][0]["code"]) == (422, "nothing_to_score")


def test_a_database_that_is_away_is_503(app: OpenAPI, client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    """While it is being started again, requests are told to try again, not that something went wrong."""
    from dusk_arrow.records import store

    def away(_session: object) -> None:
        raise OperationalError("select", {}, Exception("connection refused"))

    monkeypatch.setattr(store, "list_projects", away)
    answer = client.get("/api/projects")
    assert (answer.status_code, answer.headers["Retry-After"]) == (503, "2")
    assert "Try again" in answer.get_json()["problems"][0]["message"]


@pytest.mark.parametrize("start", ["=", "+", "-", "@", "\t", "\r"])
def test_no_export_runs_in_a_spreadsheet(start: str) -> None:
    """Cells and names that begin like a formula, in .csv as in .xlsx, in data as in tables."""
    evil = f"{start}cmd|' /C calc'!A0"
    data = DataSet(
        "d",
        (
            Column(evil, "category", None, np.array([evil, "x"], dtype=object)),
            Column("n", "number", np.array([-1.0, 2])),
        ),
    )
    text = write_data(data, "csv").decode()
    assert [cell for row in csv.reader(io.StringIO(text)) for cell in row].count(f"'{evil}") == 2
    assert "-1" in text
    assert next(csv.reader(io.StringIO(write_rows([[evil, -3, "-"]]).decode()))) == [f"'{evil}", "-3", "-"]


def test_large_workbooks_are_refused_before_they_are_made() -> None:
    """200,000 rows took a minute and a half in which nobody could save anything."""
    data = DataSet("d", tuple(Column(f"c{i}", "number", np.zeros(200_000)) for i in range(6)))
    with pytest.raises(ProblemError, match="Save them as"):
        write_data(data, "xlsx")


def test_what_is_kept_is_bounded_by_size(client: FlaskClient) -> None:
    """Caches counted entries, whatever their size, and the server grew to gigabytes."""
    data = DataSet("d", tuple(Column(f"c{i}", "number", np.zeros(1000)) for i in range(10)))
    assert size_of(data) == pytest.approx(80_000, rel=0.1)
    texts = DataSet("t", (Column("t", "text", None, np.array(["a"] * 1000, dtype=object)),))
    assert size_of(texts) > 50_000
    cache = ResultsCache(most=10)
    assert cache._kept.maxsize == 10


def test_the_one_thing_that_is_too_large_to_keep_is_kept_while_it_is_used(app: OpenAPI) -> None:
    """Data of 100 MB would otherwise be read from the records at every gesture; two of them are never held at once."""
    from dusk_arrow.server.context import MOST_DATA, keep

    made: list[str] = []

    def large(name: str) -> DataSet:
        made.append(name)
        return DataSet(name, (Column("x", "number", np.zeros(MOST_DATA // 8 + 1000)),))

    with app.app_context():
        for name, number in (("a", 1), ("a", 1), ("b", 2), ("b", 2), ("a", 1)):
            assert keep("test", number, lambda name=name: large(name)).name == name  # type: ignore[misc]
        assert len(app.extensions["dusk_arrow"].large) == 1
    assert made == ["a", "b", "a"]
