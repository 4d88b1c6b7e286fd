"""What the tests of the API share."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from typing import Any

import psycopg
from flask.testing import FlaskClient
from sqlalchemy import Engine

from dusk_arrow.records.runs import CHANNEL


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


def run_when(client: FlaskClient, run_id: int, look: Callable[[dict[str, Any]], object]) -> dict[str, Any]:
    """A run as soon as it is as `look` wants it. The database tells of every change of a run, so nothing is slept through."""
    engine: Engine = client.application.extensions["dusk_arrow"].sessions.kw["bind"]
    address = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute(f"listen {CHANNEL}")
        while not look(run := dict(client.get(f"/api/runs/{run_id}").get_json())):
            assert list(connection.notifies(timeout=120, stop_after=1)), f"nothing more is told of run {run_id}: {run}"
    return run


def ended(client: FlaskClient, run: dict[str, Any]) -> dict[str, Any]:
    """A run once it has ended."""
    return run_when(client, run["id"], lambda now: now["state"] not in ("waiting", "running"))


def change(client: FlaskClient, model: int, *changes: dict[str, Any], **more: Any) -> Any:
    """A revision of a model, from where it stands."""
    body = {"parent": state(client, model)["revision"]["id"], "changes": list(changes), **more}
    return client.post(f"/api/models/{model}/revisions", json=body)


def steps(client: FlaskClient, project: int, *wanted: dict[str, Any]) -> Any:
    """The recorded steps of a project's data."""
    parent = client.get(f"/api/projects/{project}/steps").get_json()["data_version_id"]
    return client.put(f"/api/projects/{project}/steps", json={"parent": parent, "steps": list(wanted)})
