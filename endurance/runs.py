"""Runs under strain: `python -m endurance.runs [KILLS] [SEED]`.

Twenty runs are queued at once while somebody goes on editing: all have to finish, and gestures are timed. Then one run is begun
again and again while server, database, crew or workers are killed at random moments: it has to end with the numbers of one that
nobody disturbed.
"""

from __future__ import annotations

import contextlib
import os
import random
import signal
import sys
import time
from pathlib import Path
from typing import Any
from urllib.error import HTTPError, URLError

import numpy as np

from endurance.instance import Instance

MODEL = 2
QUEUED = 20
KINDS = ("worker", "crew", "server", "database")


def started_by(process: int) -> list[int]:
    """Spawned processes of ours among a process's children and those of its threads."""
    found = []
    for thread in Path(f"/proc/{process}/task").iterdir():
        with contextlib.suppress(OSError):
            for number in (thread / "children").read_text().split():
                if b"spawn_main" in Path(f"/proc/{number}/cmdline").read_bytes():
                    found.append(int(number))
    return found


def crew_of(server: int) -> list[int]:
    """The crew: of what the server has started, that which has started workers."""
    return [number for number in started_by(server) if started_by(number)]


def patiently(instance: Instance, path: str, body: Any = None) -> Any:
    """Asks until the database is back."""
    for _ in range(300):
        try:
            return instance.ask(path, body)
        except (HTTPError, URLError, OSError):
            time.sleep(0.1)
    raise RuntimeError(f"no answer at {path}")


def ended(instance: Instance, run: int, seconds: float = 300) -> dict[str, Any]:
    """The run when it has ended."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        found: dict[str, Any] = patiently(instance, f"/api/runs/{run}")
        if found["state"] not in ("waiting", "running"):
            return found
        time.sleep(0.1)
    raise RuntimeError(f"run {run} did not end: {found}")


def figures(instance: Instance, model: int) -> Any:
    """Everything that rests on resamples in a model's document."""
    document = patiently(instance, f"/api/models/{model}/results.json")
    return [document[key] for key in ("parameters", "effects", "bootstrap_figures", "differences", "bootstrap_summary")]


def crowd(instance: Instance) -> int:
    """Twenty runs at once, with gestures meanwhile. Returns how many did not finish."""
    begun = time.monotonic()
    numbers = [
        instance.ask(f"/api/models/{MODEL}/runs", {"resamples": 5000, "seed": 100 + i})["id"] for i in range(QUEUED)
    ]
    copy = instance.ask("/api/projects/2/models", {"name": "edited", "copy_of": MODEL})["model_id"]
    took: list[float] = []
    while any(instance.ask(f"/api/runs/{n}")["state"] in ("waiting", "running") for n in numbers):
        head = instance.ask(f"/api/models/{copy}")["revision"]["id"]
        aside = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef4"}
        for change in (aside, {"type": "take_back", "construct": "Efficacy", "indicator": "ef4"}):
            at = time.monotonic()
            head = instance.ask(f"/api/models/{copy}/revisions", {"parent": head, "changes": [change]})["revision"][
                "id"
            ]
            took.append(time.monotonic() - at)
        time.sleep(0.2)
    wrong = sum(instance.ask(f"/api/runs/{n}")["state"] != "finished" for n in numbers)
    median, most = (1000 * float(v) for v in (np.median(took), max(took)))
    print(
        f"{QUEUED} runs of 5,000 in {time.monotonic() - begun:.0f} s, {wrong} not finished; {len(took)} gestures meanwhile: "
        f"median {median:.0f} ms, longest {most:.0f} ms"
    )
    return wrong


def kill(instance: Instance, what: str) -> None:
    """Kills one thing without a word of warning, and starts what nobody else starts again."""
    if what in ("worker", "crew"):
        crew = crew_of(instance.server())
        targets = [worker for one in crew for worker in started_by(one)][:1] if what == "worker" else crew
        for number in targets:
            with contextlib.suppress(ProcessLookupError):
                os.kill(number, signal.SIGKILL)
    else:
        instance.kill(what)
        if what == "server":
            instance.start()


def main(kills: int, seed: int) -> int:
    """Returns how many things went wrong."""
    random.seed(seed)
    instance, wrong = Instance(), 0
    try:
        instance.start()
        asked = {"resamples": 20_000, "seed": 1}
        ended(instance, instance.ask(f"/api/models/{MODEL}/runs", asked)["id"])
        wanted = figures(instance, MODEL)
        wrong += crowd(instance)
        done = 0
        while done < kills:
            copy = patiently(instance, "/api/projects/2/models", {"name": f"copy {done}", "copy_of": MODEL})["model_id"]
            run = patiently(instance, f"/api/models/{copy}/runs", asked)["id"]
            for _ in range(3):
                time.sleep(random.uniform(0.2, 2.0))
                what = random.choice(KINDS)
                kill(instance, what)
                done += 1
            found = ended(instance, run)
            if found["state"] != "finished" or figures(instance, copy) != wanted:
                wrong += 1
                print(f"after {done} kills, the last of {what}: {found}", file=sys.stderr)
        left = [number for one in crew_of(instance.server()) for number in started_by(one)]
        instance.process.send_signal(signal.SIGINT)  # type: ignore[union-attr]
        instance.process.wait(30)  # type: ignore[union-attr]
        time.sleep(1)
        alive = [number for number in left if Path(f"/proc/{number}").exists()]
        wrong += len(alive)
        print(f"{done} kills, {wrong} wrong, {len(alive)} processes left behind")
    finally:
        instance.end()
    return wrong


if __name__ == "__main__":
    how_many = int(sys.argv[1]) if len(sys.argv) > 1 else 30
    sys.exit(min(main(how_many, int(sys.argv[2]) if len(sys.argv) > 2 else 1), 99))
