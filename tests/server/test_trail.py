"""The trail over the API: what every revision did, going back, branches, reasons, and that nothing is ever lost on it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.server.models import CHANGE
from tests.conftest import DEMO, demo_text
from tests.server.parts import fit, part
from tests.server.test_api import change, step, upload


@pytest.fixture
def model(client: FlaskClient) -> dict[str, Any]:
    """The theory of the demo study on its data."""
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()
    state = client.get(f"/api/models/{created['model_id']}").get_json()
    return dict(change(client, state, {"type": "replace_text", "text": demo_text("river_wardens")}).get_json())


def trail_of(client: FlaskClient, state: dict[str, Any]) -> dict[str, Any]:
    """The whole trail, asked for until the figures of all revisions are known."""
    for _ in range(50):
        found: dict[str, Any] = client.get(f"/api/models/{state['id']}/trail").get_json()
        if found["complete"]:
            return found
    raise AssertionError("the figures of the trail were never complete")


def go_back(client: FlaskClient, state: dict[str, Any], revision: int) -> Any:
    body = {"parent": state["revision"]["id"], "revision": revision}
    return client.post(f"/api/models/{state['id']}/back", json=body)


ASIDE = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": "asks about tools"}
COVARY = {"type": "set_covariance", "first": "st1", "second": "st2", "free": True}


def test_every_revision_has_its_figures(client: FlaskClient, model: dict[str, Any]) -> None:
    """The line of the trail is drawn through the figures that the documents have, and says where the data are others."""
    second = change(client, model, COVARY, reason="nearly the same wording", prompted="data").get_json()
    third = change(client, second, ASIDE).get_json()
    found = trail_of(client, third)
    empty, theory, covary, aside = found["revisions"]
    assert found["head"] == aside["id"] == third["revision"]["id"]
    assert (empty["figures"]["estimated"], empty["parent"]) == (False, None)
    for line, state in ((theory, model), (covary, second), (aside, third)):
        figures = fit(client, state)
        assert line["figures"]["values"]["cfi"] == figures["cfi"]
        assert line["figures"]["values"]["chi_square"] == figures["chi_square"]
        assert (line["figures"]["df"], line["figures"]["n_used"]) == (figures["df"], state["shown"]["n_used"])
    assert [line["other_data"] for line in found["revisions"]] == [False, False, False, True]
    assert [line["prompted"] for line in found["revisions"]] == ["own", "own", "data", "own"]
    assert covary["reason"] == "nearly the same wording"
    assert {"key": "cfi", "label": "CFI", "decimals": 3} in found["indices"]


def test_what_is_set_aside_keeps_its_figures(client: FlaskClient, model: dict[str, Any]) -> None:
    """Months later one has to say what the item's loading was when it went, and what that did."""
    kept = change(
        client, model, {"type": "keep", "construct": "Training", "indicator": "tr4", "reason": "the only one"}
    )
    quality = part(client, kept.get_json(), "quality")["quality"]
    before = next(p["loading"] for p in quality["loadings"] if p["indicator"] == "ef5")
    ave = {c["name"]: c["ave"] for c in quality["constructs"]}["Efficacy"]
    aside = change(client, kept.get_json(), ASIDE).get_json()
    later = change(client, aside, COVARY).get_json()
    found = trail_of(client, later)
    (entry,) = found["aside"]
    assert (entry["indicator"], entry["construct"], entry["reason"]) == ("ef5", "Efficacy", "asks about tools")
    assert entry["revision"] == aside["revision"]["id"], "not of the revision it happened to be looked at"
    assert (entry["loading_then"], entry["ave_before"]) == (before, ave)
    after = {c["name"]: c["ave"] for c in part(client, aside, "quality")["quality"]["constructs"]}["Efficacy"]
    assert entry["ave_after"] == after > ave
    assert found["kept"] == [{"indicator": "tr4", "construct": "Training", "reason": "the only one"}]


def test_cases_that_were_removed_stand_there_with_their_reasons(client: FlaskClient, model: dict[str, Any]) -> None:
    """Items are not all that is taken out: whom a step left out and why, and how many lacked an answer, sum to what is analysed."""
    steps = [
        {"type": "hold_out", "cases": [3, 9], "reason": "pilot interviews"},
        {"type": "keep_cases", "condition": "age >= 30", "reason": None},
    ]
    address = f"/api/projects/{model['project_id']}/steps"
    answer = client.put(address, json={"steps": steps, "parent": client.get(address).get_json()["data_version_id"]})
    assert answer.status_code == 200, answer.get_json()
    found = trail_of(client, model)["removed"]
    assert [one["reason"] for one in found] == ["pilot interviews", None, None]
    assert found[2]["words"] == "an answer missing in a column in use (listwise deletion)"
    assert found[0]["cases"] == 2
    state = client.get(f"/api/models/{model['id']}").get_json()
    assert 412 - sum(one["cases"] for one in found) == state["shown"]["n_used"]


