"""Who is slow, silent or greedy takes nothing from the others."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from http.client import HTTPConnection
from typing import Any

import pytest
from flask_openapi3 import OpenAPI

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.records.database import Sessions
from dusk_arrow.server import listening
from dusk_arrow.server.app import create_app
from dusk_arrow.server.computing import is_computing
from dusk_arrow.server.listening import HEAVY, LIGHT, Listener
from tests.conftest import DEMO


@pytest.fixture(scope="module")
def app(records: Sessions) -> Iterator[OpenAPI]:
    load_demo(records, DEMO)
    found = create_app(records, workers=1)
    yield found
    found.extensions["dusk_arrow"].close()


@pytest.fixture(scope="module")
def listener(app: OpenAPI) -> Iterator[Listener]:
    found = Listener(app)
    yield found
    found.close()


def ask(listener: Listener, address: str, method: str = "GET", body: Any = None, **headers: str) -> tuple[int, Any]:
    connection = HTTPConnection("127.0.0.1", listener.port, timeout=60)
    if isinstance(body, dict):
        body, headers = json.dumps(body), {"Content-Type": "application/json", **headers}
    connection.request(method, address, body, headers, encode_chunked=headers.get("Transfer-Encoding") == "chunked")
    answer = connection.getresponse()
    content = answer.read()
    connection.close()
    return answer.status, json.loads(content) if answer.headers.get_content_type().endswith("json") else content


def held(listener: Listener, text: str = "") -> socket.socket:
    """A connection that says something and then nothing more."""
    found = socket.create_connection(("127.0.0.1", listener.port))
    found.sendall(text.encode())
    return found


def test_silent_connections_and_halves_of_requests_take_no_thread(listener: Listener) -> None:
    """99 idle connections stopped all answers for minutes."""
    half = f"POST /api/models/2/undo HTTP/1.1\r\nHost: 127.0.0.1:{listener.port}\r\nContent-Length: 900\r\n\r\n{{"
    silent = [held(listener) for _ in range(3 * LIGHT)] + [held(listener, half) for _ in range(3 * LIGHT)]
    assert ask(listener, "/api/projects")[0] == 200
    for one in silent:
        one.close()


def test_streams_take_no_thread_and_tell_everybody(listener: Listener) -> None:
    """A hundred open streams stopped all answers for 25 seconds."""
    _, run = ask(listener, "/api/models/1/runs", "POST", {"resamples": 40_000, "seed": 9})
    begun, told = threading.Event(), []

    def follow() -> None:
        connection = HTTPConnection("127.0.0.1", listener.port, timeout=120)
        connection.request("GET", f"/api/runs/{run['id']}/events")
        answer = connection.getresponse()
        assert answer.headers.get_content_type() == "text/event-stream"
        first = answer.readline()
        begun.set()
        told.append((first + answer.read()).decode())

    threads = [threading.Thread(target=follow) for _ in range(4 * LIGHT)]
    for thread in threads:
        thread.start()
    assert begun.wait(60)
    assert ask(listener, "/api/projects")[0] == 200
    assert not told, "the streams are open"
    ask(listener, f"/api/runs/{run['id']}/stop", "POST")
    for thread in threads:
        thread.join(60)
    assert len(told) == len(threads)
    for text in told:
        states = [json.loads(line[6:])["state"] for line in text.splitlines() if line.startswith("data: ")]
        assert states[-1] == "stopped"
    assert ask(listener, "/api/runs/99999/events")[0] == 404
    assert ask(listener, f"/api/runs/{run['id']}/events", Origin="http://evil.example")[0] == 403


def test_what_computes_leaves_threads_for_the_rest(
    app: OpenAPI, listener: Listener, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Under eight heavy requests a light one waits for none of them."""
    going, gate = threading.Semaphore(0), threading.Event()
    view = app.view_functions["what_ifs.what_if"]

    def waiting(**arguments: Any) -> Any:
        going.release()
        gate.wait(30)
        return view(**arguments)

    waiting.__module__, waiting.__name__ = view.__module__, view.__name__
    monkeypatch.setitem(app.view_functions, "what_ifs.what_if", waiting)
    changes = [{"type": "remove_indicator", "construct": "Efficacy", "indicator": "ef5"}]
    with ThreadPoolExecutor(8) as pool:
        heavy = [pool.submit(ask, listener, "/api/models/2/what-ifs", "POST", {"changes": changes}) for _ in range(8)]
        assert all(going.acquire(timeout=30) for _ in range(HEAVY))
        assert not going.acquire(timeout=0.3), "no more than a few at a time"
        assert ask(listener, "/api/models/2")[0] == 200
        gate.set()
        assert [one.result()[0] for one in heavy] == [200] * 8
    light = {
        "get_model",
        "list_projects",
        "undo",
        "redo",
        "add_revision",
        "change_view",
        "change_report",
        "stop_run",
        "get_run",
    }
    marked = {
        rule.endpoint.rsplit(".", 1)[1]
        for rule in app.url_map.iter_rules()
        if "." in rule.endpoint and is_computing(app.view_functions[rule.endpoint])
    }
    assert not light & marked
    assert {"what_if", "get_report", "compare_models", "preview_file", "open_bundle"} <= marked


def test_a_body_is_bounded_however_it_is_sent(listener: Listener, monkeypatch: pytest.MonkeyPatch) -> None:
    """In pieces without a length, longer than said, or never."""
    pieces = iter([b'{"parent": 1, "rows": ["', *[b"x" * 100_000] * 25, b'"]}'])
    status, answer = ask(
        listener,
        "/api/models/2/sentences",
        "PUT",
        pieces,
        **{"Content-Type": "application/json", "Transfer-Encoding": "chunked"},
    )
    assert (status, "2 MB" in answer["title"]) == (413, True)
    status, answer = ask(listener, "/api/bundles", "POST", b"", **{"Content-Length": str(10**12)})
    assert (status, answer["problems"][0]["code"]) == (413, "http_413")
    monkeypatch.setattr(listening, "SILENCE", 0.3)
    slow = held(
        listener, f"POST /api/bundles HTTP/1.1\r\nHost: 127.0.0.1:{listener.port}\r\nContent-Length: 9\r\n\r\n1"
    )
    slow.settimeout(20)
    assert b" 408 " in slow.recv(200)
    slow.close()


def test_a_listener_ends_at_once(app: OpenAPI) -> None:
    """Streams and connections that are open do not hold a stop up."""
    found = Listener(app)
    kept = [held(found) for _ in range(5)]
    begun = time.monotonic()
    found.close()
    assert time.monotonic() - begun < 5
    for one in kept:
        one.close()
