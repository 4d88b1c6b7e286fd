"""Data over the API: previews that store nothing, steps, cases, the next file, files out; settings and comparisons."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.exchange.reading import read_file
from dusk_arrow.records.database import Sessions
from dusk_arrow.server.app import create_app
from tests.conftest import DEMO, demo_text
from tests.server.parts import fit, part, send

RIVER = (DEMO / "river_wardens.csv").read_bytes()


def step(client: FlaskClient, model: str, way: str) -> Any:
    """Undo or redo from where the model stands."""
    parent = client.get(model).get_json()["revision"]["id"]
    return client.post(f"{model}/{way}", json={"parent": parent})


@pytest.fixture(scope="module")
def client(records: Sessions) -> Iterator[FlaskClient]:
    app = create_app(records, workers=1)
    load_demo(records, DEMO)
    yield app.test_client()
    app.extensions["dusk_arrow"].close()


@pytest.fixture
def created(client: FlaskClient) -> dict[str, Any]:
    found = send(client, "/api/projects", RIVER, "river_wardens.csv").get_json()
    state = client.get(f"/api/models/{found['model_id']}").get_json()
    body = {
        "parent": state["revision"]["id"],
        "changes": [{"type": "replace_text", "text": demo_text("river_wardens")}],
    }
    assert client.post(f"/api/models/{found['model_id']}/revisions", json=body).status_code == 200
    return dict(found)


def steps_of(client: FlaskClient, project: int) -> Any:
    return client.get(f"/api/projects/{project}/steps").get_json()


def record(client: FlaskClient, project: int, *steps: dict[str, Any]) -> Any:
    parent = steps_of(client, project)["data_version_id"]
    return client.put(f"/api/projects/{project}/steps", json={"parent": parent, "steps": list(steps)})


def model(client: FlaskClient, created: dict[str, Any]) -> Any:
    return client.get(f"/api/models/{created['model_id']}").get_json()


RECODE = {"type": "reverse", "columns": ["su4"], "low": 1, "high": 7, "on": True}


def test_previews_store_nothing_and_repairs_can_be_sent_back(client: FlaskClient) -> None:
    """Every repair that a preview offers is accepted as it was offered."""
    before = len(client.get("/api/projects").get_json()["projects"])
    content = b"a;a\n1;n/a\n2;2\n3;3\n4;4\n"
    found = send(client, "/api/previews", content).get_json()
    assert (found["usable"], found["delimiter"]) == (False, ";")
    options = found["problems"][0]["repairs"][0]["change"]["options"]
    found = send(client, "/api/previews", content, options=options).get_json()
    assert [c["name"] for c in found["columns"]] == ["a", "a_2"]
    step = found["problems"][0]["repairs"][0]["change"]
    found = send(
        client, "/api/previews", content, options=options, steps=[step], names="a, First\na_2, Second"
    ).get_json()
    assert found["columns"][1]["numeric"]
    assert found["columns"][1]["label"] == "Second"
    assert found["usable"]
    assert found["n_cases"] == 4
    assert len(client.get("/api/projects").get_json()["projects"]) == before
    made = send(client, "/api/projects", content, options=options, steps=[step], name="2024")
    assert made.status_code == 201
    project = client.get(f"/api/projects/{made.get_json()['project_id']}").get_json()
    assert (project["name"], project["columns"][1]["missing"]) == ("2024", 1)
    assert send(client, "/api/previews", content, options={"nonsense": 1}).status_code == 422


def test_a_matrix_makes_a_project_that_is_estimated(client: FlaskClient) -> None:
    """A published matrix is enough for a model; what needs cases is refused in words."""
    content = (DEMO / "river_wardens_covariance.csv").read_bytes()
    asked = send(client, "/api/previews", content, "m.csv").get_json()
    assert asked["kind"] == "matrix"
    made = send(client, "/api/projects", content, "m.csv", options={"n": 349}).get_json()
    project = client.get(f"/api/projects/{made['project_id']}").get_json()
    assert (project["data_kind"], project["n_cases"]) == ("matrix", 349)
    state = client.get(f"/api/models/{made['model_id']}").get_json()
    change = {
        "type": "add_construct",
        "name": "Training",
        "indicators": ["tr1", "tr2", "tr3", "tr4"],
        "mode": "reflective",
    }
    body = {"parent": state["revision"]["id"], "changes": [change]}
    state = client.post(f"/api/models/{made['model_id']}/revisions", json=body).get_json()
    assert state["estimated"]
    for address in ("screening", "cases", "data.csv"):
        assert client.get(f"/api/projects/{made['project_id']}/{address}").status_code == 422
    assert client.post(f"/api/models/{made['model_id']}/runs", json={"resamples": 100}).status_code == 422
    assert client.get(f"/api/projects/{made['project_id']}/tables/correlations.csv").status_code == 200


def test_steps_reestimate_the_models_and_can_be_undone(client: FlaskClient, created: dict[str, Any]) -> None:
    """The trail says what changed in the data; undo of the model goes back to the data it had."""
    project = created["project_id"]
    first = model(client, created)
    answer = record(client, project, RECODE).get_json()
    assert answer["steps"][0]["words"] == "su4 recoded the other way round (1 to 7)"
    assert answer["models_changed"] == ["Model 1"]
    second = model(client, created)
    assert second["revision"]["words"] == "data: su4 recoded the other way round (1 to 7)"

    def loading(state: Any) -> float:
        return float(
            next(p["standardized"] for p in part(client, state, "estimates")["parameters"] if p["to"] == "su4")
        )

    assert loading(second) == pytest.approx(-loading(first), abs=1e-6)
    assert fit(client, second)["chi_square"] == pytest.approx(fit(client, first)["chi_square"], abs=1e-6)
    undone = step(client, f"/api/models/{created['model_id']}", "undo").get_json()
    assert loading(undone) == pytest.approx(loading(first))
    assert undone["revision"]["data_version_id"] != client.get(f"/api/projects/{project}").get_json()["data_version_id"]
    address = f"/api/projects/{project}/models/{created['model_id']}/present-data"
    assert client.post(address).status_code == 200
    present = model(client, created)
    assert loading(present) == pytest.approx(loading(second))
    assert present["revision"]["words"] == "data: as they are now"
    assert client.post(f"/api/projects/{project}/models/1/present-data").status_code == 404
    assert record(client, project, RECODE | {"low": 2}).status_code == 422
    assert record(client, project).status_code == 200
    stale = {"parent": 1, "steps": []}
    assert client.put(f"/api/projects/{project}/steps", json=stale).status_code == 409


def test_a_renamed_column_is_renamed_in_every_model(client: FlaskClient, created: dict[str, Any]) -> None:
    """And called by its old name again when the step is taken out."""
    project = created["project_id"]
    step = {"type": "rename_column", "column": "tr1", "to": "training_clear", "on": True}
    assert record(client, project, step).status_code == 200
    state = model(client, created)
    assert "training_clear" in state["sentences"]
    assert state["estimated"]
    assert record(client, project, step | {"to": "clear"}).status_code == 200
    assert "clear, tr2" in model(client, created)["sentences"]
    assert record(client, project).status_code == 200
    state = model(client, created)
    assert "tr1, tr2" in state["sentences"]
    assert state["estimated"]


def test_cases_are_shown_sorted_held_out_and_taken_back(client: FlaskClient, created: dict[str, Any]) -> None:
    """A case held out keeps its place in the table and its number."""
    project = created["project_id"]
    record(client, project, {"type": "hold_out", "cases": [3, 7], "reason": "far", "on": True})
    found = client.get(f"/api/projects/{project}/cases?offset=0&limit=10").get_json()
    assert found["total"] == 412
    assert [c["case"] for c in found["cases"] if c["held_out"]] == [3, 7]
    assert found["cases"][2]["reason"] == "far"
    assert client.get(f"/api/projects/{project}").get_json()["n_cases"] == 410
    down = client.get(f"/api/projects/{project}/cases?sort=age&descending=true&limit=3").get_json()
    at = down["columns"].index("age")
    ages = [c["values"][at] for c in down["cases"]]
    assert ages == sorted(ages, reverse=True)
    texts = client.get(f"/api/projects/{project}/cases?sort=catchment&limit=2").get_json()
    assert texts["cases"][0]["values"][texts["columns"].index("catchment")] == "lowland"
    screening = client.get(f"/api/projects/{project}/screening").get_json()["screening"]
    assert not {3, 7} & {d["case"] for d in screening["mahalanobis"]}


def test_the_next_file_takes_the_place_of_the_data(client: FlaskClient, created: dict[str, Any]) -> None:
    """Steps stay, models move, and what differs is said before anything is stored."""
    project = created["project_id"]
    record(client, project, RECODE, {"type": "hold_out", "cases": [1], "reason": None, "on": True})
    lines = RIVER.decode().splitlines()
    following = "\n".join([lines[0] + ",mood", *(line + ",1" for line in lines[1:301])]).encode()
    found = send(client, f"/api/projects/{project}/next-file-previews", following, "wave2.csv").get_json()["report"]
    assert (found["cases_before"], found["cases_after"], found["columns_new"]) == (411, 300, ["mood"])
    assert client.get(f"/api/projects/{project}").get_json()["n_cases"] == 411
    done = send(client, f"/api/projects/{project}/next-files", following, "wave2.csv")
    assert done.status_code == 201
    assert done.get_json()["models_changed"] == ["Model 1"]
    assert client.get(f"/api/projects/{project}").get_json()["data_name"] == "wave2"
    assert [line["step"]["type"] for line in steps_of(client, project)["steps"]] == ["reverse"]
    assert model(client, created)["revision"]["words"] == "data: next file wave2, 300 cases"


@pytest.mark.parametrize("ending", ["csv", "xlsx", "sav"])
def test_data_go_out_as_they_are_used(client: FlaskClient, created: dict[str, Any], ending: str) -> None:
    """After all steps, in each format, readable again."""
    record(client, created["project_id"], RECODE)
    answer = client.get(f"/api/projects/{created['project_id']}/data.{ending}")
    assert answer.status_code == 200
    again = read_file(answer.data, f"x.{ending}").data.column("su4").numbers
    was = read_file(RIVER, "x.csv").data.column("su4").numbers
    assert again is not None
    assert was is not None
    assert (8 - again)[0] == was[0]
    for table in ("screening", "correlations", "covariances"):
        found = client.get(f"/api/projects/{created['project_id']}/tables/{table}.xlsx")
        assert found.status_code == 200
        assert found.data[:2] == b"PK"
    steps = client.get(f"/api/projects/{created['project_id']}/steps.json").get_json()
    assert steps["steps"] == [RECODE]


def test_settings_are_revisions(client: FlaskClient, created: dict[str, Any]) -> None:
    """Another estimator changes the numbers, says so on the trail, and is undone like anything else."""
    state = model(client, created)
    settings = state["settings"] | {"missing": "full-information", "errors": "sandwich"}
    body = {"parent": state["revision"]["id"], "settings": settings}
    changed = client.put(f"/api/models/{created['model_id']}/settings", json=body).get_json()
    assert changed["shown"]["n_used"] == 412
    assert fit(client, changed)["scaled"]["scaling_factor"] > 0
    assert "full information" in changed["revision"]["words"]
    assert client.put(f"/api/models/{created['model_id']}/settings", json=body).status_code == 409
    undone = step(client, f"/api/models/{created['model_id']}", "undo").get_json()
    assert undone["shown"]["n_used"] == 349
    covariances = client.get(f"/api/models/{created['model_id']}/estimates.csv").data.decode().splitlines()
    assert covariances[0].startswith("covariances,")
    assert "Training → tr2" in covariances[0]
    assert len(covariances) == 2 * (64 + 1)
    scores = client.get(f"/api/models/{created['model_id']}/scores.csv?method=bartlett").data.decode().splitlines()
    assert scores[0].startswith("case,Training")
    assert len(scores) == 413


def test_the_family_is_switched_and_switched_back(client: FlaskClient, created: dict[str, Any]) -> None:
    """One model, two families: the board, the readout and every part follow, and undo brings back the digits of before."""
    address = f"/api/models/{created['model_id']}"
    state = client.get(address).get_json()
    body = {
        "parent": state["revision"]["id"],
        "changes": [{"type": "replace_text", "text": demo_text("river_wardens")}],
    }
    factors = client.post(f"{address}/revisions", json=body).get_json()
    settings = {**factors["settings"], "family": "composite", "estimator": "plsc"}
    found = client.put(
        f"{address}/settings", json={"parent": factors["revision"]["id"], "settings": settings}
    ).get_json()
    assert found["estimated"]
    assert found["revision"]["words"] == "estimated: composites, consistent PLS"
    assert [f["key"] for f in found["readout"]][:2] == ["srmr", "r_squared.Efficacy"]
    assert (found["shown"]["df"], found["shown"]["aic"]) == (None, None)
    arrow = next(a for a in found["board"]["arrows"] if (a["from"], a["to"]) == ("Efficacy", "Stewardship"))
    estimates = part(client, found, "estimates")
    path = next(p for p in estimates["parameters"] if (p["from"], p["to"]) == ("Efficacy", "Stewardship"))
    assert (arrow["standardized"], arrow["interval"]) == (path["standardized"], None)
    distances = part(client, found, "fit")["fit"]
    assert distances["chi_square"] is None
    assert distances["measurement_part"]["srmr"] < distances["srmr"]
    wrong = client.put(
        f"{address}/settings", json={"parent": found["revision"]["id"], "settings": {**settings, "estimator": "ml"}}
    )
    assert wrong.status_code == 422
    assert client.get(f"{address}/figure.svg").status_code == 200
    assert client.get(f"{address}/scores.csv").status_code == 200
    assert client.get(f"{address}/paths-at-zero").get_json()["tests"] == []
    both = [factors["revision"]["id"], found["revision"]["id"]]
    compared = client.post(f"/api/projects/{created['project_id']}/comparisons", json={"revisions": both}).get_json()
    assert [m["family"] for m in compared["models"]] == ["covariance", "composite"]
    assert compared["pairs"][0]["difference"] is None
    assert "no χ²" in compared["pairs"][0]["reason"]
    also = {"models": [created["model_id"]], "also": [{"model": created["model_id"], "family": "covariance"}]}
    beside = client.post(f"/api/projects/{created['project_id']}/comparisons", json=also).get_json()
    assert [m["family"] for m in beside["models"]] == ["composite", "covariance"]
    assert beside["models"][1]["name"].endswith("as common factors")
    assert beside["models"][1]["fit"]["cfi"] == part(client, factors, "fit")["fit"]["cfi"]
    assert (beside["models"][0]["differs"], len(beside["models"][1]["differs"])) == ([], 3)
    assert [(pair["first"], pair["second"]) for pair in beside["pairs"]] == [(0, 1)]
    trail = client.get(f"{address}/trail").get_json()
    assert trail["revisions"][-1]["figures"]["values"]["cfi"] is None
    back = client.post(f"{address}/undo", json={"parent": found["revision"]["id"]}).get_json()
    assert [f["value"] for f in back["readout"]] == [f["value"] for f in factors["readout"]]


def test_verdicts_follow_the_cut_offs_of_the_project(client: FlaskClient, created: dict[str, Any]) -> None:
    """A preset, or one's own: readout, board and what-ifs change their verdicts, and no figure changes."""
    address = f"/api/models/{created['model_id']}"
    state = client.get(address).get_json()
    body = {
        "parent": state["revision"]["id"],
        "changes": [{"type": "replace_text", "text": demo_text("river_wardens")}],
    }
    usual = client.post(f"{address}/revisions", json=body).get_json()
    sheet = f"/api/projects/{created['project_id']}/criteria"
    assert client.get(sheet).get_json()["preset"] == "usual"
    answer = client.put(sheet, json={"preset": "strict", "own": {"loading": [0.8, 0.75], "ave": [0.4, None]}})
    assert answer.get_json()["words"] == "strict cut-offs, 2 of them your own"
    assert client.get(sheet).get_json() == answer.get_json()
    strict = client.get(address).get_json()
    assert [f["value"] for f in strict["readout"]] == [f["value"] for f in usual["readout"]]
    verdicts = [{f["key"]: f["verdict"] for f in found["readout"]} for found in (usual, strict)]
    assert (verdicts[0]["lowest_ave"], verdicts[1]["lowest_ave"]) == ("misses", "meets")
    rows = [
        {row["indicator"]: row["verdict"] for card in found["board"]["cards"] for row in card["rows"]}
        for found in (usual, strict)
    ]
    assert (rows[0]["tr2"], rows[1]["tr2"]) == ("meets", "misses")
    items = client.get(f"{address}/item-what-ifs").get_json()["items"]
    ave = next(f for row in items if row["indicator"] == "ef5" for f in row["figures"] if f["key"] == "ave")
    assert (ave["verdict_now"], ave["crosses"]) == ("meets", False)
    for wrong, code in (
        ({"own": {"cfi": [0.9, 0.95]}}, "wrong_bounds"),
        ({"own": {"chi_square": [3, 5]}}, "wrong_bounds"),
        ({"own": {"nothing": [1, 2]}}, "unknown_figure"),
    ):
        refused = client.put(sheet, json=wrong)
        assert refused.status_code == 422
        assert refused.get_json()["problems"][0]["code"] == code
    assert client.put(sheet, json={"preset": "loose"}).status_code == 422
    assert client.get("/api/criteria").get_json()["preset"] == "usual"
    other = client.get(f"/api/projects/{created['project_id']}/criteria").get_json()
    assert other["preset"] == "strict"


