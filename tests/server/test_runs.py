"""Runs as a browser meets them: followed by events, answered from the record, going on after their process was killed."""

from __future__ import annotations

import json
import os
import signal
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from urllib.request import urlopen

import pytest
from flask.testing import FlaskClient
from flask_openapi3 import OpenAPI

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.records.database import Sessions
from dusk_arrow.runs.service import Runs
from dusk_arrow.server.app import create_app
from dusk_arrow.server.listening import Listener
from tests.conftest import DEMO
from tests.server.parts import run_when

WARDENS = 2


@pytest.fixture(scope="module")
def app(records: Sessions) -> Iterator[OpenAPI]:
    load_demo(records, DEMO)
    found = create_app(records, workers=2)
    yield found
    found.extensions["dusk_arrow"].close()


@pytest.fixture
def client(app: OpenAPI) -> FlaskClient:
    return app.test_client()


def begin(client: FlaskClient, model: int = WARDENS, **asked: Any) -> dict[str, Any]:
    return client.post(f"/api/models/{model}/runs", json=asked).get_json()


def events(app: OpenAPI, run: int) -> list[dict[str, Any]]:
    """Everything that one browser is told of a run until it has ended."""
    listener = Listener(app)
    with urlopen(f"http://127.0.0.1:{listener.port}/api/runs/{run}/events", timeout=120) as stream:
        text = stream.read().decode()
    listener.close()
    return [json.loads(line[6:]) for line in text.splitlines() if line.startswith("data: ")]


def state(client: FlaskClient, run: int) -> dict[str, Any]:
    return client.get(f"/api/runs/{run}").get_json()


def test_two_browsers_follow_one_run_and_agree(app: OpenAPI, client: FlaskClient) -> None:
    """Two colleagues who look at one study see the same run; asking for it once more starts no second one."""
    run = begin(client, resamples=3000, seed=8)
    with ThreadPoolExecutor(2) as both:
        first, second = both.map(lambda _: events(app, run["id"]), range(2))
    assert first[-1] == second[-1]
    assert (first[-1]["state"], first[-1]["done"]) == ("finished", 3000)
    done = [event["done"] for event in first]
    assert done == sorted(done)
    assert begin(client, resamples=3000, seed=8)["id"] == run["id"]


def test_an_open_run_is_found_by_whoever_opens_the_model(app: OpenAPI, client: FlaskClient) -> None:
    """A second window, or one that was loaded again, goes on showing the run; the same request joins it."""
    run = begin(client, resamples=50_000, seed=9)
    assert client.get(f"/api/models/{WARDENS}").get_json()["open_run"] == run["id"]
    assert begin(client, resamples=50_000, seed=9)["id"] == run["id"]
    behind = begin(client, model=1, resamples=200, seed=9)
    assert behind["before"] == 1 or behind["state"] == "running"
    client.post(f"/api/runs/{run['id']}/stop")
    assert events(app, run["id"])[-1]["state"] == "stopped"
    assert events(app, behind["id"])[-1]["state"] == "finished"
    assert client.get(f"/api/models/{WARDENS}").get_json()["open_run"] is None


def test_parts_of_a_run_under_way_are_answered_and_not_kept_by_browsers(app: OpenAPI, client: FlaskClient) -> None:
    """Results so far are replaced by better ones, so no browser may keep them."""
    run = begin(client, resamples=100_000, seed=10)
    run_when(
        client, run["id"], lambda _: (client.get(f"/api/models/{WARDENS}").get_json()["shown"] or {}).get("so_far")
    )
    shown = client.get(f"/api/models/{WARDENS}").get_json()["shown"]
    assert shown["run"] == run["id"]
    assert shown["bootstrap"]["requested"] == 100_000
    address = f"/api/models/{WARDENS}/revisions/{shown['revision']}/estimates?run={run['id']}&so_far={shown['so_far']}"
    part = client.get(address)
    assert part.headers["Cache-Control"] == "no-store"
    assert part.get_json()["effects"][0]["bootstrap"]["n_used"] >= shown["so_far"]
    trail = client.get(f"/api/models/{WARDENS}/results.json").get_json()
    assert trail["bootstrap_summary"] is None or trail["bootstrap_summary"]["used"] != shown["so_far"]
    client.post(f"/api/runs/{run['id']}/stop")
    events(app, run["id"])
    after = client.get(f"/api/models/{WARDENS}").get_json()["shown"]
    assert (after["so_far"], after["run"]) != (shown["so_far"], run["id"])


