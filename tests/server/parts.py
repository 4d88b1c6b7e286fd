"""What the tests of the API share."""

from __future__ import annotations

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
