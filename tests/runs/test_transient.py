"""The short bootstrap after a gesture: it never stands in the way of the next one, nor holds anybody up."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from dusk_arrow.core.family import Task
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.results.bootstrapping import run_here
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs import transient
from dusk_arrow.runs.transient import TransientBootstraps, short
from tests.conftest import demo_data, demo_text


class InThisProcess:
    """Draws here, and does something before each chunk."""

    def __init__(self, before: object = None) -> None:
        self.before = before
        self.drawn = 0

    def warm(self) -> None:
        pass

    def close(self) -> None:
        pass

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        for result in run_here(task, chunks):
            if callable(self.before):
                self.before()
            self.drawn += 1
            yield result


def draw(bootstraps: TransientBootstraps, revision: int) -> bool:
    settings = short(Settings(seed=4, level=0.9))
    return bootstraps.draw(1, str(revision), demo_text("night_ferry"), demo_data("night_ferry"), settings)


@pytest.fixture
def bootstraps() -> Iterator[TransientBootstraps]:
    found = TransientBootstraps()
    yield found
    found.close()


def test_it_is_superseded_by_the_next(bootstraps: TransientBootstraps, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two gestures in a row: the first one's bootstrap gives way at once, and only the second is shown."""

    def next_gesture() -> None:
        runner.before = None
        assert draw(bootstraps, 11)

    runner = InThisProcess(next_gesture)
    monkeypatch.setattr(bootstraps, "_pool", runner)
    assert not draw(bootstraps, 10)
    assert bootstraps.of("10") is None
    found = bootstraps.of("11")
    assert found is not None
    assert found.bootstrap_summary is not None
    assert (found.bootstrap_summary.used, found.bootstrap_summary.level) == (1000, 0.9)
    drawn = runner.drawn
    assert draw(bootstraps, 11)
    assert runner.drawn == drawn, "what is remembered is not drawn again"


def test_it_is_given_up_where_it_takes_long(bootstraps: TransientBootstraps, monkeypatch: pytest.MonkeyPatch) -> None:
    """A model with full information over hundreds of patterns must not keep a core busy after every gesture."""
    clock = [0.0]
    monkeypatch.setattr(transient, "monotonic", lambda: clock[0])

    def slow() -> None:
        clock[0] += 0.6

    runner = InThisProcess(slow)
    monkeypatch.setattr(bootstraps, "_pool", runner)
    assert not draw(bootstraps, 12)
    assert (bootstraps.of("12"), runner.drawn) == (None, 1)


def test_its_own_process_draws_the_same(bootstraps: TransientBootstraps, monkeypatch: pytest.MonkeyPatch) -> None:
    """What follows a gesture are the numbers that a run of as many resamples would give."""
    bootstraps._seconds = 60.0
    assert draw(bootstraps, 13)
    alone = TransientBootstraps(60.0)
    monkeypatch.setattr(alone, "_pool", InThisProcess())
    assert draw(alone, 13)
    assert bootstraps.of("13") == alone.of("13")