def test_going_back_begins_a_branch(client: FlaskClient, model: dict[str, Any]) -> None:
    """What came after stays on the trail, redo leads where one came from, and undo from the branch to its root."""
    aside = change(client, model, ASIDE).get_json()
    covary = change(client, aside, COVARY).get_json()
    back = go_back(client, covary, model["revision"]["id"]).get_json()
    assert back["sentences"] == model["sentences"]
    assert back["can_redo"]
    forward = step(client, f"/api/models/{model['id']}", "redo").get_json()
    assert forward["revision"]["id"] == aside["revision"]["id"]
    back = go_back(client, forward, model["revision"]["id"]).get_json()
    branch = change(client, back, {"type": "remove_path", "source": "Training", "target": "Persistence"}).get_json()
    found = trail_of(client, branch)
    parents = {line["id"]: line["parent"] for line in found["revisions"]}
    assert parents[branch["revision"]["id"]] == parents[aside["revision"]["id"]] == model["revision"]["id"]
    assert covary["revision"]["id"] in parents
    again = go_back(client, branch, covary["revision"]["id"]).get_json()
    assert again["sentences"] == covary["sentences"]
    undone = step(client, f"/api/models/{model['id']}", "undo").get_json()
    assert undone["revision"]["id"] == aside["revision"]["id"]


def test_reasons_names_and_notes_are_edited_later(client: FlaskClient, model: dict[str, Any]) -> None:
    """What a revision says never changes; why, its name and who had the idea do."""
    address = f"/api/models/{model['id']}/revisions/{model['revision']['id']}"
    body = {"name": " The theory ", "note": "as registered", "reason": "Smith (2020)", "prompted": "data"}
    line = client.patch(address, json=body).get_json()["revisions"][-1]
    assert (line["name"], line["note"], line["reason"], line["prompted"]) == (
        "The theory", "as registered", "Smith (2020)", "data",
    )  # fmt: skip
    line = client.patch(address, json={"note": ""}).get_json()["revisions"][-1]
    assert (line["name"], line["note"]) == ("The theory", None)
    after = client.get(f"/api/models/{model['id']}").get_json()
    assert after["sentences"] == model["sentences"]
    assert after["revision"]["reason"] == "Smith (2020)"


def test_what_a_revision_did(client: FlaskClient, model: dict[str, Any]) -> None:
    """Its figures beside those before, and the test where one model is nested in the other."""
    covary = change(client, model, COVARY).get_json()
    effect = client.get(f"/api/models/{model['id']}/revisions/{covary['revision']['id']}/effect").get_json()
    fell = fit(client, model)["chi_square"] - fit(client, covary)["chi_square"]
    assert effect["nested"]
    assert effect["difference"]["chi_square"] == pytest.approx(fell, rel=1e-6)
    assert effect["difference"]["df"] == 1
    by_key = {figure["key"]: figure for figure in effect["readout"]}
    assert by_key["cfi"]["change"] == pytest.approx(fit(client, covary)["cfi"] - fit(client, model)["cfi"])
    aside = change(client, covary, ASIDE).get_json()
    other = client.get(f"/api/models/{model['id']}/revisions/{aside['revision']['id']}/effect").get_json()
    assert (other["nested"], other["difference"]) == (False, None)
    assert other["message"]
    broken = change(client, aside, {"type": "add_path", "source": "Training", "target": "Effort"}).get_json()
    none = client.get(f"/api/models/{model['id']}/revisions/{broken['revision']['id']}/effect").get_json()
    assert none["readout"] == []
    assert "Effort" in none["message"]


def test_two_revisions_stand_side_by_side(client: FlaskClient, model: dict[str, Any]) -> None:
    """Compare takes revisions of the trail as it takes models, and refuses those of another project."""
    covary = change(client, model, COVARY).get_json()
    address = f"/api/projects/{model['project_id']}/comparisons"
    ids = [model["revision"]["id"], covary["revision"]["id"]]
    found = client.post(address, json={"revisions": ids}).get_json()
    assert [m["id"] for m in found["models"]] == ids
    assert "st1 and st2 covary" in found["models"][1]["name"]
    assert found["pairs"][0]["nested"]
    assert client.post(address, json={"models": [], "revisions": []}).status_code == 422
    other = client.post("/api/projects", data={}).status_code
    assert other == 422
    stranger = upload(client, (DEMO / "night_ferry.csv").read_bytes(), "night_ferry.csv").get_json()
    elsewhere = f"/api/projects/{stranger['project_id']}/comparisons"
    assert client.post(elsewhere, json={"revisions": ids}).status_code == 404


def test_unknown_and_stale_requests(client: FlaskClient, model: dict[str, Any]) -> None:
    """A revision of another model is not found, and whoever looks at an old head is told."""
    other = upload(client, (DEMO / "night_ferry.csv").read_bytes(), "night_ferry.csv").get_json()["model_id"]
    number = model["revision"]["id"]
    assert client.get(f"/api/models/{other}/revisions/{number}/effect").status_code == 404
    assert client.patch(f"/api/models/{other}/revisions/{number}", json={"name": "x"}).status_code == 404
    covary = change(client, model, COVARY).get_json()
    assert go_back(client, model, number).status_code == 409
    assert go_back(client, covary, 10**9).status_code == 404
    assert client.get("/api/models/999999/trail").status_code == 404


