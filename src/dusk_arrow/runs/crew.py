"""The process that works off runs, one turn after another, with worker processes of its own or on a cluster.

A run that has had its turn while others wait goes to the end of the queue; its finished chunks are on record, and so it goes
on from them, also after this process, a worker, the server or the database was killed.
"""

from __future__ import annotations

import gc
import logging
import os
import sys
from collections.abc import Callable
from contextlib import suppress
from time import monotonic, sleep
from typing import TypeVar

from cachetools import LRUCache
from procrastinate import JobContext
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.database import Sessions, connect, sessions
from dusk_arrow.records.tables import RevisionRow, RunRow
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import ChunkRunner, Onward, PausedError, StoppedError
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs import queue
from dusk_arrow.runs.keeping import Keeper
from dusk_arrow.runs.processes import as_worker
from dusk_arrow.runs.workers import Workers, workers_of

log = logging.getLogger(__name__)
T = TypeVar("T")
PATIENCE = 60
TELL_EVERY = 0.2
SLICE = 3.0
FIRST_SHOWN = 1.0
SELDOM = 30.0
POLITE = 5


class Turn:
    """One turn of a run: what it tells the record, and what it is told."""

    def __init__(self, crew: Crew, run_id: int, keeper: Keeper, leaving: Callable[[], bool]) -> None:
        self._crew, self._run_id, self._keeper, self._leaving = crew, run_id, keeper, leaving
        self._begun = self._told = monotonic()
        self._show_next = FIRST_SHOWN

    def progress(self, done: int, requested: int) -> Onward:
        """What the bootstrap asks after every chunk, and while it waits for one."""
        at = monotonic()
        if self._leaving():
            return "pause"
        if done == requested or at - self._told < TELL_EVERY:
            return "on"
        self._told = at
        pace = (at - self._begun) / self._keeper.drawn if self._keeper.drawn else None
        left = None if pace is None else pace * (requested - done)
        asked, others_wait = self._crew.with_records(lambda session: self._tell(session, done, left))
        if asked == "keep":
            return "on" if self._from_record(done) else "keep"  # what is on record already is kept with it
        if asked is not None:
            return "stop"
        if others_wait and self._keeper.drawn and at - self._begun > SLICE:
            return "pause"
        if at - self._begun >= self._show_next:
            self._show_next += min(self._show_next, SELDOM)
            return "show"
        return "on"

    def _from_record(self, done: int) -> bool:
        return not self._keeper.drawn and done < sum(size for (left, _), size in self._keeper.known.items() if not left)

    def _tell(self, session: Session, done: int, left: float | None) -> tuple[str | None, bool]:
        """What is asked of the run by now, and whether others wait."""
        run = session.get(RunRow, self._run_id)
        if run is None:
            return "stop", False  # its model was removed for good meanwhile
        runs.update(session, run, done=max(done, run.done), seconds_left=left)
        return run.asked, runs.others_wait(session, self._run_id)

    def show(self, analysis: Analysis) -> None:
        """Puts the results so far on record."""
        results = assemble(analysis)
        summary = results.bootstrap_summary
        so_far = 0 if summary is None else summary.used
        self._crew.record(self._run_id, results=results.model_dump(mode="json"), so_far=so_far)


