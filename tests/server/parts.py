"""What the tests of the API share."""

from __future__ import annotations

import io
import json
from typing import Any

from flask.testing import FlaskClient


def part(client: FlaskClient, state: dict[str, Any], name: str) -> dict[str, Any]:
    """A part of the document whose numbers a model shows."""
    shown = state["shown"]
    query = {} if shown["run"] is None else {"run": shown["run"]}
    address = f"/api/models/{state['id']}/revisions/{shown['revision']}/{name}"
    found: dict[str, Any] = client.get(address, query_string=query).get_json()
    return found


def fit(client: FlaskClient, state: dict[str, Any]) -> dict[str, Any]:
    """Its fit."""
    return dict(part(client, state, "fit")["fit"])


def send(client: FlaskClient, address: str, content: bytes, name: str = "study.csv", **fields: Any) -> Any:
    """A file with what is said of it."""
    steps = fields.pop("steps", [])
    data: dict[str, Any] = {"file": (io.BytesIO(content), name), "steps": [json.dumps(step) for step in steps]}
    data |= {key: value if isinstance(value, str) else json.dumps(value) for key, value in fields.items()}
    return client.post(address, data=data)


def state(client: FlaskClient, model: int) -> dict[str, Any]:
    """A model at its head."""
    return dict(client.get(f"/api/models/{model}").get_json())


def change(client: FlaskClient, model: int, *changes: dict[str, Any], **more: Any) -> Any:
    """A revision of a model, from where it stands."""
    body = {"parent": state(client, model)["revision"]["id"], "changes": list(changes), **more}
    return client.post(f"/api/models/{model}/revisions", json=body)


def steps(client: FlaskClient, project: int, *wanted: dict[str, Any]) -> Any:
    """The recorded steps of a project's data."""
    parent = client.get(f"/api/projects/{project}/steps").get_json()["data_version_id"]
    return client.put(f"/api/projects/{project}/steps", json={"parent": parent, "steps": list(wanted)})
