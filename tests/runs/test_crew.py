"""Runs that survive: whatever is killed costs time, never a result, and nobody's run has to wait for a long one to end."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.core.family import Task
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import ModelRow, RunRow
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import run_here
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs import crew as crew_module
from dusk_arrow.runs import keeping
from dusk_arrow.runs.crew import Crew
from dusk_arrow.runs.pool import WorkerPool
from tests.conftest import DEMO, demo_data, demo_text

WHOLE = Settings(bootstrap=1500, seed=3)


class Killed(BaseException):
    """What a killed process never gets to handle."""


class Counted:
    """A runner in this process that counts what it draws, and can be killed after so many chunks."""

    def __init__(self, survives: int = 10**6) -> None:
        self.survives = survives
        self.numbers: list[int] = []

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        for chunk, result in zip(chunks, run_here(task, chunks), strict=True):
            if len(self.numbers) == self.survives:
                raise Killed
            self.numbers.append(chunk.number)
            yield None
            yield result


@pytest.fixture(scope="module")
def wanted() -> Results:
    """The same bootstrap without records, queue or crew."""
    return assemble(analyse(parse(demo_text("night_ferry")), demo_data("night_ferry"), WHOLE, depth="thorough"))


@pytest.fixture(scope="module")
def studies(records: Sessions) -> Sessions:
    load_demo(records, DEMO)
    return records


@pytest.fixture
def again() -> list[int]:
    return []


def begin(records: Sessions, settings: Settings = WHOLE) -> int:
    with records.begin() as session:
        model = session.get_one(ModelRow, 1)
        row = RunRow(
            model_id=1, revision_id=store.head_of(session, model).id, key="k", estimation="e", state="waiting", requested=settings.bootstrap,
            settings=settings.model_dump(mode="json"),
        )  # fmt: skip
        session.add(row)
        session.flush()
        return row.id


def on_record(records: Sessions, run_id: int) -> RunRow:
    with records() as session:
        row = session.get_one(RunRow, run_id)
        _ = row.results
        return row


def the_same(found: dict[str, Any] | None, wanted: Results) -> bool:
    """To the last bit in everything that rests on resamples."""
    assert found is not None
    results = Results.model_validate(found)
    return (results.effects, results.parameters, results.bootstrap_figures, results.differences) == (
        wanted.effects, wanted.parameters, wanted.bootstrap_figures, wanted.differences
    )  # fmt: skip


def chunks_kept(records: Sessions, run_id: int) -> int:
    with records() as session:
        return len(runs.kept_chunks(session, run_id, keeping.__version__))


def test_a_killed_run_goes_on_from_its_finished_chunks(
    studies: Sessions, wanted: Results, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody's night of resamples is not drawn again because the machine was restarted, and gives the same numbers."""
    monkeypatch.setattr(keeping, "KEEP_EVERY", 0.0)
    run = begin(studies)
    with pytest.raises(Killed):
        Crew(studies, lambda: Counted(survives=2), lambda _: None).turn(run)
    assert (on_record(studies, run).state, chunks_kept(studies, run)) == ("running", 2)
    second = Counted()
    Crew(studies, lambda: second, lambda _: None).turn(run)
    row = on_record(studies, run)
    assert (row.state, row.done, second.numbers) == ("finished", 1500, [2])
    assert the_same(row.results, wanted)
    assert chunks_kept(studies, run) == 0, "a finished run leaves nothing behind"


def test_chunks_of_another_version_are_drawn_again(studies: Sessions, monkeypatch: pytest.MonkeyPatch) -> None:
    """After an update half a bootstrap of the old program and half of the new one must not be mixed."""
    monkeypatch.setattr(keeping, "KEEP_EVERY", 0.0)
    run = begin(studies)
    with pytest.raises(Killed):
        Crew(studies, lambda: Counted(survives=1), lambda _: None).turn(run)
    monkeypatch.setattr(keeping, "__version__", "another")
    second = Counted()
    Crew(studies, lambda: second, lambda _: None).turn(run)
    assert second.numbers == [0, 1, 2]


