"""Starting and stopping: database first, then the server; everything that was started is stopped again."""

from __future__ import annotations

import argparse
import errno
import fcntl
import importlib
import logging
import os
import shutil
import signal
import socket
import sys
import tempfile
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path
from types import FrameType

from dusk_arrow.command_line.places import (
    PORT,
    PROGRAM,
    SettingError,
    data_folder,
    log_level,
    usable_data_folder,
    wanted_port,
    workers,
)
from dusk_arrow.records.cluster import Cluster, ClusterError

STOPPED = 130


def say(words: str) -> None:
    """One line of progress, for whoever still reads."""
    with suppress(OSError):
        print(f"· {words}", file=sys.stderr, flush=True)


def _free_port(wanted: int | None) -> int:
    """The port that was asked for, or the usual one, or any where that is taken. Raises SettingError where the one that
    was asked for is taken."""
    for port in (wanted,) if wanted is not None else (PORT, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except PermissionError:
                raise SettingError(f"Port {port} may not be used by this account; choose one above 1023.") from None
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise SettingError(f"Port {wanted} is in use. Choose another one, or leave it open to have a free one found.")


def _lock(folder: Path) -> int | None:
    """Holds the data folder for this process; None where another one holds it."""
    handle = os.open(folder / "lock", os.O_CREAT | os.O_RDWR, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle


def _sweep(folder: Path) -> None:
    """An empty folder for temporary files, this process's and its workers'; what killed ones left is removed."""
    temporary = folder / "temporary"
    shutil.rmtree(temporary, ignore_errors=True)
    temporary.mkdir(mode=0o700, parents=True, exist_ok=True)
    os.environ["TMPDIR"] = str(temporary)
    tempfile.tempdir = None


def _failed(error: Exception) -> int:
    """Says in one sentence why something did not work, and returns the exit code."""
    if isinstance(error, SettingError):
        print(error, file=sys.stderr)
        return 2
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        print(f"The disk of {data_folder()} is full; make room and start again. Nothing was lost.", file=sys.stderr)
    elif isinstance(error, OSError) and error.filename:
        print(f"{error.filename} cannot be used: {error.strerror}.", file=sys.stderr)
    elif isinstance(error, ClusterError):
        print(error, file=sys.stderr)
    else:
        logging.getLogger(__name__).debug("failed", exc_info=error)
        first = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        print(f"Dusk Arrow could not start: {first} (DUSK_LOG=debug tells more). Nothing was lost.", file=sys.stderr)
    return 1


@contextmanager
def holding(folder: Path) -> Iterator[bool]:
    """Whether the data folder could be held for this process alone; it is let go at the end."""
    handle = _lock(folder)
    try:
        yield handle is not None
    finally:
        if handle is not None:
            os.close(handle)


def start(arguments: list[str]) -> int:
    """Starts everything, prints the address, and waits for Ctrl-C. Returns the exit code."""
    parser = argparse.ArgumentParser(prog=f"{PROGRAM} start", description="Start Dusk Arrow on this machine.")
    parser.add_argument("--port", help=f"default: {PORT}, or a free one where that is in use")
    options = parser.parse_args(arguments)
    stopped = threading.Event()

    def on_signal(_number: int, _frame: FrameType | None) -> None:
        stopped.set()

    signal.signal(signal.SIGINT, on_signal)
    signal.signal(signal.SIGTERM, on_signal)
    signal.signal(signal.SIGHUP, on_signal)  # the window that it was started in was closed
    try:
        logging.basicConfig(
            level=log_level(),
            format='{"time":"%(asctime)s","level":"%(levelname)s","from":"%(name)s","message":"%(message)s"}',
        )
        wanted, crew, folder = wanted_port(options.port), workers(), usable_data_folder()
        with holding(folder) as ours:
            if not ours:
                note = folder / "address"
                known = note.read_text().strip() if note.exists() else "another address"
                print(f"Dusk Arrow is already running: {known}", file=sys.stderr)
                return 1
            port = _free_port(wanted)
            _sweep(folder)
            return _run(Cluster(folder), port, crew, stopped)
    except Exception as error:
        return _failed(error)


def _run(cluster: Cluster, port: int, crew: int, stopped: threading.Event) -> int:
    address_note = cluster.folder / "address"
    try:
        if cluster.create():
            say("database created")
        say("database adopted from an earlier start" if cluster.running() else "starting the database")
        with ThreadPoolExecutor(1) as aside:
            database = aside.submit(cluster.start)
            importlib.import_module("dusk_arrow.command_line.serving")  # takes as long as the database to start
            database.result()
        cluster.ensure_database()
        if stopped.is_set():
            return STOPPED
        from dusk_arrow.command_line.serving import serve

        serve(cluster, port, crew, stopped, lambda address: _ready(address, address_note), say)
        return 0
    finally:
        cluster.stop()
        address_note.unlink(missing_ok=True)
        say("stopped")


def _ready(address: str, note: Path) -> None:
    note.write_text(address + "\n")
    with suppress(OSError):
        print(f"Dusk Arrow is ready at {address}   (Ctrl-C stops it)", flush=True)


def with_records(prog: str, description: str, arguments: list[str]) -> int:
    """`backup FILE` and `restore FILE`: on a database that runs for it alone, or (backup) on the running one."""
    parser = argparse.ArgumentParser(prog=f"{PROGRAM} {prog}", description=description)
    parser.add_argument("file", type=Path, metavar="FILE")
    target: Path = parser.parse_args(arguments).file.resolve()
    from dusk_arrow.records.backups import back_up, restore

    try:
        folder = usable_data_folder()
        cluster = Cluster(folder)
        if prog == "restore" and not target.is_file():
            raise SettingError(f"There is no file {target}.")
        with holding(folder) as ours:
            if not ours and prog == "restore":
                print("Dusk Arrow is running; stop it first, then restore.", file=sys.stderr)
                return 2
            if ours:
                cluster.create()
                cluster.start()
            try:
                cluster.ensure_database()
                if prog == "backup":
                    target.parent.mkdir(parents=True, exist_ok=True)
                    back_up(cluster, target)
                    say(f"backed up to {target}")
                else:
                    kept = restore(cluster, target)
                    say(f"restored; what was there before is kept in {kept}")
            finally:
                if ours:
                    cluster.stop()
        return 0
    except Exception as error:
        return _failed(error)
