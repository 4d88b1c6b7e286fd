"""Background runs: started in a thread, worked off by the pool, followed by polling, stopped on request."""

from __future__ import annotations

import logging
from dataclasses import dataclass, field
from threading import Event, Lock, Thread
from time import monotonic, sleep

from sqlalchemy.exc import OperationalError

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import RunRow, now
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import Onward, StoppedError
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs.pool import WorkerPool

log = logging.getLogger(__name__)
ATTEMPTS = 60


@dataclass
class Live:
    """A run in progress."""

    requested: int
    begun: float = field(default_factory=monotonic)
    done: int = 0
    stop: Event = field(default_factory=Event)
    keep: bool = False

    def seconds_left(self) -> float | None:
        """An honest estimate of the time left, once there is something to go by."""
        if self.done == 0:
            return None
        return (monotonic() - self.begun) / self.done * (self.requested - self.done)


class RunManager:
    """Starts runs and knows how far each one is."""

    def __init__(self, sessions: Sessions, pool: WorkerPool) -> None:
        self.sessions = sessions
        self.pool = pool
        self._live: dict[int, Live] = {}
        self._lock = Lock()

    def live(self, run_id: int) -> Live | None:
        """The run's progress while it is in progress."""
        with self._lock:
            return self._live.get(run_id)

    def start(self, run_id: int, specification: str, data: DataSet, settings: Settings) -> None:
        """Begins a run that is already on record."""
        live = Live(settings.bootstrap)
        with self._lock:
            self._live[run_id] = live
        Thread(target=self._work, args=(run_id, live, specification, data, settings), daemon=True).start()

    def stop(self, run_id: int, keep: bool = False) -> None:
        """Asks a run to stop, and to keep what it has drawn so far or nothing."""
        live = self.live(run_id)
        if live is not None:
            live.keep = keep
            live.stop.set()

    def close(self) -> None:
        """Stops every run and the workers."""
        with self._lock:
            for live in self._live.values():
                live.stop.set()
        self.pool.close()

    def _work(self, run_id: int, live: Live, specification: str, data: DataSet, settings: Settings) -> None:
        def progress(done: int, requested: int) -> Onward:
            live.done = done
            if not live.stop.is_set():
                return "on"
            return "keep" if live.keep else "stop"

        results: Results | None = None
        state, message = "finished", None
        try:
            analysis = analyse(parse(specification), data, settings, self.pool, progress, "thorough")
            results = assemble(analysis)
            if analysis.outcome != "estimated":
                state, message = "failed", analysis.problems[0].message if analysis.problems else None
            elif results.bootstrap_summary is not None and results.bootstrap_summary.stopped:
                message = f"stopped at {results.bootstrap_summary.used:,}"
        except StoppedError:
            state, message = "stopped", "The run was stopped; nothing of it was kept."
        except Exception:
            log.exception("run %s failed", run_id)
            state, message = "failed", "The run failed; the server's log says why."
        kept = results.model_dump(mode="json") if results is not None and state == "finished" else None
        try:
            values = {"state": state, "message": message, "done": live.done, "finished": now(), "results": kept}
            if state == "finished" and message is not None:
                values["key"] = f"{run_id}: {message}"  # whoever asks for the whole run is not answered with a part
            self._record(run_id, **values)
        finally:
            with self._lock:
                self._live.pop(run_id, None)

    def _record(self, run_id: int, **values: object) -> None:
        """Writes the end of a run; a database that is just being started again is waited for."""
        for attempt in range(ATTEMPTS):
            try:
                with self.sessions.begin() as session:
                    row = session.get_one(RunRow, run_id)
                    for name, value in values.items():
                        setattr(row, name, value)
                return
            except OperationalError:
                if attempt == ATTEMPTS - 1:
                    raise
                sleep(1.0)
