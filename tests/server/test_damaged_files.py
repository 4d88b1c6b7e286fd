"""Capsules and project files from anybody: opened whole, or refused in words; what was opened can be shown."""

from __future__ import annotations

import io
import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.capsules.packing import pack, unpack
from tests.server.damage import bomb, damaged
from tests.server.parts import change, ended, state


def opened(client: FlaskClient, content: bytes) -> Any:
    return client.post("/api/bundles", data={"file": (io.BytesIO(content), "it.zip")})


def sound(client: FlaskClient, answer: Any, what: str) -> bool:
    """Whether a container was opened; then everything of it can be looked at, else it was said why not."""
    assert answer.status_code in (201, 422), (what, answer.get_json())
    made = answer.get_json()
    if answer.status_code == 422:
        assert made["title"]
        assert not made["title"].endswith("..")
        return False
    for address in (f"projects/{made['project_id']}", f"projects/{made['project_id']}/criteria", f"projects/{made['project_id']}/steps",
                    f"models/{made['model_id']}", f"models/{made['model_id']}/trail", f"models/{made['model_id']}/report"):  # fmt: skip
        shown = client.get(f"/api/{address}")
        assert shown.status_code < 500, (what, address, shown.get_json())
        assert shown.status_code == 200 or "report" in address, (what, address, shown.get_json())
    return True


@pytest.fixture
def containers(client: FlaskClient, created: dict[str, Any]) -> dict[str, bytes]:
    model, project = created["model_id"], created["project_id"]
    change(
        client, model, {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": "says two things"}
    )
    client.put(f"/api/models/{model}/pins", json={"pins": {"Training": {"x": 10, "y": 20}}})
    client.patch(f"/api/models/{model}/report-choices", json={"edits": {"method": {"text": "Ours.", "seen": None}}})
    client.put(f"/api/projects/{project}/criteria", json={"preset": "strict", "own": {"cfi": [0.96, 0.9]}})
    return {
        "project": client.get(f"/api/projects/{project}/project.zip").get_data(),
        "capsule": client.get(f"/api/models/{model}/capsule.zip").get_data(),
        "moments": client.get(f"/api/models/{model}/capsule.zip?data=false").get_data(),
    }


def test_damaged_containers_are_refused_in_words(client: FlaskClient, containers: dict[str, bytes]) -> None:
    """A third of them were answered with an error of the server, and one bricked the study that it opened as."""
    counts = {True: 0, False: 0}
    for kind, content in containers.items():
        assert sound(client, opened(client, content), kind)
        for what, bad in damaged(content, 16):
            counts[sound(client, opened(client, bad), f"{kind}: {what}")] += 1
    assert counts[False] > counts[True] > 0, "some damage matters, some does not"


def test_what_a_file_says_is_put_right(client: FlaskClient, containers: dict[str, bytes]) -> None:
    """Names are kept as names are; pins stay on the board; a run of another machine answers for nothing else."""
    files = unpack(containers["project"], "project")
    record = json.loads(files["project.json"])
    record["project"]["name"] = "A\nstudy\u202e"
    record["models"][0]["name"] = "\ufeffM\t1"
    record["revisions"][-1]["reason"] = "line\nbreak"
    made = opened(client, pack("project", {**files, "project.json": json.dumps(record)})).get_json()
    assert client.get(f"/api/projects/{made['project_id']}").get_json()["name"] == "A study"
    found = state(client, made["model_id"])
    assert (found["name"], found["revision"]["reason"]) == ("M 1", "line break")
    for key, value in (
        ("pins", {"Training": {"x": 2**31, "y": 0}}),
        ("view", {"room": [-1, 1e300]}),
        ("head_id", 9_999),
    ):
        bad = json.loads(json.dumps(record))
        bad["models"][0][key] = value
        answer = opened(client, pack("project", {**files, "project.json": json.dumps(bad)}))
        assert answer.status_code == 422, key
    record["project"]["criteria"] = {"preset": 1.5}
    assert opened(client, pack("project", {**files, "project.json": json.dumps(record)})).status_code == 422


def test_a_run_of_another_machine_answers_for_its_own_analysis_alone(
    client: FlaskClient, created: dict[str, Any]
) -> None:
    """Numbers of another database mean nothing here: a bootstrap was answered by the run of another model."""
    model, project = created["model_id"], created["project_id"]
    asked = {"resamples": 100, "seed": 5}
    run = client.post(f"/api/models/{model}/runs", json=asked).get_json()
    assert ended(client, run)["state"] == "finished"
    files = unpack(client.get(f"/api/projects/{project}/project.zip").get_data(), "project")
    record = json.loads(files["project.json"])
    again = opened(client, pack("project", files)).get_json()["model_id"]
    known = client.post(f"/api/models/{again}/runs", json=asked)
    assert (known.status_code, known.get_json()["state"]) == (200, "finished")
    assert state(client, again)["shown"]["run"] == known.get_json()["id"]
    claims = [("settings", {**record["runs"][0]["settings"], "seed": 6}), ("key", f"{again}: whatever"), ("key", "")]
    for field, value in claims:
        record["runs"][0] = {**json.loads(files["project.json"])["runs"][0], field: value}
        other = opened(client, pack("project", {**files, "project.json": json.dumps(record)})).get_json()["model_id"]
        for seed in (5, 6):
            begun = client.post(f"/api/models/{other}/runs", json={"resamples": 100, "seed": seed})
            assert begun.status_code == 201, (field, seed)
            client.post(f"/api/runs/{begun.get_json()['id']}/stop")


def test_a_small_file_does_not_unpack_to_a_gigabyte(client: FlaskClient) -> None:
    """It is refused by what it says of itself, before anything of it is unpacked."""
    answer = opened(client, bomb())
    assert (answer.status_code, "too large" in answer.get_json()["title"]) == (422, True)
