"""The API on a real PostgreSQL: importing, changing, undoing, running, and what is refused."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.command_line.check import check
from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import RunRow
from dusk_arrow.results.screening import CheckDocument
from dusk_arrow.results.settings import Settings
from tests.conftest import DEMO, ROOT, demo_text
from tests.server.parts import ended, fit, part, run_when


def step(client: FlaskClient, model: str, way: str) -> Any:
    """Undo or redo from where the model stands."""
    parent = client.get(model).get_json()["revision"]["id"]
    return client.post(f"{model}/{way}", json={"parent": parent})


def upload(client: FlaskClient, content: bytes, name: str = "study.csv") -> Any:
    return client.post("/api/projects", data={"file": (io.BytesIO(content), name)})


@pytest.fixture
def model(client: FlaskClient) -> dict[str, Any]:
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()
    return dict(client.get(f"/api/models/{created['model_id']}").get_json())


def change(client: FlaskClient, state: dict[str, Any], *changes: dict[str, Any], **more: Any) -> Any:
    body = {"parent": state["revision"]["id"], "changes": list(changes), **more}
    return client.post(f"/api/models/{state['id']}/revisions", json=body)


THEORY = {"type": "replace_text", "text": demo_text("river_wardens")}


def test_import_shows_columns_and_blocks(client: FlaskClient) -> None:
    """The shelf needs the stems, the Data station the summaries."""
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv")
    assert created.status_code == 201
    project = client.get(f"/api/projects/{created.get_json()['project_id']}").get_json()
    assert (project["name"], project["n_cases"]) == ("river wardens", 412)
    assert project["blocks"][0] == {"stem": "tr", "columns": ["tr1", "tr2", "tr3", "tr4"]}
    column = next(c for c in project["columns"] if c["name"] == "catchment")
    assert (column["numeric"], column["mean"], column["distinct"]) == (False, None, 2)
    assert "river wardens" in [p["name"] for p in client.get("/api/projects").get_json()["projects"]]


@pytest.mark.parametrize("content", [b"", b"one\n1\n2\n", b"a,b,a\n1,2,3\n", b"\0\1\2" * 50, b"1,2\n3,4\n"])
def test_useless_files_store_nothing(client: FlaskClient, content: bytes) -> None:
    """A clear problem, and no half project left behind."""
    before = len(client.get("/api/projects").get_json()["projects"])
    answer = upload(client, content)
    assert answer.status_code == 422
    assert answer.mimetype == "application/problem+json"
    assert answer.get_json()["problems"][0]["message"]
    assert len(client.get("/api/projects").get_json()["projects"]) == before


def test_screening_is_the_document_of_the_command_line(client: FlaskClient, tmp_path: Path) -> None:
    """Browser and command line must say the same about the same file."""
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()
    found = client.get(f"/api/projects/{created['project_id']}/screening").get_json()
    out = tmp_path / "out.json"
    assert check([str(DEMO / "river_wardens.csv"), "--json", str(out)]) == 0
    assert json.loads(out.read_text()) == found


def test_building_a_model_step_by_step(client: FlaskClient, model: dict[str, Any]) -> None:
    """Every gesture answers with results and board in one round trip."""
    assert model["problems"][0]["code"] == "empty_model"
    assert model["board"]["cards"] == []
    state = change(
        client,
        model,
        {"type": "add_construct", "name": "Training", "indicators": ["tr1", "tr2", "tr3", "tr4"], "mode": "reflective"},
    ).get_json()
    assert state["estimated"]
    state = change(
        client,
        state,
        {"type": "add_construct", "name": "Efficacy", "indicators": ["ef1", "ef2", "ef3"], "mode": "reflective"},
    ).get_json()
    state = change(client, state, {"type": "add_path", "source": "Training", "target": "Efficacy"}).get_json()
    assert [(a["from"], a["to"]) for a in state["board"]["arrows"]] == [("Training", "Efficacy")]
    cfi = next(f for f in state["readout"] if f["key"] == "cfi")
    assert cfi["verdict"] in ("meets", "borderline", "misses")
    assert cfi["change"] is not None
    assert state["revision"]["words"] == "path Training → Efficacy"
    assert state["can_undo"]


def test_undo_redo_and_branching(client: FlaskClient, model: dict[str, Any]) -> None:
    """Undo goes to the parent, redo to the child last left, an edit after undo begins a branch."""
    first = change(client, model, THEORY).get_json()
    second = change(
        client, first, {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": None}, reason="weak"
    ).get_json()
    assert second["revision"]["reason"] == "weak"
    back = step(client, f"/api/models/{model['id']}", "undo").get_json()
    assert back["revision"]["id"] == first["revision"]["id"]
    assert back["can_redo"]
    again = step(client, f"/api/models/{model['id']}", "redo").get_json()
    assert again["revision"]["id"] == second["revision"]["id"]
    step(client, f"/api/models/{model['id']}", "undo")
    branch = change(client, back, {"type": "rename", "name": "Efficacy", "to": "Belief"}).get_json()
    assert not branch["can_redo"]
    assert step(client, f"/api/models/{model['id']}", "redo").status_code == 409
    reloaded = client.get(f"/api/models/{model['id']}").get_json()
    assert reloaded["sentences"] == branch["sentences"]


def test_a_stale_parent_is_refused_and_loses_nothing(client: FlaskClient, model: dict[str, Any]) -> None:
    """Two windows on one model must not overwrite each other."""
    state = change(client, model, THEORY).get_json()
    answer = change(client, model, {"type": "remove_construct", "name": "Training"})
    assert answer.status_code == 409
    assert client.get(f"/api/models/{model['id']}").get_json()["sentences"] == state["sentences"]


def test_a_refused_change_leaves_the_model_alone(client: FlaskClient, model: dict[str, Any]) -> None:
    """None of several changes is made when one makes no sense."""
    state = change(client, model, THEORY).get_json()
    answer = change(
        client,
        state,
        {"type": "remove_path", "source": "Effort", "target": "Persistence"},
        {"type": "rename", "name": "Effort", "to": "Support"},
    )
    assert answer.status_code == 422
    assert answer.get_json()["problems"][0]["code"] == "name_taken"
    assert client.get(f"/api/models/{model['id']}").get_json()["revision"] == state["revision"]


def test_last_good_numbers_stay_while_a_model_cannot_be_estimated(client: FlaskClient, model: dict[str, Any]) -> None:
    """People keep seeing what they had, with the problem and its repair beside it."""
    good = change(client, model, THEORY).get_json()
    broken = change(client, good, {"type": "add_path", "source": "Persistence", "target": "Effort"}).get_json()
    assert not broken["estimated"]
    assert fit(client, broken) == fit(client, good)
    problem = next(p for p in broken["problems"] if p["code"] == "path_into_formative")
    mended = change(client, broken, problem["repairs"][0]["change"]).get_json()
    assert fit(client, mended) == fit(client, good)


def test_what_ifs_change_nothing(client: FlaskClient, model: dict[str, Any]) -> None:
    """Trying is free: what would be is told, what is stays; and the preview is what the change then does."""
    state = change(client, model, THEORY).get_json()
    held = {"type": "fix_path", "source": "Training", "target": "Persistence", "value": 0}
    preview = client.post(f"/api/models/{model['id']}/what-ifs", json={"changes": [held]}).get_json()
    assert preview["df_difference"] == 1
    assert 0 < preview["p_value"] < 0.1
    assert client.get(f"/api/models/{model['id']}").get_json()["revision"] == state["revision"]
    done = change(client, state, held).get_json()
    assert fit(client, done)["chi_square"] - fit(client, state)["chi_square"] == pytest.approx(
        preview["chi_square_difference"]
    )
    aside = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": None}
    preview = client.post(f"/api/models/{model['id']}/what-ifs", json={"changes": [aside]}).get_json()
    assert preview["chi_square_difference"] is None
    assert [q["construct"] for q in preview["quality"]] == ["Efficacy"]


def test_pins_make_no_revision(client: FlaskClient, model: dict[str, Any]) -> None:
    """Moving a card is no change of the model; arranging undoes it."""
    state = change(client, model, THEORY).get_json()
    board = client.put(f"/api/models/{model['id']}/pins", json={"pins": {"Effort": {"x": 500, "y": 600}}}).get_json()
    card = next(c for c in board["cards"] if c["name"] == "Effort")
    assert (card["box"]["x"], card["box"]["y"], card["pinned"]) == (500, 600, True)
    assert client.get(f"/api/models/{model['id']}").get_json()["revision"] == state["revision"]
    assert client.put(f"/api/models/{model['id']}/pins", json={"pins": {}}).get_json() == state["board"]


def test_bootstrap_runs_in_the_background_and_is_kept(client: FlaskClient, model: dict[str, Any]) -> None:
    """Progress, then intervals in the model's results; the same run again is answered from the record."""
    state = change(
        client, model, {"type": "replace_text", "text": "A shows in tr1..tr4\nB shows in ef1..ef4\nA leads to B"}
    ).get_json()
    started = client.post(f"/api/models/{model['id']}/runs", json={"resamples": 256, "seed": 4})
    assert started.status_code == 201
    run = ended(client, started.get_json())
    assert (run["state"], run["done"]) == ("finished", 256)
    after = client.get(f"/api/models/{model['id']}").get_json()
    assert after["shown"]["bootstrap"]["used"] == 256
    assert after["shown"]["run"] == run["id"]
    plain, booted = part(client, state, "estimates")["parameters"], part(client, after, "estimates")["parameters"]
    assert booted[-1]["estimate"] == plain[-1]["estimate"]
    assert (plain[-1]["bootstrap"], booted[-1]["bootstrap"]["n_used"]) == (None, 256)
    again = client.post(f"/api/models/{model['id']}/runs", json={"resamples": 256, "seed": 4})
    assert (again.status_code, again.get_json()["id"]) == (200, run["id"])
    moved = change(client, state, {"type": "rename", "name": "A", "to": "Z"}).get_json()
    assert moved["shown"]["bootstrap"] is None
    back = step(client, f"/api/models/{model['id']}", "undo").get_json()
    assert back["shown"]["bootstrap"]["used"] == 256