def test_measurement_first(client: FlaskClient, model: dict[str, Any]) -> None:
    """One switch estimates the measurement model alone; drawing a path turns the structure on again, in one revision."""
    body = {"parent": model["revision"]["id"], "settings": model["settings"] | {"part": "measurement"}}
    alone = client.put(f"/api/models/{model['id']}/settings", json=body).get_json()
    assert alone["estimated"]
    assert alone["sentences"] == model["sentences"], "the paths wait"
    assert "measurement_only" in {p["code"] for p in alone["problems"]}
    assert alone["board"]["arrows"] == []
    names = [card["name"] for card in alone["board"]["cards"]]
    assert len(alone["board"]["arcs"]) == len(names) * (len(names) - 1) / 2
    assert "Effort" not in names, "a formative construct is measured by nothing but what it leads to"
    hand = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()["model_id"]
    begun = client.get(f"/api/models/{hand}").get_json()
    text = "\n".join(line for line in demo_text("river_wardens").splitlines() if "shows in" in line)
    by_hand = change(client, begun, {"type": "replace_text", "text": text}).get_json()
    assert fit(client, alone)["chi_square"] == pytest.approx(fit(client, by_hand)["chi_square"], rel=1e-9)
    drawn = change(client, alone, {"type": "add_path", "source": "Effort", "target": "Efficacy"}).get_json()
    assert drawn["settings"]["part"] == "whole"
    assert len(drawn["board"]["arrows"]) == len(model["board"]["arrows"]) + 1
    assert step(client, f"/api/models/{model['id']}", "undo").get_json()["settings"]["part"] == "measurement"


def random_change(rng: np.random.Generator, state: dict[str, Any]) -> dict[str, Any]:
    """Something that somebody could do with a model as it stands; whether it makes sense is for the server to say."""
    constructs = state["constructs"]
    names = [c["name"] for c in constructs]
    items = [(c["name"], i) for c in constructs for i in c["indicators"]]
    owner, item = items[rng.integers(len(items))]
    one, other = (names[i] for i in rng.choice(len(names), 2, replace=False))
    key = {"kind": "loading", "source": owner, "target": item}
    choices: list[dict[str, Any]] = [
        {"type": "set_aside", "construct": owner, "indicator": item, "reason": None},
        {"type": "move_indicator", "indicator": item, "construct": owner, "to": one},
        {"type": "add_path", "source": one, "target": other},
        {"type": "make_marker", "construct": owner, "indicator": item},
        {"type": "set_covariance", "first": item, "second": items[rng.integers(len(items))][1], "free": True},
        {"type": "rename", "name": one, "to": f"{one}x"[-40:]},
        {"type": "hold", "parameters": [key], "value": float(rng.integers(1, 4)) / 2},
        {"type": "free", "parameters": [key]},
        {"type": "keep", "construct": owner, "indicator": item, "essential": bool(rng.integers(2))},
        {"type": "duplicate_construct", "name": one, "to": f"{one} 2"[-40:]},
        {"type": "order_indicators", "construct": owner, "indicators": [item]},
        {"type": "add_sentence", "sentence": f"# remark {rng.integers(1000)}"},
    ]
    for construct in constructs:
        choices += [
            {"type": "take_back", "construct": construct["name"], "indicator": a["indicator"]}
            for a in construct["aside"]
        ]
    choices += [{"type": "remove_path", "source": p["source"], "target": p["target"]} for p in state["paths"]]
    return choices[rng.integers(len(choices))]


def test_two_hundred_edits_are_what_their_trail_says(client: FlaskClient, model: dict[str, Any]) -> None:
    """Edits, undo, redo and going back in any order: the model is always what replaying the trail from its beginning gives."""
    rng = np.random.default_rng(20261126)
    address, state = f"/api/models/{model['id']}", model
    made = 0
    for _ in range(200):
        way = rng.random()
        if way < 0.12 and state["can_undo"]:
            state = step(client, address, "undo").get_json()
        elif way < 0.2 and state["can_redo"]:
            state = step(client, address, "redo").get_json()
        elif way < 0.24:
            revisions = client.get(f"{address}/trail").get_json()["revisions"][1:]
            state = go_back(client, state, revisions[rng.integers(len(revisions))]["id"]).get_json()
        else:
            answer = change(client, state, random_change(rng, state))
            assert answer.status_code in (200, 422), answer.get_json()
            made += answer.status_code == 200
            state = answer.get_json() if answer.status_code == 200 else state
    assert made > 80
    found = client.get(f"{address}/trail").get_json()
    by_id = {line["id"]: line for line in found["revisions"]}
    with client.application.extensions["dusk_arrow"].sessions() as session:
        from dusk_arrow.records import store

        rows = {row.id: row for row in store.revisions_of(session, model["id"])}
    for number, row in rows.items():
        parent = rows.get(row.parent_id or 0)
        if parent is None or not row.changes:
            continue
        replayed = apply_all(parse(parent.specification), [CHANGE.validate_python(c) for c in row.changes])
        assert write(replayed) == row.specification, by_id[number]["words"]
    assert rows[found["head"]].specification == client.get(address).get_json()["sentences"]
