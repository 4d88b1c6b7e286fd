"""Starting and stopping: database first, then the server; everything that was started is stopped again."""

from __future__ import annotations

import argparse
import fcntl
import logging
import os
import signal
import socket
import sys
import threading
from pathlib import Path
from types import FrameType

from waitress import create_server

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.command_line.places import data_folder, demo_folder, front_end, workers
from dusk_arrow.records import store
from dusk_arrow.records.cluster import Cluster, ClusterError
from dusk_arrow.records.database import connect, migrate, sessions
from dusk_arrow.server.app import create_app
from dusk_arrow.server.context import Context

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
        cluster.start()
        cluster.ensure_database()
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 1
    try:
        return _serve(cluster, options.port, address_note, stopped)
    finally:
        cluster.stop()
        address_note.unlink(missing_ok=True)
        os.close(handle)
        say("stopped")


def _serve(cluster: Cluster, wanted: int, address_note: Path, stopped: threading.Event) -> int:
    engine = connect(cluster.url())
    migrate(engine)
    maker = sessions(engine)
    with maker.begin() as session:
        store.close_open_runs(session)
    for name in load_demo(maker, demo_folder()):
        say(f"demo study loaded: {name}")
    app = create_app(maker, front_end(), workers())
    port = _free_port(wanted)
    server = create_server(app, host="127.0.0.1", port=port, threads=64, ident=None)
    address = f"http://127.0.0.1:{port}"
    address_note.write_text(address + "\n")
    threading.Thread(target=server.run, daemon=True).start()
    context: Context = app.extensions["dusk_arrow"]
    threading.Thread(target=context.runs.pool.warm, daemon=True).start()
    print(f"Dusk Arrow is ready at {address}   (Ctrl-C stops it)", flush=True)
    stopped.wait()
    say("stopping")
    context.runs.close()
    server.close()
    engine.dispose()
    return 0