def test_runs_of_another_version_do_not_block_a_model(
    client: FlaskClient, model: dict[str, Any], records: Sessions
) -> None:
    """After an update people find their models, re-estimated where a stored document no longer fits."""
    change(client, model, {"type": "replace_text", "text": "A shows in tr1..tr4\nB shows in ef1..ef4\nA leads to B"})
    run = ended(client, client.post(f"/api/models/{model['id']}/runs", json={"resamples": 128}).get_json())
    with records.begin() as session:
        row = session.get_one(RunRow, run["id"])
        row.results = {**(row.results or {}), "parameters": None}
    state = client.get(f"/api/models/{model['id']}").get_json()
    assert state["estimated"]
    assert state["shown"]["bootstrap"] is None
    again = client.post(f"/api/models/{model['id']}/runs", json={"resamples": 128})
    assert again.status_code == 201
    ended(client, again.get_json())
    state = client.get(f"/api/models/{model['id']}").get_json()
    assert state["shown"]["bootstrap"]["used"] == 128


def test_a_run_can_be_stopped(client: FlaskClient, model: dict[str, Any]) -> None:
    """Nobody waits for something they no longer want."""
    change(client, model, THEORY)
    run = client.post(f"/api/models/{model['id']}/runs", json={"resamples": 50_000}).get_json()
    client.post(f"/api/runs/{run['id']}/stop")
    assert ended(client, run)["state"] == "stopped"
    assert client.get(f"/api/models/{model['id']}").get_json()["shown"]["bootstrap"] is None