def test_a_long_run_gives_way_to_those_that_wait(
    studies: Sessions, wanted: Results, again: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A colleague's minute-long run does not hold up one of a second; both end with the numbers they would have had alone."""
    monkeypatch.setattr(crew_module, "SLICE", 0.0)
    monkeypatch.setattr(crew_module, "TELL_EVERY", 0.0)
    long, other = begin(studies), begin(studies, Settings(bootstrap=256, seed=5))
    runner = Counted()
    crew = Crew(studies, lambda: runner, again.append)
    crew.turn(long)
    assert (on_record(studies, long).state, again) == ("waiting", [long])
    assert 0 < on_record(studies, long).done < 1500
    crew.turn(other)
    assert on_record(studies, other).state == "finished"
    crew.turn(long)
    assert the_same(on_record(studies, long).results, wanted)
    assert sorted(runner.numbers) == [0, 0, 1, 2], "no chunk was drawn twice"


def test_results_so_far_are_shown_and_called_so(studies: Sessions, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever watches a long run sees intervals early, and on how many resamples they rest."""
    monkeypatch.setattr(crew_module, "FIRST_SHOWN", 0.0)
    monkeypatch.setattr(crew_module, "TELL_EVERY", 0.0)
    run = begin(studies)
    with pytest.raises(Killed):
        Crew(studies, lambda: Counted(survives=2), lambda _: None).turn(run)
    row = on_record(studies, run)
    assert row.state == "running"
    found = Results.model_validate(row.results)
    assert found.bootstrap_summary is not None
    assert (row.so_far, found.bootstrap_summary.used, found.bootstrap_summary.requested) == (1024, 1024, 1500)
    first = assemble(
        analyse(parse(demo_text("night_ferry")), demo_data("night_ferry"), Settings(bootstrap=1024, seed=3))
    )
    assert found.effects == first.effects, "the first 1,024 are those of a run of 1,024"
    with studies() as session:
        own = row.estimation
        assert runs.latest_run(session, 1, own, unfinished=True).id == run  # type: ignore[union-attr]
        done = runs.latest_run(session, 1, own)
        assert done is None or done.id != run


@pytest.mark.parametrize(("asked", "state", "used"), [("stop", "stopped", None), ("keep", "finished", 1024)])
def test_a_run_stopped_between_turns_keeps_all_that_is_on_record_or_nothing(
    asked: str, state: str, used: int | None, studies: Sessions, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Stopping and keeping must not throw away what earlier turns have drawn."""
    monkeypatch.setattr(keeping, "KEEP_EVERY", 0.0)
    run = begin(studies)
    with pytest.raises(Killed):
        Crew(studies, lambda: Counted(survives=2), lambda _: None).turn(run)
    with studies.begin() as session:
        session.get_one(RunRow, run).asked = asked
    monkeypatch.setattr(crew_module, "TELL_EVERY", 0.0)
    Crew(studies, Counted, lambda _: None).turn(run)
    row = on_record(studies, run)
    summary = None if row.results is None else Results.model_validate(row.results).bootstrap_summary
    assert (row.state, summary and summary.used) == (state, used)
    assert chunks_kept(studies, run) == 0


def test_a_model_that_cannot_be_estimated_fails_in_words(studies: Sessions) -> None:
    """A run whose data or settings do not bear the model ends, with the reason."""
    run = begin(studies)
    with studies.begin() as session:
        row = session.get_one(RunRow, run)
        row.settings = {**row.settings, "estimator": "adf", "missing": "full-information"}
    Crew(studies, Counted, lambda _: None).turn(run)
    row = on_record(studies, run)
    assert (row.state, row.results) == ("failed", None)
    assert row.message


def test_workers_and_their_deaths_change_no_number(wanted: Results) -> None:
    """The same seed gives the same numbers, to the last bit, for four workers and where one of them is killed."""
    pool = WorkerPool(4)
    killed: list[int] = []

    def runner(task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        for result in pool(task, chunks):
            if result is not None and not killed:
                killed.append(next(iter(pool._pool._processes)))  # type: ignore[union-attr]
                os.kill(killed[0], signal.SIGKILL)
            yield result

    spec, data = parse(demo_text("night_ferry")), demo_data("night_ferry")
    try:
        found = assemble(analyse(spec, data, WHOLE, runner, depth="thorough"))
    finally:
        pool.close()
    assert killed
    assert found == wanted


def test_chunks_survive_the_way_into_the_record() -> None:
    """Every number comes back as it went in, those that are not numbers too."""
    figures = np.array([[1.0, np.nan, -0.0], [np.inf, 1e-300, 2 / 3]])
    found = keeping.unpacked(keeping.packed(ChunkResult(figures, np.array([True, False]), 3, np.zeros((0, 6)))))
    assert found.statistics.tobytes() == figures.tobytes()
    assert (found.admissible.tolist(), found.failed, found.transformed.shape) == ([True, False], 3, (0, 6))
