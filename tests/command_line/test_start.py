"""Starting: every wrong setting is one clear line, and the exit code says that it was the setting."""

from __future__ import annotations

import errno
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

import pytest

from dusk_arrow.command_line.start import start
from dusk_arrow.records.cluster import Cluster, ClusterError
from tests.conftest import DEMO, ROOT


def started(folder: Path, *arguments: str, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "dusk_arrow.command_line", *arguments],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "DUSK_DATA": str(folder), **environment},
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )


@pytest.mark.parametrize(
    ("environment", "arguments", "said"),
    [
        ({"DUSK_PORT": "abc"}, [], "DUSK_PORT is “abc”"),
        ({"DUSK_PORT": "99999"}, [], "from 1 to 65535"),
        ({}, ["--port", "0"], "--port is “0”"),
        ({"DUSK_WORKERS": "abc"}, [], "DUSK_WORKERS is “abc”"),
        ({"DUSK_WORKERS": "0"}, [], "DUSK_WORKERS is “0”"),
        ({"DUSK_LOG": "loud"}, [], "debug, info, warning, error"),
        ({"DUSK_DATA": "/etc/hostname"}, [], "has to be a folder"),
        ({"DUSK_DATA": "/proc/nowhere"}, [], "cannot be written to"),
    ],
)
def test_wrong_settings_are_one_line(
    tmp_path: Path, environment: dict[str, str], arguments: list[str], said: str
) -> None:
    """A typing error in a setting is no reason to read a stack trace."""
    done = started(tmp_path, "start", *arguments, **environment)
    assert done.returncode == 2
    assert said in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_port_that_was_asked_for_is_not_replaced(tmp_path: Path) -> None:
    """Whoever names a port has told others of it; another one would leave them before a closed door."""
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        done = started(tmp_path, "start", "--port", port)
        assert (done.returncode, f"Port {port} is in use" in done.stderr) == (2, True)
        assert started(tmp_path, "start", DUSK_PORT=port).returncode == 2
    assert not (tmp_path / "cluster").exists()


def test_restoring_from_nothing_is_refused(tmp_path: Path) -> None:
    """A wrong file name must say so, and leave no half database behind."""
    done = started(tmp_path, "restore", str(tmp_path / "none.backup"))
    assert done.returncode == 2
    assert "There is no file" in done.stderr
    assert not (tmp_path / "cluster").exists()


def test_ctrl_c_ends_at_once_and_quietly() -> None:
    """In the middle of a bootstrap on two workers: no trace, exit code 130, and no process is left behind."""
    process = subprocess.Popen(
        [sys.executable, "-m", "dusk_arrow.command_line", "fit", str(DEMO / "river_wardens.txt"),
         "--data", str(DEMO / "river_wardens.csv"), "--bootstrap", "100000", "--workers", "2"],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")}, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # a shell that runs tests in the background ignores it
    )  # fmt: skip
    deadline = time.monotonic() + 40
    while sum(busy(number) > 2 for number in children(process.pid)) < 2 and time.monotonic() < deadline:
        time.sleep(0.1)  # both have imported what they need and are at work
    workers = children(process.pid)
    assert len(workers) >= 2
    os.killpg(process.pid, signal.SIGINT)  # a terminal sends it to everybody
    out, err = process.communicate(timeout=20)
    assert (process.returncode, out) == (130, "")
    assert "Traceback" not in err
    while any(Path(f"/proc/{number}").exists() for number in workers) and time.monotonic() < deadline:
        time.sleep(0.1)
    assert not any(Path(f"/proc/{number}").exists() for number in workers)


def busy(process: int) -> float:
    """The seconds of a processor that a process has used."""
    fields = Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def children(process: int) -> list[int]:
    listed = Path(f"/proc/{process}/task/{process}/children")
    return [int(number) for number in listed.read_text().split()] if listed.exists() else []


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), "is full; make room and start again"),
        (
            PermissionError(errno.EACCES, "Permission denied", "cluster.new"),
            "cluster.new cannot be used: Permission denied",
        ),
        (ClusterError("The database server did not start."), "did not start"),
        (ImportError("no module named nothing"), "could not start: no module named nothing"),
    ],
)
def test_whatever_stands_in_the_way_of_a_start_is_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], error: Exception, said: str
) -> None:
    """A full disk, a folder of somebody else's, a failed import: one line, exit code 1, and the database stopped again."""
    stopped: list[bool] = []

    def fail(_cluster: Cluster) -> bool:
        raise error

    monkeypatch.setattr(Cluster, "create", fail)
    monkeypatch.setattr(Cluster, "stop", lambda _cluster: stopped.append(True))
    monkeypatch.setenv("DUSK_DATA", str(tmp_path))
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    before = [signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM)]
    try:
        assert start([]) == 1
    finally:
        signal.signal(signal.SIGINT, before[0])
        signal.signal(signal.SIGTERM, before[1])
        tempfile.tempdir = None
    err = capsys.readouterr().err
    assert said in err
    assert "Traceback" not in err
    assert stopped == [True]


def _of(folder: Path) -> list[int]:
    """Processes of ours that were started with a data folder."""
    wanted, found = f"DUSK_DATA={folder}".encode(), []
    for entry in Path("/proc").iterdir():
        with suppress(OSError):
            if entry.name.isdigit() and wanted in (entry / "environ").read_bytes().split(b"\0"):
                found.append(int(entry.name))
    return found


def _server(folder: Path) -> subprocess.Popen[str]:
    """A server that is ready."""
    process = subprocess.Popen(
        [sys.executable, "-m", "dusk_arrow.command_line", "start"],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "DUSK_DATA": str(folder)},
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    assert "ready" in process.stdout.readline()
    return process


def test_nothing_lives_on_and_nothing_hangs() -> None:
    """Workers of a killed server ran on for half an hour; a server whose window was closed did not end at all."""
    folder = Path(tempfile.mkdtemp(prefix="dusk-arrow-tests-", dir="/tmp"))
    try:
        for moment in (0.0,):  # while its workers are being started
            process = _server(folder)
            time.sleep(moment)
            process.kill()
            errors = process.communicate()[1]
            assert "Traceback" not in errors
            deadline = time.monotonic() + 10
            while _of(folder) and time.monotonic() < deadline:
                time.sleep(0.1)
            assert _of(folder) == []
        process = _server(folder)
        assert process.stdout is not None
        assert process.stderr is not None
        process.stdout.close()
        process.stderr.close()
        process.send_signal(signal.SIGINT)
        process.wait(20)
        deadline = time.monotonic() + 5
        while _of(folder) and time.monotonic() < deadline:
            time.sleep(0.1)
        assert _of(folder) == []
        assert not Cluster(folder).running()
    finally:
        Cluster(folder).stop()
        shutil.rmtree(folder, ignore_errors=True)
