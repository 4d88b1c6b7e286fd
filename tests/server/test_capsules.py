"""Capsules and project files over HTTP: what is saved is what is opened, and what was changed in between is refused."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

from flask.testing import FlaskClient

from dusk_arrow.capsules.capsule import read
from dusk_arrow.capsules.packing import pack, unpack
from dusk_arrow.capsules.repeating import repeated
from tests.server.parts import ended
from tests.server.test_api import THEORY, change, model  # noqa: F401


def opened(client: FlaskClient, content: bytes) -> Any:
    return client.post("/api/bundles", data={"file": (io.BytesIO(content), "it.zip")})


def settled(client: FlaskClient, model: dict[str, Any]) -> str:  # noqa: F811
    """A model with an item set aside for a reason, and cut-offs of its own."""
    first = change(client, model, THEORY).get_json()
    change(
        client, first, {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": "says two things"}
    )
    client.put(f"/api/projects/{model['project_id']}/criteria", json={"preset": "strict", "own": {"cfi": [0.96, 0.9]}})
    address = f"/api/models/{model['id']}"
    client.patch(f"{address}/report-choices", json={"title": "Our paper"})
    return address


def test_a_capsule_opens_as_the_same_analysis(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Whoever gets the capsule has the numbers, the reasons and the cut-offs, and can go on from there."""
    address = settled(client, model)
    content = client.get(f"{address}/capsule.zip").get_data()
    again = repeated(read(content))
    assert (again.largest, again.same, again.original) == (0.0, True, True)
    made = opened(client, content).get_json()
    before, after = (client.get(at).get_json() for at in (address, f"/api/models/{made['model_id']}"))
    assert after["sentences"] == before["sentences"]
    assert after["readout"] != []
    assert [f["value"] for f in after["readout"]] == [f["value"] for f in before["readout"]]
    assert after["report"]["title"] == "Our paper"
    assert client.get(f"/api/projects/{made['project_id']}/criteria").get_json()["own"] == {"cfi": [0.96, 0.9]}
    trail = client.get(f"/api/models/{made['model_id']}/trail").get_json()
    assert any("says two things" in line["reason"] for line in trail["aside"] if line["reason"])


def lived(client: FlaskClient, model: dict[str, Any]) -> str:  # noqa: F811
    """A model with a history: other settings, a branch, a name, a reason, other data, resamples."""
    address = settled(client, model)

    def head() -> dict[str, Any]:
        return dict(client.get(address).get_json())

    def estimated(**settings: Any) -> None:
        body = {"parent": head()["revision"]["id"], "settings": {**head()["settings"], **settings}}
        assert client.put(f"{address}/settings", json=body).status_code == 200

    estimated(missing="full-information", errors="observed")
    branch = head()["revision"]["id"]
    estimated(estimator="gls", missing="listwise", errors="expected")
    client.post(f"{address}/back", json={"parent": head()["revision"]["id"], "revision": branch})
    change(client, head(), {"type": "set_covariance", "first": "st1", "second": "st2", "free": True})
    client.patch(f"{address}/revisions/{branch}", json={"name": "before the review", "note": "sent to the editor"})
    estimated(missing="listwise", errors="expected")
    run = client.post(f"{address}/runs", json={"resamples": 100, "seed": 4}).get_json()
    assert ended(client, run)["state"] == "finished"
    return address


def history(client: FlaskClient, address: str) -> list[tuple[Any, ...]]:
    """Every revision with its documents, by its place in the trail."""
    trail = client.get(f"{address}/trail").get_json()
    place = {one["id"]: at for at, one in enumerate(trail["revisions"])}
    found = []
    for one in trail["revisions"]:
        parts = [
            client.get(f"{address}/revisions/{one['id']}/{part}").get_json()
            for part in ("estimates", "quality", "fit", "residuals")
        ]
        said = [one[key] for key in ("words", "reason", "name", "note", "prompted", "created", "figures", "other_data")]
        found.append((place.get(one["parent"]), said, parts))
    return [*found, (place[trail["head"]], trail["aside"] and [a["loading_then"] for a in trail["aside"]], None)]


