"""Runs as the server knows them: handed to the crew, whose process is kept alive, and followed through the records."""

from __future__ import annotations

import logging
import os
from multiprocessing import get_context
from multiprocessing.process import BaseProcess
from threading import Condition, RLock, Thread

import psycopg
from procrastinate import App
from procrastinate.exceptions import ConnectorException
from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError

from dusk_arrow.records.database import Sessions
from dusk_arrow.records.runs import CHANNEL
from dusk_arrow.runs import queue
from dusk_arrow.runs.crew import work
from dusk_arrow.runs.interrupts import interrupts_kept_away

log = logging.getLogger(__name__)
LISTEN = 1.0
ENOUGH = 5.0


class Changes:
    """What has changed about runs, counted; the database tells of every change."""

    def __init__(self, engine: Engine) -> None:
        self._address = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        self._changed = Condition()
        self._counts: dict[int, int] = {}
        self._all = 0
        self._closed = False
        self._thread: Thread | None = None

    def count(self, run_id: int) -> int:
        """How often something has changed about a run, as far as it was told."""
        with self._changed:
            if self._thread is None and not self._closed:
                self._thread = Thread(target=self._listen, daemon=True)
                self._thread.start()
            return self._all + self._counts.get(run_id, 0)

    @property
    def closed(self) -> bool:
        """Whether there is nothing more to wait for."""
        return self._closed

    def close(self) -> None:
        """Lets everybody go."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()

    def _listen(self) -> None:
        while not self._closed:
            try:
                with psycopg.connect(self._address, autocommit=True) as connection:
                    connection.execute(f"listen {CHANNEL}")
                    self._tell(None)  # what has happened before is not told any more
                    while not self._closed:
                        for notice in connection.notifies(timeout=LISTEN):
                            self._tell(int(notice.payload))
            except psycopg.OperationalError:
                with self._changed:
                    self._changed.wait_for(lambda: self._closed, LISTEN)

    def _tell(self, run_id: int | None) -> None:
        with self._changed:
            if run_id is None:
                self._all += 1
            else:
                self._counts[run_id] = self._counts.get(run_id, 0) + 1


class Runs:
    """Hands runs to the crew. Its process is started when first needed, and anew where it has died."""

    def __init__(self, sessions: Sessions, workers: int, scheduler: str | None = None) -> None:
        self._engine: Engine = sessions.kw["bind"]
        self.workers, self._scheduler = workers, scheduler
        self._crew: BaseProcess | None = None
        self._queue: App | None = None
        self._lock = RLock()
        self._missed: set[int] = set()
        self._closed = False
        self.changes = Changes(self._engine)

    def start(self, run_id: int) -> None:
        """Puts a run that is on record into the queue. Where the database is away, that is done once it is back."""
        with self._lock:
            self._missed.add(run_id)
            self.ensure()

    def ensure(self) -> None:
        """Sees to it that there is a crew, which takes up every run that is open when it starts, and that no run was missed. Does
        nothing while the database is away: call it again."""
        with self._lock:
            try:
                if not self._closed:
                    self._start_crew()
                    self._enqueue()
            except (OperationalError, ConnectorException) as error:
                log.warning("runs wait for the database: %s", error)

    def _start_crew(self) -> None:
        if self._crew is not None and self._crew.is_alive():
            return
        if self._crew is not None:
            log.warning("the process that works off runs has ended; starting it again")
        queue.prepare(self._engine)
        url = self._engine.url.render_as_string(hide_password=False)
        self._crew = get_context("spawn").Process(target=work, args=(url, self.workers, self._scheduler, os.getpid()))
        with interrupts_kept_away():
            self._crew.start()

    def _enqueue(self) -> None:
        if not self._missed:
            return
        if self._queue is None:
            self._queue = queue.queue(queue.address(self._engine), waits=False)
            self._queue.open()
        for run_id in sorted(self._missed):
            queue.enqueue(self._queue, run_id)
            self._missed.discard(run_id)

    def close(self) -> None:
        """Ends the crew and its workers; open runs go on with the next one."""
        self.changes.close()
        with self._lock:
            self._closed = True
            if self._crew is not None:
                self._crew.terminate()
                self._crew.join(ENOUGH)
                if self._crew.is_alive():
                    self._crew.kill()
                    self._crew.join(ENOUGH)
                self._crew = None
            if self._queue is not None:
                self._queue.close()
                self._queue = None