def test_models_of_a_project_stand_side_by_side(client: FlaskClient, created: dict[str, Any]) -> None:
    """A copy without a path is nested; the last model cannot be put away."""
    project = created["project_id"]
    body = {"name": "No shortcut", "copy_of": created["model_id"]}
    other = client.post(f"/api/projects/{project}/models", json=body).get_json()["model_id"]
    assert client.post(f"/api/projects/{project}/models", json=body).status_code == 422
    state = client.get(f"/api/models/{other}").get_json()
    change = {"type": "remove_path", "source": "Training", "target": "Persistence"}
    client.post(f"/api/models/{other}/revisions", json={"parent": state["revision"]["id"], "changes": [change]})
    found = client.post(
        f"/api/projects/{project}/comparisons", json={"models": [created["model_id"], other]}
    ).get_json()
    pair = found["pairs"][0]
    assert pair["nested"]
    assert pair["difference"]["df"] == 1
    assert pair["difference"]["chi_square"] == pytest.approx(5.57, abs=0.01)
    assert sum(m["aic_weight"] for m in found["models"]) == pytest.approx(1)
    tests = client.get(f"/api/models/{created['model_id']}/paths-at-zero").get_json()["tests"]
    shortcut = next(t for t in tests if (t["from"], t["to"]) == ("Training", "Persistence"))
    assert shortcut["difference"]["chi_square"] == pytest.approx(pair["difference"]["chi_square"], abs=1e-4)
    asked = {
        "hypothesis": "equal",
        "parameters": [
            {"kind": "loading", "from": "Training", "to": "tr2"},
            {"kind": "loading", "from": "Training", "to": "tr3"},
        ],
    }
    joint = client.post(f"/api/models/{other}/joint-tests", json=asked).get_json()
    assert joint["df"] == 1
    assert joint["wald"] == pytest.approx(joint["difference"]["chi_square"], rel=0.2)
    fixed = {"hypothesis": "zero", "parameters": [{"kind": "loading", "from": "Training", "to": "tr1"}]}
    assert client.post(f"/api/models/{other}/joint-tests", json=fixed).status_code == 422
    assert client.patch(f"/api/models/{other}", json={"removed": True}).status_code == 200
    assert client.patch(f"/api/models/{created['model_id']}", json={"removed": True}).status_code == 422