def test_a_capsule_carries_the_trail_as_it_was(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """All revisions were refitted with the last settings: a loading of −.42 then became .31 then, and turns that changed
    settings alone were gone. Every revision's document is the same elsewhere, and so are branches, names, times and resamples."""
    address = lived(client, model)
    content = client.get(f"{address}/capsule.zip").get_data()
    made = opened(client, content).get_json()
    other = f"/api/models/{made['model_id']}"
    assert history(client, other) == history(client, address)
    before, after = (client.get(at).get_json() for at in (address, other))
    assert after["shown"]["bootstrap"] == before["shown"]["bootstrap"] is not None
    for key in ("sentences", "settings", "readout", "can_undo", "view"):
        assert after[key] == before[key], key
    assert len(history(client, address)) == 8


def test_a_capsule_without_cases_has_the_figures_of_then(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """What was seen then rests on cases that stayed behind: it is shown as it was, never worked out from something else."""
    address = lived(client, model)
    first = client.get(f"{address}/trail").get_json()
    made = opened(client, client.get(f"{address}/capsule.zip?data=false").get_data()).get_json()
    second = client.get(f"/api/models/{made['model_id']}/trail").get_json()
    kept = [
        one for one in second["revisions"] if one["figures"] and one["words"] != "opened from a capsule without cases"
    ]
    wanted = {one["words"]: one["figures"] for one in first["revisions"]}
    assert len(kept) >= len(first["revisions"]) - 1
    for one in kept:
        if one["words"] != "empty model":
            assert one["figures"] == wanted[one["words"]]
    assert [a["loading_then"] for a in second["aside"]] in ([], [None])


def test_a_capsule_without_cases_holds_none(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Data that may not leave stay; the numbers that need no cases can be had again."""
    address = settled(client, model)
    content = client.get(f"{address}/capsule.zip?data=false").get_data()
    names = zipfile.ZipFile(io.BytesIO(content)).namelist()
    assert "data/moments.json" in names
    assert not any("parquet" in name or "original" in name for name in names)
    assert repeated(read(content)).largest < 1e-9
    made = opened(client, content).get_json()
    assert client.get(f"/api/projects/{made['project_id']}").get_json()["data_kind"] == "matrix"


def test_a_whole_project_opens_elsewhere(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Every model, revision, reason and step comes along, and undo works as it did."""
    address = settled(client, model)
    client.post(f"{address}/undo", json={"parent": client.get(address).get_json()["revision"]["id"]})
    content = client.get(f"/api/projects/{model['project_id']}/project.zip").get_data()
    made = opened(client, content).get_json()
    other = f"/api/models/{made['model_id']}"
    before, after = (client.get(at).get_json() for at in (address, other))
    assert made["project_id"] != model["project_id"]
    for key in ("sentences", "name", "settings", "can_undo", "can_redo", "paths", "board", "view"):
        assert after[key] == before[key], key
    first, second = (client.get(f"{at}/trail").get_json() for at in (address, other))
    assert [r["words"] for r in second["revisions"]] == [r["words"] for r in first["revisions"]]
    back = client.post(f"{other}/redo", json={"parent": after["revision"]["id"]}).get_json()
    assert [a["indicator"] for c in back["constructs"] for a in c["aside"]] == ["ef5"]
    again = client.get(f"/api/projects/{made['project_id']}/project.zip").get_data()
    first, second = (unpack(one, "project") for one in (content, again))
    originals = [[value for name, value in files.items() if "original" in name] for files in (first, second)]
    assert originals[0] == originals[1] != []


def test_what_was_changed_or_is_none_is_refused(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """A changed digit in a file would be a changed digit in a paper."""
    address = settled(client, model)
    content = client.get(f"{address}/capsule.zip").get_data()
    files = {
        name: zipfile.ZipFile(io.BytesIO(content)).read(name)
        for name in zipfile.ZipFile(io.BytesIO(content)).namelist()
    }
    changed = io.BytesIO()
    with zipfile.ZipFile(changed, "w") as bundle:
        for name, value in files.items():
            bundle.writestr(name, value.replace(b"Training", b"Trianing") if name == "model.txt" else value)
    empty = io.BytesIO()
    zipfile.ZipFile(empty, "w").close()
    projects = len(client.get("/api/projects").get_json()["projects"])
    for wrong, words in (
        (changed.getvalue(), "model.txt was changed"), (b"no zip", "neither a capsule"), (empty.getvalue(), "neither a capsule"),
        (pack("capsule", {"model.txt": "x"}), "cannot be opened"), (pack("project", {"project.json": "{}"}), "cannot be opened"),
        (pack("project", {"project.json": json.dumps({"project": 3})}), "cannot be opened"),
    ):  # fmt: skip
        answer = opened(client, wrong)
        assert (answer.status_code, words in json.dumps(answer.get_json())) == (422, True), words
    assert len(client.get("/api/projects").get_json()["projects"]) == projects