class Crew:
    """Works off runs. `again` puts a run that has had its turn at the end of the queue."""

    def __init__(self, maker: Sessions, runner: Callable[[], ChunkRunner], again: Callable[[int], None]) -> None:
        self._sessions = maker
        self._workers = runner
        self._again = again
        self._data: LRUCache[int, DataSet | Moments] = LRUCache(2)

    def with_records(self, act: Callable[[Session], T]) -> T:
        """What `act` does with the records; a database that is just being started again is waited for."""
        for attempt in range(PATIENCE):
            try:
                with self._sessions.begin() as session:
                    return act(session)
            except OperationalError:
                if attempt == PATIENCE - 1:
                    raise
                sleep(1.0)
        raise AssertionError

    def record(self, run_id: int, **values: object) -> None:
        """Changes what is on record of a run that is still there."""

        def change(session: Session) -> None:
            run = session.get(RunRow, run_id)
            if run is not None:
                runs.update(session, run, **values)

        self.with_records(change)

    def turn(self, run_id: int, leaving: Callable[[], bool] = lambda: False) -> None:
        """Works on an open run until it has ended, others want their turn, or the crew is `leaving`."""
        begun = self.with_records(lambda session: self._begin(session, run_id))
        if begun is None:
            return
        specification, settings, source = begun
        try:
            keeper = Keeper(run_id, self._workers(), self.with_records)
            watch = Turn(self, run_id, keeper, leaving)
            analysis = analyse(parse(specification), source, settings, keeper, watch.progress, "thorough", watch.show)
            self._end(run_id, *_ending(analysis))
        except PausedError:
            keeper.keep()
            self.record(run_id, state="waiting", seconds_left=None)
            self._again(run_id)
        except StoppedError:
            self._end(run_id, "stopped", runs.STOPPED, None)
        except ProblemError as error:
            self._end(run_id, "failed", error.problems[0].message, None)
        except Exception:
            log.exception("run %s failed", run_id)
            self._end(run_id, "failed", "The run failed; the server's log says why.", None)
        gc.collect()

    def _begin(self, session: Session, run_id: int) -> tuple[str, Settings, DataSet | Moments] | None:
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None or run.state not in runs.OPEN:
            return None
        runs.update(session, run, state="running")
        revision = session.get_one(RevisionRow, run.revision_id)
        number = revision.data_version_id
        if number not in self._data:
            self._data[number] = store.load_version(session, store.version_of(session, revision))
        return revision.specification, Settings.model_validate(run.settings), self._data[number]

    def _end(self, run_id: int, state: str, message: str | None, results: Results | None) -> None:
        values: dict[str, object] = {} if results is None else {"results": results.model_dump(mode="json")}
        summary = None if results is None else results.bootstrap_summary
        if summary is not None:
            values["done"] = summary.used + summary.not_converged
            if summary.stopped:  # whoever asks for the whole run is not answered with a part
                values["key"] = f"{run_id}: {message}"

        def change(session: Session) -> None:
            run = session.get(RunRow, run_id)
            if run is not None:
                runs.end(session, run, state, message, **values)

        self.with_records(change)


def _ending(analysis: Analysis) -> tuple[str, str | None, Results | None]:
    if analysis.outcome != "estimated":
        return "failed", analysis.problems[0].message if analysis.problems else None, None
    results = assemble(analysis)
    summary = results.bootstrap_summary
    message = f"stopped at {summary.used:,}" if summary is not None and summary.stopped else None
    return "finished", message, results


def work(url: str, workers: int, scheduler: str | None, parent: int) -> None:
    """What the process does: take up the runs that are open, then wait for more until it is ended."""
    as_worker(parent)
    os.nice(POLITE)  # whoever makes a gesture comes first
    try:
        _work(url, workers, scheduler)
    except Exception as error:  # the server starts another one
        log.error("the process that works off runs has ended: %s", error)
        sys.exit(1)


def _work(url: str, workers: int, scheduler: str | None) -> None:
    engine = connect(url)
    maker, where = sessions(engine), queue.address(engine)
    pools: list[Workers] = []

    def runner() -> Workers:
        if not pools:
            pools.append(workers_of(workers, scheduler))
        return pools[0]

    sender = queue.queue(where, waits=False)
    receiver = queue.queue(where, waits=True)
    crew = Crew(maker, runner, lambda run_id: queue.enqueue(sender, run_id))

    @receiver.task(name=queue.TURN, pass_context=True)
    def turn(context: JobContext, run_id: int) -> None:
        crew.turn(run_id, context.should_abort)

    with sender.open():
        with maker() as session:
            for run in runs.open_runs(session):
                queue.enqueue(sender, run.id)
        with suppress(ProblemError):
            runner().warm()
        receiver.run_worker(delete_jobs="always", shutdown_graceful_timeout=0.0)
    for pool in pools:
        pool.close()