def test_a_run_that_is_stopped_can_keep_what_it_has(client: FlaskClient, model: dict[str, Any]) -> None:
    """Half a bootstrap is one of fewer resamples, and says of how many; who asks for the whole gets the whole."""
    change(client, model, THEORY)
    asked = {"resamples": 100_000}
    run = client.post(f"/api/models/{model['id']}/runs", json=asked).get_json()
    run_when(client, run["id"], lambda now: now["done"] >= 100)
    client.post(f"/api/runs/{run['id']}/stop?keep=true")
    found = ended(client, run)
    assert found["state"] == "finished"
    shown = client.get(f"/api/models/{model['id']}").get_json()["shown"]["bootstrap"]
    assert shown["stopped"]
    assert 100 <= shown["used"] + shown["not_converged"] < shown["requested"] == 100_000
    assert found["message"] == f"stopped at {shown['used']:,}"
    again = client.post(f"/api/models/{model['id']}/runs", json=asked)
    assert again.status_code == 201
    client.post(f"/api/runs/{again.get_json()['id']}/stop")


def test_a_model_without_estimates_cannot_be_bootstrapped_or_drawn(client: FlaskClient, model: dict[str, Any]) -> None:
    """Refused in words instead of failing later."""
    assert client.post(f"/api/models/{model['id']}/runs", json={"resamples": 500}).status_code == 422
    assert client.get(f"/api/models/{model['id']}/figure.svg").status_code == 422


def test_downloads(client: FlaskClient, model: dict[str, Any]) -> None:
    """The figure and the document, as files with the data set's name."""
    change(client, model, THEORY)
    figure = client.get(f"/api/models/{model['id']}/figure.svg")
    assert figure.mimetype == "image/svg+xml"
    assert "river_wardens.svg" in figure.headers["Content-Disposition"]
    results = client.get(f"/api/models/{model['id']}/results.json")
    assert json.loads(results.data)["fit"]["df"] == 236


