"""Server, database or both killed at random moments while edits and runs go on, and projects and capsules are saved and opened: nothing
acknowledged may be lost, what was opened is whole, and every start works at once and without a trace. `python -m endurance.kills [HOW MANY] [SEED]`.
"""

from __future__ import annotations

import random
import sys
import threading
import time
from urllib.error import HTTPError, URLError

from endurance.instance import Instance

KINDS = (("server",), ("database",), ("server", "database"))


class Editor(threading.Thread):
    """Somebody who edits a model all the time and notes what was acknowledged: comments are numbered, so that each can
    be looked for."""

    def __init__(self, instance: Instance, model: int, begin: int) -> None:
        super().__init__(daemon=True)
        self.instance = instance
        self.model = model
        self.number = begin
        self.acknowledged: list[int] = []
        self.stopped = threading.Event()

    def run(self) -> None:
        """Edits until told to stop; what fails is tried again from the head."""
        while not self.stopped.is_set():
            try:
                head = self.instance.ask(f"/api/models/{self.model}")["revision"]["id"]
                change = {"type": "add_sentence", "sentence": f"# edit {self.number}"}
                body = {"parent": head, "changes": [change]}
                state = self.instance.ask(f"/api/models/{self.model}/revisions", body)
                assert f"# edit {self.number}\n" in state["sentences"]
                self.acknowledged.append(self.number)
                self.number += 1
                if self.number % 15 == 0:
                    self.instance.ask(f"/api/models/{self.model}/runs", {"resamples": 500, "seed": self.number})
            except (HTTPError, URLError, OSError, ValueError):
                self.number += 1
                time.sleep(0.05)


class Carrier(threading.Thread):
    """Somebody who saves a project or a capsule and opens it again, all the time, and notes which were acknowledged."""

    def __init__(self, instance: Instance, files: dict[str, bytes]) -> None:
        super().__init__(daemon=True)
        self.instance, self.files = instance, files
        self.acknowledged: list[int] = []
        self.stopped = threading.Event()

    def run(self) -> None:
        """Opens one after the other until told to stop."""
        while not self.stopped.is_set():
            for content in self.files.values():
                try:
                    self.acknowledged.append(self.instance.upload("it.zip", content, "/api/bundles")["model_id"])
                except (HTTPError, URLError, OSError, ValueError):
                    time.sleep(0.05)


def main(count: int, seed: int) -> int:
    """Returns how many things went wrong."""
    random.seed(seed)
    instance, wrong = Instance(), 0
    starts: list[float] = []
    acknowledged: list[int] = []
    number = 1
    try:
        starts.append(instance.start())
        model = 2
        kept = begun = instance.ask(f"/api/models/{model}")["sentences"]
        files = {name: instance.download(name) for name in ("/api/projects/2/project.zip", "/api/models/2/capsule.zip")}
        opened = 0
        for kill in range(count):
            if kill % 12 == 11:  # a model has a longest length; a new one is begun before it is reached
                body = {"name": f"copy {kill}", "copy_of": 2}
                model = instance.ask("/api/projects/2/models", body)["model_id"]
                acknowledged = []
            editor = Editor(instance, model, number)
            carrier = Carrier(instance, files)
            editor.start()
            carrier.start()
            time.sleep(random.uniform(0.1, 2.5))
            what = KINDS[kill % 3]
            instance.kill(*what)
            if "server" in what:
                editor.stopped.set()
                carrier.stopped.set()
                editor.join(40)
                carrier.join(40)
                try:
                    starts.append(instance.start())
                except RuntimeError as error:
                    wrong += 1
                    print(f"kill {kill} of {' and '.join(what)}: {error}", file=sys.stderr)
                    continue
            else:
                time.sleep(random.uniform(0.5, 2.0))
                editor.stopped.set()
                carrier.stopped.set()
                editor.join(60)
                carrier.join(60)
            acknowledged += editor.acknowledged
            number = editor.number + 1
            for _ in range(100):
                try:
                    kept = instance.ask(f"/api/models/{model}")["sentences"]
                    break
                except (HTTPError, URLError, OSError):
                    time.sleep(0.2)
            lost = [n for n in acknowledged if f"# edit {n}\n" not in kept]
            traced = "Traceback" in instance.log()
            partial = [n for n in carrier.acknowledged if instance.ask(f"/api/models/{n}")["sentences"] != begun]
            opened += len(carrier.acknowledged)
            wrong += len(lost) + traced + len(partial)
            if lost or traced or partial:
                print(
                    f"kill {kill} of {' and '.join(what)}: lost {lost}, {partial}, traceback {traced}", file=sys.stderr
                )
            if kill % 10 == 9:
                print(f"{kill + 1} kills, {number} edits, starts up to {max(starts):.1f} s, {wrong} wrong", flush=True)
    finally:
        instance.end()
    print(
        f"{count} kills: {number - 1} edits tried, {opened} files opened, longest start {max(starts):.1f} s, {wrong} wrong"
    )
    return wrong


if __name__ == "__main__":
    how_many = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    sys.exit(min(main(how_many, int(sys.argv[2]) if len(sys.argv) > 2 else 1), 99))
