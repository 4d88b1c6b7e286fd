"""What the tests of the API begin with."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.records.database import Sessions
from dusk_arrow.server.app import create_app
from tests.conftest import DEMO, demo_text
from tests.server.parts import change, send


@pytest.fixture(scope="module")
def client(records: Sessions) -> Iterator[FlaskClient]:
    """A browser of a server of its own."""
    app = create_app(records, workers=1)
    yield app.test_client()
    app.extensions["dusk_arrow"].close()


@pytest.fixture
def created(client: FlaskClient) -> dict[str, Any]:
    """A project with the demo study and its theory."""
    survey = (DEMO / "river_wardens.csv").read_bytes()
    found = send(client, "/api/projects", survey, "river_wardens.csv").get_json()
    change(client, found["model_id"], {"type": "replace_text", "text": demo_text("river_wardens")})
    return dict(found)