def test_projects_can_be_removed_and_brought_back(client: FlaskClient, model: dict[str, Any]) -> None:
    """Removing asks nothing because it can be undone."""
    address = f"/api/projects/{model['project_id']}"
    ids = lambda: [p["id"] for p in client.get("/api/projects").get_json()["projects"]]  # noqa: E731
    assert client.patch(address, json={"removed": True}).status_code == 200
    assert model["project_id"] not in ids()
    client.patch(address, json={"removed": False, "name": "Renamed"})
    assert model["project_id"] in ids()
    assert client.get(address).get_json()["name"] == "Renamed"
    assert client.patch(address, json={"name": "  "}).status_code == 422


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Host": "localhost:9"}, 200),
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example"}, 403),
        ({"Origin": "http://evil.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Origin": "http://localhost"}, 200),
        ({"Origin": "http://localhost:81"}, 403),
    ],
)
def test_only_this_machine_is_answered(client: FlaskClient, headers: dict[str, str], status: int) -> None:
    """A page from elsewhere must not be able to read or change anybody's data."""
    assert client.get("/api/projects", headers=headers).status_code == status


def test_cross_site_writes_are_refused(client: FlaskClient) -> None:
    """Even without an Origin header a browser says where a request comes from."""
    answer = client.post("/api/projects", headers={"Sec-Fetch-Site": "cross-site"})
    assert (answer.status_code, answer.get_json()["problems"][0]["code"]) == (403, "foreign_origin")


