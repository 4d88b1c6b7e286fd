"""A bootstrap on the workers of a cluster: a real scheduler and two workers on loopback."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import cast

import pytest

from dusk_arrow.core.family import Task
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs import cluster
from dusk_arrow.runs.cluster import ClusterPool
from tests.conftest import ROOT, demo_data, demo_text


def dask(*arguments: str) -> subprocess.Popen[bytes]:
    """The command that a user would give."""
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "OPENBLAS_NUM_THREADS": "1"}
    command = [str(Path(sys.executable).with_name("dask")), *arguments]
    return subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def worker(address: str) -> subprocess.Popen[bytes]:
    return dask("worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard")


@pytest.fixture(scope="module")
def workers() -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        address = f"tcp://127.0.0.1:{probe.getsockname()[1]}"
    port = address.rsplit(":", 1)[1]
    scheduler = dask("scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard")
    crew = [worker(address) for _ in range(2)]
    deadline = time.monotonic() + 60
    pool = None
    while time.monotonic() < deadline:
        try:
            pool = pool or ClusterPool(address)
            if pool.workers == 2:
                break
        except ProblemError:
            pass
        time.sleep(0.2)
    if pool is not None:
        pool.close()
    yield address, crew
    for process in (*crew, scheduler):
        process.terminate()
        process.wait(20)


def test_a_cluster_gives_the_same_numbers(workers: tuple[str, list[subprocess.Popen[bytes]]]) -> None:
    """Whoever borrows machines for a night must not get other figures for the paper: to the last bit on one machine, also
    when all who have a part in it are killed in mid-run and another one joins."""
    address, crew = workers
    spec, data = parse(demo_text("night_ferry")), demo_data("night_ferry")
    settings = Settings(bootstrap=4000, seed=3)
    alone = assemble(analyse(spec, data, settings))
    pool = ClusterPool(address)
    assert pool.workers == 2
    seen: list[int] = []

    def runner(task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        for result in pool(task, chunks):
            if result is not None:
                seen.append(len(seen))
                if len(seen) == 2:
                    for process in crew:
                        process.send_signal(signal.SIGKILL)
                    crew.append(worker(address))
            yield result

    try:
        assert assemble(analyse(spec, data, settings, runner)) == alone
        assert len(seen) == 8
    finally:
        pool.close()


def test_a_cluster_without_workers_is_a_problem_in_words(
    workers: tuple[str, list[subprocess.Popen[bytes]]], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Who started the scheduler alone must hear of it, not wait."""
    address, crew = workers
    for process in crew:
        process.kill()
    pool = ClusterPool(address)
    deadline = time.monotonic() + 20
    while pool._client.nthreads() and time.monotonic() < deadline:
        time.sleep(0.1)
    monkeypatch.setattr(cluster, "PATIENCE", 0.5)
    with pytest.raises(ProblemError) as caught:
        list(pool(cast(Task, None), []))
    assert "It needs a worker at least" in caught.value.problems[0].message
    pool.close()


def test_a_cluster_that_is_not_there_is_a_problem_in_words(monkeypatch: pytest.MonkeyPatch) -> None:
    """A mistyped address ends a run with what to do, not with silence."""
    monkeypatch.setattr(cluster, "PATIENCE", 0.3)
    with pytest.raises(ProblemError) as caught:
        ClusterPool("tcp://127.0.0.1:9")
    assert "No scheduler answers at tcp://127.0.0.1:9" in caught.value.problems[0].message
