"""What Quality asks of the API: twins into their mean, half of the cases unseen, what is left out, scores, another family's run."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from tests.conftest import demo_data
from tests.server.parts import change, ended, fit, part, state, steps

MEAN = {"type": "combine", "name": "st12", "columns": ["st1", "st2"], "how": "mean"}
REWIRED = {"type": "replace_indicators", "construct": "Stewardship", "indicators": ["st1", "st2"], "by": "st12"}
HALF = {"type": "hold_out_half", "columns": ["tr1", "su1", "ef1"], "seed": 3}


def trail(client: FlaskClient, model: int) -> dict[str, Any]:
    return dict(client.get(f"/api/models/{model}/trail").get_json())


def test_twins_become_their_mean_in_one_revision(client: FlaskClient, created: dict[str, Any]) -> None:
    """Data and model must not part: undone, both are as they were; other models only follow the data."""
    model, project = created["model_id"], created["project_id"]
    before = state(client, model)
    copy = client.post(f"/api/projects/{project}/models", json={"name": "other", "copy_of": model}).get_json()[
        "model_id"
    ]
    tried = client.post(f"/api/models/{model}/what-ifs", json={"changes": [REWIRED], "steps": [MEAN]}).get_json()
    assert state(client, model)["revision"] == before["revision"]
    after = change(client, model, REWIRED, steps=[MEAN], reason="the same wording", prompted="data").get_json()
    shown = {f["key"]: f["value"] for f in after["readout"]}
    assert {f["key"]: f["value"] for f in tried["readout"]} == shown
    assert "st12 is the mean of st1 and st2" in after["revision"]["words"]
    assert next(c["indicators"] for c in after["constructs"] if c["name"] == "Stewardship") == ["st12", "st3", "st4"]
    assert len(trail(client, model)["revisions"]) == 3
    names = [c["name"] for c in client.get(f"/api/projects/{project}").get_json()["columns"]]
    assert "st12" in names
    other = state(client, copy)
    assert other["revision"]["data_version_id"] == after["revision"]["data_version_id"]
    assert next(c["indicators"] for c in other["constructs"] if c["name"] == "Stewardship")[:2] == ["st1", "st2"]
    parent = {"parent": after["revision"]["id"]}
    undone = client.post(f"/api/models/{model}/undo", json=parent).get_json()
    assert (undone["sentences"], fit(client, undone)) == (before["sentences"], fit(client, before))
    names = [c["name"] for c in client.get(f"/api/projects/{project}").get_json()["columns"]]
    assert "st12" not in names
    data = before["revision"]["data_version_id"]
    assert state(client, copy)["revision"]["data_version_id"] == data
    redone = client.post(f"/api/models/{model}/redo", json={"parent": undone["revision"]["id"]}).get_json()
    assert redone["sentences"] == after["sentences"]
    assert state(client, copy)["revision"]["data_version_id"] == redone["revision"]["data_version_id"] != data
    steps(client, project)
    client.post(f"/api/models/{model}/undo", json={"parent": state(client, model)["revision"]["id"]})
    refused = change(
        client, model, {**REWIRED, "indicators": ["st12", "st3"], "by": "st"}, steps=[{**MEAN, "name": "st"}]
    )
    assert (refused.status_code, refused.get_json()["problems"][0]["code"]) == (409, "earlier_data")


def test_a_step_that_cannot_be_taken_loses_nothing(client: FlaskClient, created: dict[str, Any]) -> None:
    """Neither half of a revision may stay without the other."""
    model, project = created["model_id"], created["project_id"]
    before = state(client, model)["revision"]["id"], len(demo_data("river_wardens").names)
    for body in ([{**MEAN, "name": "tr1"}], [{**MEAN, "columns": ["st1", "nothing"]}]):
        assert change(client, model, REWIRED, steps=body).status_code == 422
        answer = client.post(f"/api/models/{model}/what-ifs", json={"changes": [], "steps": body})
        assert answer.status_code == 422
    assert change(client, model, {**REWIRED, "by": "su1"}, steps=[MEAN]).status_code == 422
    columns = client.get(f"/api/projects/{project}").get_json()["columns"]
    assert (state(client, model)["revision"]["id"], len(columns)) == before


def test_half_of_the_cases_waits_and_is_opened_once(client: FlaskClient, created: dict[str, Any]) -> None:
    """What was seen stays seen, and whoever reads it later has to know what came before and after."""
    model, project = created["model_id"], created["project_id"]
    aside = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5"}
    assert trail(client, model)["half"] is None
    change(client, model, aside, prompted="data")
    assert steps(client, project, HALF).status_code == 200
    assert trail(client, model)["half"] == {"seed": 3, "opened": False, "before": 1, "since_opened": 0}
    assert part(client, state(client, model), "thorough")["holdout"] is None
    closed = fit(client, state(client, model))
    assert steps(client, project, {**HALF, "opened": True}).status_code == 200
    now = state(client, model)
    found = part(client, now, "thorough")["holdout"]
    assert found["first"]["fit"]["chi_square"] == closed["chi_square"] == fit(client, now)["chi_square"]
    assert found["first"]["n"] == now["shown"]["n_used"]
    assert found["second"]["n"] > 150
    assert found["discrepancy"] > found["own_discrepancy"]
    refused = steps(client, project, HALF)
    assert (refused.status_code, refused.get_json()["problems"][0]["code"]) == (422, "already_opened")
    change(client, model, {"type": "take_back", "construct": "Efficacy", "indicator": "ef5"}, prompted="data")
    assert trail(client, model)["half"] == {"seed": 3, "opened": True, "before": 1, "since_opened": 1}
    cases = client.get(f"/api/projects/{project}/cases?limit=500").get_json()
    assert cases["total"] == client.get(f"/api/projects/{project}").get_json()["n_cases"] < 250


def test_changes_are_counted_on_the_way_to_the_head(client: FlaskClient, created: dict[str, Any]) -> None:
    """A branch that was left has not shaped the model that is reported."""
    model = created["model_id"]
    aside = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5"}
    gone = change(client, model, aside, prompted="data").get_json()["revision"]["id"]
    client.post(f"/api/models/{model}/undo", json={"parent": gone})
    now = trail(client, model)
    assert gone in [r["id"] for r in now["revisions"]]
    assert gone not in now["way"]
    assert now["way"][-1] == now["head"]


def test_what_is_left_out_is_refitted(client: FlaskClient, created: dict[str, Any]) -> None:
    """The table is what the changes would make."""
    model = created["model_id"]
    before = fit(client, state(client, model))
    rows = client.get(f"/api/models/{model}/left-out-what-ifs").get_json()["items"]
    assert len(rows) == 15
    for row in rows[:2]:
        tried = change(client, model, row["change"], prompted="data").get_json()
        assert before["chi_square"] - fit(client, tried)["chi_square"] == pytest.approx(
            row["chi_square_fall"], abs=1e-6
        )
        client.post(f"/api/models/{model}/undo", json={"parent": tried["revision"]["id"]})


def test_scores_of_two_constructs(client: FlaskClient, created: dict[str, Any]) -> None:
    """Plotted cases must be the cases of the file, and what is exported the same as what is seen."""
    model, project = created["model_id"], created["project_id"]
    now = state(client, model)
    address = f"/api/models/{model}/revisions/{now['shown']['revision']}/scores"
    first = client.get(address).get_json()
    assert [d["construct"] for d in first["descriptives"]] == [c["name"] for c in now["constructs"]]
    found = client.get(address + "?first=Efficacy&second=Persistence&method=bartlett").get_json()["pair"]
    assert (found["first"], found["second"], found["n"]) == ("Efficacy", "Persistence", 349)
    lines = client.get(f"/api/models/{model}/scores.csv?method=bartlett").text.splitlines()
    head, *rows = [line.split(",") for line in lines]
    kept = {int(row[0]): row for row in rows if row[head.index("Efficacy")]}
    assert {c["case"] for c in found["cases"]} == set(kept)
    for case in found["cases"][:5]:
        assert float(kept[case["case"]][head.index("Efficacy")]) == pytest.approx(case["first"])
    values = np.array([[c["first"], c["second"]] for c in found["cases"]])
    assert found["correlation"] == pytest.approx(np.corrcoef(values.T)[0, 1])
    assert client.get(address + "?first=Nobody").status_code == 422
    out = steps(client, project, {"type": "hold_out", "cases": [1, 2, 3], "reason": "far"}).get_json()
    assert out["n_cases"] == 409
    later = client.get(f"/api/models/{model}/scores.csv").text.splitlines()
    assert later[1].split(",")[0] == "4"


def test_another_family_has_a_bootstrap_of_its_own(client: FlaskClient, created: dict[str, Any]) -> None:
    """Side by side means with intervals on both sides, and the model itself stays as it was."""
    model, project = created["model_id"], created["project_id"]
    body = {"resamples": 100, "seed": 4, "family": "composite"}
    run = client.post(f"/api/models/{model}/runs", json=body).get_json()
    ended(client, run)
    asked = {"models": [model], "also": [{"model": model, "family": "composite"}]}
    found = client.post(f"/api/projects/{project}/comparisons", json=asked).get_json()
    assert [m["intervals"] for m in found["models"]] == [True, True]
    assert all(len(p["interval"]) == 2 and None not in p["interval"] for p in found["paths"])
    assert {line["construct"] for line in found["models"][1]["loadings"]} == {
        c["name"] for c in found["models"][0]["constructs"]
    }
    told = " ".join(found["models"][1]["differs"])
    assert "decide" in told
    assert state(client, model)["shown"]["run"] is None


def test_an_item_that_sums_a_construct_up(client: FlaskClient, created: dict[str, Any]) -> None:
    """Redundancy is with the sum of the items as the model weighs them, over cases that have everything."""
    model = created["model_id"]
    now = state(client, model)
    body = {"parent": now["revision"]["id"], "settings": {**now["settings"], "global_items": {"Effort": "pe1"}}}
    after = client.put(f"/api/models/{model}/settings", json=body).get_json()
    assert after["revision"]["words"] == "pe1 sums Effort up"
    quality = part(client, after, "quality")["quality"]
    (line,) = quality["redundancy"]
    data = demo_data("river_wardens")
    weights = {
        p["from"]: p["estimate"] for p in part(client, after, "estimates")["parameters"] if p["kind"] == "weight"
    }
    columns = [*weights, "pe1"]
    values = data.matrix(tuple(columns))
    values = values[~np.isnan(values).any(axis=1)]
    plain = np.corrcoef(values[:, :-1] @ np.array(list(weights.values())), values[:, -1])[0, 1]
    assert line == {"construct": "Effort", "item": "pe1", "correlation": pytest.approx(plain), "n": len(values)}
    body = {"parent": after["revision"]["id"], "settings": {**now["settings"], "global_items": {"Training": "pe1"}}}
    wrong = client.put(f"/api/models/{model}/settings", json=body).get_json()
    assert "global_item_passed_over" in [p["code"] for p in wrong["problems"]]
    assert wrong["estimated"]


def test_an_expectation_keeps_the_bootstrap(client: FlaskClient, created: dict[str, Any]) -> None:
    """Stating what one expects changes no figure, so nothing has to be drawn again."""
    model = created["model_id"]
    run = client.post(f"/api/models/{model}/runs", json={"resamples": 100, "seed": 4}).get_json()
    ended(client, run)
    sentence = "expect Training > Efficacy > Stewardship positive as H1"
    after = change(client, model, {"type": "add_sentence", "sentence": sentence}).get_json()
    assert after["shown"]["run"] == run["id"]
    found = part(client, after, "estimates")
    (stated,) = found["hypotheses"]
    assert (stated["label"], stated["answer"]) == ("H1", "supported")
    assert "100 resamples" in stated["sentence"]
    assert part(client, after, "thorough")["common_method"] is not None
    moved = change(client, model, {"type": "set_covariance", "first": "st1", "second": "st2"}).get_json()
    assert moved["shown"]["run"] is None
    assert part(client, moved, "estimates")["hypotheses"][0]["answer"] is None