def test_every_answer_says_how_long_the_server_worked(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    """*Estimated in … ms* is that time: over a slow line the way there and back is not computing."""
    clock = iter([3.0, 3.25])
    monkeypatch.setattr("dusk_arrow.server.timing.perf_counter", lambda: next(clock))
    assert client.get("/api/alive").headers["Server-Timing"] == "work;dur=250.0"


def test_every_answer_is_guarded(client: FlaskClient) -> None:
    """No inline script, nothing from elsewhere, no framing, no cookie."""
    answer = client.get("/api/projects")
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "script-src 'self';" in policy
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert "Set-Cookie" not in answer.headers


def test_uploads_are_bounded(client: FlaskClient) -> None:
    """A file that would fill the memory is refused before it is read."""
    client.application.config["MAX_CONTENT_LENGTH"] = 1000
    try:
        answer = upload(client, b"a,b\n" + b"1,2\n" * 1000)
    finally:
        client.application.config["MAX_CONTENT_LENGTH"] = 201 * 1024 * 1024
    assert (answer.status_code, answer.mimetype) == (413, "application/problem+json")


@pytest.mark.parametrize(
    ("method", "address", "body", "status"),
    [
        ("get", "/api/nothing", None, 404),
        ("get", "/api/models/999999", None, 404),
        ("get", "/api/projects/999999", None, 404),
        ("get", "/api/runs/999999", None, 404),
        ("delete", "/api/projects", None, 405),
        ("post", "/api/models/1/revisions", {"parent": 1, "changes": []}, 422),
        ("post", "/api/models/1/revisions", {"parent": 1, "changes": [{"type": "dance"}]}, 422),
        ("post", "/api/models/1/revisions", {"parent": "x"}, 422),
    ],
)
def test_wrong_requests_get_a_problem_document(
    client: FlaskClient, method: str, address: str, body: Any, status: int
) -> None:
    """Errors explain themselves in one shape."""
    answer = getattr(client, method)(address, json=body) if body is not None else getattr(client, method)(address)
    assert answer.status_code == status
    assert answer.mimetype == "application/problem+json"
    assert answer.get_json()["problems"][0]["message"]


def test_the_published_api_document_is_current(client: FlaskClient) -> None:
    """The front end's types are made from it."""
    published = json.loads((ROOT / "docs/openapi.json").read_text())
    assert client.get("/api/openapi.json").get_json() == published, "run tools/write_schemas.py and npm run api"
    usual = json.loads((ROOT / "frontend/src/client/usual_figure.json").read_text())
    assert FigureOptions().model_dump(mode="json") == usual, "run tools/write_schemas.py"
    schema = json.loads((ROOT / "src/dusk_arrow/results/schemas/check.json").read_text())
    assert CheckDocument.model_json_schema(mode="serialization") == schema, "run tools/write_schemas.py"


def test_demo_is_loaded_once(records: Sessions, client: FlaskClient) -> None:
    """A removed demo stays removed; a second start adds nothing."""
    assert load_demo(records, DEMO) == ["Night Ferry", "River Wardens"]
    assert load_demo(records, DEMO) == []
    demo = [p for p in client.get("/api/projects").get_json()["projects"] if p["demo"]]
    client.patch(f"/api/projects/{demo[0]['id']}", json={"removed": True})
    assert load_demo(records, DEMO) == []
    project = client.get(f"/api/projects/{demo[0]['id']}").get_json()
    assert next(c for c in project["columns"] if c["name"] == "tr1")["label"]
    state = client.get(f"/api/models/{project['models'][0]['id']}").get_json()
    assert state["estimated"]


def test_parts_of_a_document_are_sent_once(client: FlaskClient, model: dict[str, Any]) -> None:
    """A screen opened again must not fetch, and the server not compute, what cannot have changed."""
    state = change(client, model, THEORY).get_json()
    assert len(json.dumps(state)) < 20_000
    address = f"/api/models/{state['id']}/revisions/{state['shown']['revision']}"
    first = client.get(f"{address}/estimates")
    again = client.get(f"{address}/estimates", headers={"If-None-Match": first.headers["ETag"]})
    assert (first.status_code, again.status_code, again.data) == (200, 304, b"")
    assert client.get(f"{address}/quality", headers={"If-None-Match": first.headers["ETag"]}).status_code == 200
    packed = client.get(f"{address}/estimates", headers={"Accept-Encoding": "br"})
    assert packed.headers["Content-Encoding"] == "br"
    assert len(packed.data) < len(first.data) / 3
    for name, key in (("residuals", "residuals"), ("modification", "modification"), ("quality", "quality")):
        assert part(client, state, name)[key]
    content = (DEMO / "river_wardens.csv").read_bytes()
    elsewhere = upload(client, content, "river_wardens.csv").get_json()["model_id"]
    foreign = client.get(f"/api/models/{elsewhere}").get_json()["revision"]["id"]
    assert client.get(f"/api/models/{state['id']}/revisions/{foreign}/estimates").status_code == 404
    assert client.get(f"{address}/estimates?run=999999").status_code == 404


def test_the_board_shows_what_the_document_says(client: FlaskClient, model: dict[str, Any]) -> None:
    """Cards and arrows carry their numbers, judged; nobody computes them a second time in the browser."""
    state = change(client, model, THEORY).get_json()
    estimates, quality = part(client, state, "estimates"), part(client, state, "quality")["quality"]
    cards = {card["name"]: card for card in state["board"]["cards"]}
    assert cards["Efficacy"]["share"] == estimates["r_squared"]["Efficacy"]
    assert cards["Effort"]["share"] is None
    rows = {row["indicator"]: row for row in cards["Support"]["rows"]}
    loading = next(one["loading"] for one in quality["loadings"] if one["indicator"] == "su4")
    assert (rows["su4"]["value"], rows["su4"]["verdict"], rows["su4"]["impossible"]) == (loading, "misses", False)
    assert rows["su1"]["verdict"] == "meets"
    assert {row["verdict"] for row in cards["Effort"]["rows"]} == {"none"}
    arrow = next(a for a in state["board"]["arrows"] if a["to"] == "Efficacy")
    parameter = next(p for p in estimates["parameters"] if p["kind"] == "path" and p["to"] == "Efficacy")
    assert (arrow["standardized"], arrow["free"]) == (parameter["standardized"], True)
    assert arrow["interval"] == parameter["standardized_interval"]


def test_what_there_is_to_choose_from(client: FlaskClient) -> None:
    """Menus and file pickers are made from it; every value must be one that the settings take."""
    found = client.get("/api/choices").get_json()
    assert [family["key"] for family in found["families"]] == ["covariance", "composite"]
    for family in found["families"]:
        for option in family["options"]:
            for choice in option["choices"]:
                assert Settings(**{"family": family["key"], option["name"]: choice["value"]})
            default = getattr(Settings(family=family["key"]), option["name"])
            assert default == (option["choices"][0]["value"] if option["choices"] else False)
    for option in found["run"]:
        numbers = option["numbers"] or {"default": option["choices"][0]["value"], "offered": []}
        assert getattr(Settings(), option["name"]) == numbers["default"]
        values = [*numbers["offered"], *(choice["value"] for choice in option["choices"])]
        assert all(getattr(Settings(**{option["name"]: value}), option["name"]) == value for value in values)
    assert {f["key"]: f["writes"] for f in found["formats"] if f["writes"]} == {
        "csv": ["data", "table"], "xlsx": ["data", "table"], "sav": ["data"],
    }  # fmt: skip
