"""Requests and files made with ill will: thousands of bad requests over every route, and damaged capsules and project files. Nothing is
answered with an error of the server, no process of it grows beyond 1.5 GB, and nobody else waits longer than a second.
`python -m endurance.hostile [REQUESTS] [CONTAINERS] [SEED]`.
"""

from __future__ import annotations

import json
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from http.client import HTTPConnection
from pathlib import Path
from typing import Any
from urllib.parse import quote
from uuid import uuid4

import numpy as np

from endurance.instance import Instance
from endurance.memory import resident
from tests.server.damage import ODD, bomb, damaged, exchanged, places

MOST_MEMORY, MOST_WAIT = 1536.0, 1.0
ODD_PARTS = ["0", "-1", "1.5", "2147483648", "9" * 40, "x", "%00", "..%2f..", "é", "a" * 3000, "1;drop", "%ff"]


class Watch(threading.Thread):
    """Somebody else who only wants to look at a list: how long each look took, and how large the processes of the server were."""

    def __init__(self, instance: Instance) -> None:
        super().__init__(daemon=True)
        self.instance, self.stopped = instance, threading.Event()
        self.waits: list[float] = []
        self.largest = 0.0

    def run(self) -> None:
        """Looks until told to stop."""
        while not self.stopped.is_set():
            begun = time.monotonic()
            self.instance.ask("/api/projects", patience=60)
            self.waits.append(time.monotonic() - begun)
            self.largest = max(self.largest, *map(_resident, family(self.instance.server())))
            time.sleep(0.1)


def _resident(process: int) -> float:
    try:
        return resident(process)
    except (OSError, RuntimeError):
        return 0.0


def family(process: int) -> list[int]:
    """A process and all that it started."""
    parents: dict[int, list[int]] = {}
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                parent = int((entry / "stat").read_text().rsplit(")", 1)[1].split()[1])
            except (OSError, IndexError, ValueError):
                continue
            parents.setdefault(parent, []).append(int(entry.name))
    found, waiting = [], [process]
    while waiting:
        one = waiting.pop()
        found.append(one)
        waiting += parents.get(one, [])
    return found


