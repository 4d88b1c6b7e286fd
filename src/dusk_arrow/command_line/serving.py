"""The server itself: records brought up to date, demo loaded, pages and API served until asked to stop."""

from __future__ import annotations

import ctypes
import gc
import logging
import threading
from collections.abc import Callable
from contextlib import suppress

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.command_line.places import demo_folder, front_end, scheduler
from dusk_arrow.records.backups import back_up_when_changed
from dusk_arrow.records.cluster import Cluster, ClusterError
from dusk_arrow.records.database import connect, migrate, outdated, sessions
from dusk_arrow.records.store import fill_fingerprints
from dusk_arrow.server.app import create_app
from dusk_arrow.server.context import Context
from dusk_arrow.server.listening import Listener

LOOK_AGAIN = 1.0
TRIM_EVERY = 20
log = logging.getLogger(__name__)


def serve(
    cluster: Cluster,
    port: int,
    workers: int,
    stopped: threading.Event,
    ready: Callable[[str], None],
    say: Callable[[str], None],
) -> None:
    """Serves on loopback until `stopped` is set; tells `ready` the address once it answers. A database that ends
    meanwhile is started again."""
    engine = connect(cluster.url())
    if outdated(engine):
        _back_up(cluster)
        migrate(engine)
    else:
        threading.Thread(target=_back_up, args=(cluster,), daemon=True).start()
    maker = sessions(engine)
    with maker.begin() as session:
        fill_fingerprints(session)
    for name in load_demo(maker, demo_folder()):
        say(f"demo study loaded: {name}")
    app = create_app(maker, front_end(), workers, scheduler())
    listener = Listener(app, port)
    context: Context = app.extensions["dusk_arrow"]
    ready(f"http://127.0.0.1:{port}")
    context.runs.ensure()
    context.readers.warm()
    looks = 0
    while not stopped.wait(LOOK_AGAIN):
        looks += 1
        if not cluster.running():
            _start_again(cluster, say)
        context.runs.ensure()
        if looks % TRIM_EVERY == 0:
            _return_memory()
    say("stopping")
    context.close()
    listener.close()
    engine.dispose()


def _return_memory() -> None:
    """Gives freed memory back to the system, which the allocator would hold on to after large files."""
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def _back_up(cluster: Cluster) -> None:
    try:
        back_up_when_changed(cluster)
    except ClusterError as error:
        log.warning("no backup was made: %s", error)


def _start_again(cluster: Cluster, say: Callable[[str], None]) -> None:
    """A database that was killed comes back on its old port; requests are told to try again meanwhile."""
    say("the database has ended; starting it again")
    try:
        cluster.start(keep_port=True)
    except ClusterError as error:
        log.error("%s", error)
