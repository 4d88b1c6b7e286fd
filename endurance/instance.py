"""A whole instance of the application in a folder of its own, started as users start it, with requests to it."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
import uuid
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]


class Instance:
    """`./dusk start` on a free port with records in a folder that is thrown away."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="dusk-endurance-", dir="/tmp"))
        self.folder.chmod(0o711)
        self.process: subprocess.Popen[str] | None = None
        self.address = ""
        self.said: list[str] = []

    def start(self, patience: float = 60) -> float:
        """Starts it and returns after how many seconds it answered. Raises RuntimeError with what it said otherwise."""
        begun = time.monotonic()
        log = (self.folder / "start.log").open("w+")
        environment = {**os.environ, "DUSK_DATA": str(self.folder / "data")}
        command = [str(ROOT / "dusk"), "start"]
        self.process = subprocess.Popen(
            command, stdout=log, stderr=log, env=environment, text=True, start_new_session=True
        )
        while time.monotonic() - begun < patience:
            said = (self.folder / "start.log").read_text()
            if "is ready at " in said:
                self.address = said.split("is ready at ")[1].split()[0]
                self.said.append(said)
                return time.monotonic() - begun
            if self.process.poll() is not None:
                raise RuntimeError(f"it did not start:\n{said}")
            time.sleep(0.05)
        raise RuntimeError(f"it was not ready after {patience} s:\n{said}")

    def log(self) -> str:
        """What this start has said so far."""
        return (self.folder / "start.log").read_text()

    def ask(self, path: str, body: Any = None, method: str | None = None, patience: float = 30) -> Any:
        """The answer to a request as JSON. Raises urllib's errors."""
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(
            self.address + path, data=data, method=method, headers={"Content-Type": "application/json"}
        )
        with urllib.request.urlopen(request, timeout=patience) as answer:
            return json.loads(answer.read())

    def download(self, path: str) -> bytes:
        """A file that is saved here."""
        with urllib.request.urlopen(self.address + path, timeout=60) as answer:
            return bytes(answer.read())

    def upload(self, name: str, content: bytes, path: str = "/api/projects") -> Any:
        """A project made of a file."""
        mark = uuid.uuid4().hex
        head = f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        request = urllib.request.Request(
            f"{self.address}{path}",
            data=head + content + f"\r\n--{mark}--\r\n".encode(),
            headers={"Content-Type": f"multipart/form-data; boundary={mark}"},
        )
        with urllib.request.urlopen(request, timeout=120) as answer:
            return json.loads(answer.read())

    def server(self) -> int:
        """The process that serves."""
        assert self.process is not None
        return self.process.pid

    def database(self) -> int | None:
        """The process of the database server."""
        with contextlib.suppress(OSError, ValueError):
            return int((self.folder / "data/cluster/postmaster.pid").read_text().split("\n")[0])
        return None

    def kill(self, *what: str) -> None:
        """Kills the `server`, the `database` or both, without a word of warning."""
        targets = {"server": self.server(), "database": self.database()}
        for name in what:
            number = targets[name]
            if number is not None:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(number, signal.SIGKILL)
        if "server" in what and self.process is not None:
            self.process.wait()

    def end(self) -> None:
        """Stops everything and removes the folder."""
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.process.wait(30)
        self.kill("server", "database")
        shutil.rmtree(self.folder, ignore_errors=True)