def test_a_run_goes_on_when_its_process_was_killed(app: OpenAPI, client: FlaskClient) -> None:
    """The machine ran out of memory and killed the crew; the run ends all the same, with all its resamples."""
    run = begin(client, resamples=8_000, seed=11)
    run_when(client, run["id"], lambda now: now["done"] > 0)
    service: Runs = app.extensions["dusk_arrow"].runs
    os.kill(service._crew.pid, signal.SIGKILL)  # type: ignore[union-attr,arg-type]
    service._crew.join(60)  # type: ignore[union-attr]
    assert state(client, run["id"])["state"] == "running"
    service.ensure()
    last = events(app, run["id"])[-1]
    assert (last["state"], last["done"]) == ("finished", 8_000)
    shown = client.get(f"/api/models/{WARDENS}").get_json()["shown"]
    assert shown["bootstrap"]["used"] + shown["bootstrap"]["not_converged"] == 8_000


def test_a_short_bootstrap_follows_a_gesture(app: OpenAPI, client: FlaskClient) -> None:
    """Whoever has bootstrapped once sees intervals after each change, is told that they are short ones, and finds them neither
    in a download nor among the runs."""
    address = "/api/models/1"
    first = client.get(address).get_json()
    assert not first["wants_bootstrap"], "nobody has asked for a bootstrap of this model yet"
    events(app, begin(client, model=1, resamples=300, seed=12)["id"])
    head = client.get(address).get_json()["revision"]["id"]
    change = {"type": "add_sentence", "sentence": "track both = a + b"}
    state_now = client.post(f"{address}/revisions", json={"parent": head, "changes": [change]}).get_json()
    assert (state_now["wants_bootstrap"], state_now["shown"]["bootstrap"]) == (True, None)
    revision = state_now["revision"]["id"]
    assert client.post(f"{address}/transient", json={"revision": head}).get_json() == {"done": False}
    assert client.post(f"{address}/transient", json={"revision": revision}).get_json() == {"done": True}
    shown = client.get(address).get_json()["shown"]
    assert (shown["transient"], shown["run"], shown["bootstrap"]["used"], shown["bootstrap"]["seed"]) == (
        True, None, 1000, 12,
    )  # fmt: skip
    part = client.get(f"{address}/revisions/{revision}/estimates?transient=true")
    assert part.headers["Cache-Control"] == "no-store"
    assert part.get_json()["effects"][0]["bootstrap"]["n_used"] == 1000
    assert client.get(f"{address}/results.json").get_json()["bootstrap_summary"] is None
    assert client.get(address).get_json()["open_run"] is None
    later = begin(client, model=1, resamples=200, seed=12)
    events(app, later["id"])
    shown = client.get(address).get_json()["shown"]
    assert (shown["transient"], shown["run"], shown["bootstrap"]["used"]) == (False, later["id"], 200)


def test_a_slow_bootstrap_says_how_slow_before_it_begins(app: OpenAPI, client: FlaskClient) -> None:
    """With full information each resample takes long: some are drawn and timed, once for an analysis. Where a bootstrap is quick
    nothing is drawn."""
    address = f"/api/models/{WARDENS}"
    assert client.get(f"{address}/pace").get_json()["seconds_per_resample"] is None
    model = client.get(address).get_json()
    settings = model["settings"] | {"missing": "full-information", "errors": "observed"}
    body = {"parent": model["revision"]["id"], "settings": settings}
    assert client.put(f"{address}/settings", json=body).status_code == 200
    pace = client.get(f"{address}/pace").get_json()["seconds_per_resample"]
    run = begin(client, resamples=256, seed=3)
    begun = time.monotonic()
    assert events(app, run["id"])[-1]["state"] == "finished"
    assert 0 < pace < 256 * pace < 20 * (time.monotonic() - begun) + 20  # seconds, not milliseconds or hours
    assert client.get(f"{address}/pace").get_json()["seconds_per_resample"] == pace
    client.post(f"{address}/undo", json={"parent": client.get(address).get_json()["revision"]["id"]})