class Maker:
    """Makes requests of the published document of the API: right in their form but for what is wrong with them."""

    def __init__(self, document: dict[str, Any], rng: np.random.Generator) -> None:
        self.document, self.rng = document, rng
        self.routes = [
            (path, method, about) for path, all_ in document["paths"].items() for method, about in all_.items()
        ]

    def pick(self, among: list[Any]) -> Any:
        """One of some."""
        return among[int(self.rng.integers(len(among)))]

    def value(self, schema: dict[str, Any], depth: int = 0) -> Any:
        """Something that fits a schema, more or less."""
        if "$ref" in schema:
            schema = self.document["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]]
        for several in ("anyOf", "oneOf", "allOf"):
            if several in schema:
                return self.value(self.pick(schema[several]), depth)
        if "const" in schema or "enum" in schema:
            return schema.get("const", self.pick(schema.get("enum", [None])))
        kind = schema.get("type")
        if kind == "object":
            fields = schema.get("properties", {})
            needed = set(schema.get("required", []))
            return {n: self.value(s, depth + 1) for n, s in fields.items() if n in needed or self.rng.random() < 0.4}
        if kind == "array":
            return (
                [self.value(schema.get("items", {}), depth + 1) for _ in range(int(self.rng.integers(0, 3)))]
                if depth < 6
                else []
            )
        simple = {
            "string": ["Training", "tr1", "ml", "x"],
            "integer": [1, 2, 3],
            "number": [0.5, 1.0],
            "boolean": [True, False],
        }
        return self.pick(simple.get(kind or "", [None]))

    def request(self) -> tuple[str, str, bytes | None, str]:
        """Method, address, body and its type."""
        path, method, about = self.pick(self.routes)
        for part in [p["name"] for p in about.get("parameters", []) if p["in"] == "path"]:
            good = "2" if part in ("model_id", "project_id") else "1"
            path = path.replace(
                "{" + part + "}", good if self.rng.random() < 0.8 else quote(self.pick(ODD_PARTS), safe="%")
            )
        asked = [p for p in about.get("parameters", []) if p["in"] == "query" and self.rng.random() < 0.5]
        query = "&".join(f"{p['name']}={quote(str(self.pick([*ODD[:14], 1, 'fit'])), errors='replace')}" for p in asked)
        content = about.get("requestBody", {}).get("content", {})
        address = f"{path}?{query}" if query else path
        if "application/json" in content:
            body = self.value(content["application/json"]["schema"])
            ways = places(body)
            if ways and self.rng.random() < 0.8:
                body = exchanged(body, self.pick(ways), self.pick(ODD), self.rng.random() < 0.2)
            text = json.dumps(body).encode()
            if self.rng.random() < 0.1:
                text = text[: len(text) // 2]
            return method.upper(), address, text, "application/json"
        if content:
            mark = uuid4().hex
            file = (
                self.rng.integers(0, 256, 2000, dtype=np.uint8).tobytes()
                if self.rng.random() < 0.5
                else b"a,b\n1,2\n" * 50
            )
            head = f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="{self.pick(["a.csv", "a.xlsx", "a.sav", "a.zip"])}"\r\n\r\n'
            return (
                method.upper(),
                address,
                head.encode() + file + f"\r\n--{mark}--\r\n".encode(),
                f"multipart/form-data; boundary={mark}",
            )
        return method.upper(), address, None, ""


def send(instance: Instance, method: str, address: str, body: bytes | None, kind: str) -> tuple[int, float, bytes]:
    """The status of an answer, how long it took, and what it said."""
    host = instance.address.removeprefix("http://")
    begun = time.monotonic()
    connection = HTTPConnection(host, timeout=120)
    connection.request(method, address, body, {"Content-Type": kind} if kind else {})
    answer = connection.getresponse()
    content = answer.readline() if answer.headers.get_content_type() == "text/event-stream" else answer.read()
    connection.close()
    return answer.status, time.monotonic() - begun, content


def open_container(instance: Instance, content: bytes) -> tuple[int, float, bytes]:
    """A container sent to be opened."""
    mark = uuid4().hex
    head = f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="it.zip"\r\n\r\n'.encode()
    body = head + content + f"\r\n--{mark}--\r\n".encode()
    return send(instance, "POST", "/api/bundles", body, f"multipart/form-data; boundary={mark}")


def main(requests: int, containers: int, seed: int) -> int:
    """Returns how many things went wrong."""
    rng, instance, wrong = np.random.default_rng(seed), Instance(), 0
    statuses: dict[int, int] = {}
    longest = (0.0, "")

    def judge(what: str, found: tuple[int, float, bytes]) -> None:
        nonlocal wrong, longest
        status, spent, content = found
        statuses[status] = statuses.get(status, 0) + 1
        longest = max(longest, (spent, what))
        if status >= 500:
            wrong += 1
            print(f"{status}: {what}\n   {content[:300]!r}", flush=True)

    try:
        instance.start(120)
        bundles = {
            "project": send(instance, "GET", "/api/projects/2/project.zip", None, "")[2],
            "capsule": send(instance, "GET", "/api/models/2/capsule.zip", None, "")[2],
            "moments": send(instance, "GET", "/api/models/2/capsule.zip?data=false", None, "")[2],
        }
        watch = Watch(instance)
        watch.start()
        maker = Maker(instance.ask("/api/openapi.json"), rng)
        made = [maker.request() for _ in range(requests)]
        with ThreadPoolExecutor(4) as pool:
            for one, found in zip(made, pool.map(lambda one: send(instance, *one), made), strict=True):
                judge(f"{one[0]} {one[1][:150]} {(one[2] or b'')[:200]!r}", found)
        judge("bomb", open_container(instance, bomb()))
        for kind, content in bundles.items():
            for what, bad in damaged(content, containers // 3, seed):
                status, spent, answer = open_container(instance, bad)
                judge(f"{kind}: {what}", (status, spent, answer))
                if status == 201:
                    created = json.loads(answer)
                    for address in (f"/api/models/{created['model_id']}", f"/api/projects/{created['project_id']}"):
                        judge(f"{kind}: {what}: {address}", send(instance, "GET", address, None, ""))
        watch.stopped.set()
        watch.join()
        for words, value, most in (
            ("largest process", watch.largest, MOST_MEMORY),
            ("longest wait of others", max(watch.waits), MOST_WAIT),
        ):
            print(f"{words}: {value:.2f} (at most {most:g})")
            wrong += value > most
        print(f"statuses: {dict(sorted(statuses.items()))}; longest request {longest[0]:.1f} s: {longest[1][:120]}")
        traces = instance.log().count("Traceback")
        print(f"{traces} traces on the console")
        wrong += traces
    finally:
        instance.end()
    print("nothing went wrong" if not wrong else f"{wrong} things went wrong")
    return wrong


if __name__ == "__main__":
    given = [int(text) for text in sys.argv[1:]]
    asked = [*given, *[3000, 500, 1][len(given) :]]
    sys.exit(min(main(*asked), 100))