def test_every_method_has_its_page(client: FlaskClient) -> None:
    """The links of the interface lead to pages with formulas and sources, and nowhere else in the file system."""
    for name in ("README", "data", "estimation", "fit", "quality", "screening", "effects"):
        page = client.get(f"/methods/{name}")
        assert page.status_code == 200
        assert b"<h1>" in page.data
    assert b"<table>" in client.get("/methods/fit").data
    assert b'href="estimation"' in client.get("/methods/README").data
    assert client.get("/methods/nothing").status_code == 404
    assert client.get("/methods/..%2f..%2fREADME").status_code == 404


def test_the_lens_offers_the_recode_of_a_reversed_item(client: FlaskClient, created: dict[str, Any]) -> None:
    """The repair of the model's warning is a recorded step that makes the warning go away."""
    warnings = {p["code"]: p for p in model(client, created)["problems"]}
    repair = warnings["runs_against_block"]["repairs"][0]
    assert repair["words"] == "Recode su4 (1 to 7)"
    assert record(client, created["project_id"], repair["change"]).status_code == 200
    after = {p["code"] for p in model(client, created)["problems"]}
    assert "runs_against_block" not in after


def test_weights_are_kept_and_said_not_to_be_used(client: FlaskClient, created: dict[str, Any]) -> None:
    """Nobody should believe that a survey weight was applied when it was not."""
    record(client, created["project_id"], {"type": "weight_cases", "column": "readings", "on": True})
    found = {p["code"]: p["message"] for p in model(client, created)["problems"]}
    assert "readings are not used" in found["weights_not_used"]
