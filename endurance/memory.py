"""The server's memory over a long day: after 1,000 edits, 20 runs and 50 imports it is within 200 MB of what it was after
warming up. `python -m endurance.memory`.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import numpy as np

from endurance.instance import Instance

ALLOWED = 200


def resident(process: int) -> float:
    """Megabytes of memory that a process holds."""
    for line in Path(f"/proc/{process}/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    raise RuntimeError("the process is gone")


def edits(instance: Instance, model: int, count: int) -> None:
    """Items set aside and taken back, with what-ifs, as somebody at work does."""
    for number in range(count):
        head = instance.ask(f"/api/models/{model}")["revision"]["id"]
        item = f"tr{number // 2 % 3 + 2}"
        kind = "set_aside" if number % 2 == 0 else "take_back"
        change = {"type": kind, "construct": "Training", "indicator": item}
        if kind == "set_aside":
            change["reason"] = f"try {number}"
        instance.ask(f"/api/models/{model}/what-ifs", {"changes": [change]})
        instance.ask(f"/api/models/{model}/revisions", {"parent": head, "changes": [change]})


def runs(instance: Instance, model: int, count: int) -> None:
    """Bootstraps, each waited for."""
    for seed in range(count):
        run = instance.ask(f"/api/models/{model}/runs", {"resamples": 1000, "seed": seed})
        while instance.ask(f"/api/runs/{run['id']}")["state"] == "running":
            time.sleep(0.1)


def imports(instance: Instance, count: int) -> None:
    """Surveys of 5,000 cases and 60 columns, each looked at."""
    rng = np.random.default_rng(1)
    for number in range(count):
        values = rng.integers(1, 8, (5000, 60))
        rows = "\n".join(",".join(map(str, row)) for row in values.tolist())
        head = ",".join(f"q{i}" for i in range(60))
        created = instance.upload(f"wave {number}.csv", f"{head}\n{rows}\n".encode())
        for part in ("", "/cases", "/screening"):
            instance.ask(f"/api/projects/{created['project_id']}{part}", patience=120)


def settled(instance: Instance) -> float:
    """The memory after the server has had time to give back what it does not need."""
    time.sleep(25)
    return resident(instance.server())


def main() -> int:
    """Returns 1 where memory grew by more than is allowed."""
    instance = Instance()
    try:
        instance.start()
        edits(instance, 2, 60)
        runs(instance, 2, 2)
        imports(instance, 5)
        before = settled(instance)
        print(f"warm: {before:.0f} MB", flush=True)
        for name, work in (("1,000 edits", lambda: edits(instance, 2, 1000)), ("20 runs", lambda: runs(instance, 2, 20)),
                           ("50 imports", lambda: imports(instance, 50))):  # fmt: skip
            work()
            print(f"after {name}: {settled(instance):.0f} MB", flush=True)
        after = resident(instance.server())
    finally:
        instance.end()
    print(f"grown by {after - before:.0f} MB of {ALLOWED} allowed")
    return int(after - before > ALLOWED)


if __name__ == "__main__":
    sys.exit(main())
