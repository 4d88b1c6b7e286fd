"""Starting and stopping: database first, then the server; everything that was started is stopped again."""

from __future__ import annotations

import argparse
import fcntl
import importlib
import logging
import os
import signal
import socket
import sys
import threading
from pathlib import Path
from types import FrameType

from dusk_arrow.command_line.places import data_folder, workers
from dusk_arrow.records.cluster import Cluster, ClusterError

PORT = 8460


def say(words: str) -> None:
    """One line of progress."""
    print(f"· {words}", file=sys.stderr, flush=True)


def _free_port(wanted: int) -> int:
    """The wanted port where it is free, else any."""
    for port in (wanted, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise OSError("no free port")


def _lock(folder: Path) -> int | None:
    """Holds the data folder for this process; None where another one holds it."""
    folder.mkdir(parents=True, exist_ok=True)
    handle = os.open(folder / "lock", os.O_CREAT | os.O_RDWR, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle


def start(arguments: list[str]) -> int:
    """Starts everything, prints the address, and waits for Ctrl-C. Returns the exit code."""
    parser = argparse.ArgumentParser(prog="./dusk start", description="Start Dusk Arrow on this machine.")
    parser.add_argument("--port", type=int, default=int(os.environ.get("DUSK_PORT", PORT)), help=f"default {PORT}")
    options = parser.parse_args(arguments)
    level = os.environ.get("DUSK_LOG", "warning").upper()
    logging.basicConfig(
        level=level, format='{"time":"%(asctime)s","level":"%(levelname)s","from":"%(name)s","message":"%(message)s"}'
    )
    folder = data_folder()
    handle = _lock(folder)
    address_note = folder / "address"
    if handle is None:
        known = address_note.read_text().strip() if address_note.exists() else "another address"
        print(f"Dusk Arrow is already running: {known}", file=sys.stderr)
        return 1
    stopped = threading.Event()

    def on_signal(_number: int, _frame: FrameType | None) -> None:
        stopped.set()

    signal.signal(signal.SIGINT, on_signal)
    signal.signal(signal.SIGTERM, on_signal)
    cluster = Cluster(folder)
    try:
        if cluster.create():
            say("database created")
        say("database adopted from an earlier start" if cluster.running() else "starting the database")
        database = threading.Thread(target=cluster.start)
        database.start()
        importlib.import_module("dusk_arrow.command_line.serving")  # takes as long as the database to start
        database.join()
        cluster.ensure_database()
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 1
    try:
        from dusk_arrow.command_line.serving import serve

        port = _free_port(options.port)
        serve(cluster, port, workers(), stopped, lambda address: _ready(address, address_note))
        return 0
    finally:
        cluster.stop()
        address_note.unlink(missing_ok=True)
        os.close(handle)
        say("stopped")


def _ready(address: str, note: Path) -> None:
    note.write_text(address + "\n")
    print(f"Dusk Arrow is ready at {address}   (Ctrl-C stops it)", flush=True)
