"""Working off the chunks of a task on any executor, in order, a few ahead of whoever takes the results."""

from __future__ import annotations

import pickle
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, Future
from pathlib import Path
from typing import Any

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import Family, Task
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult

BEAT = 0.2
AHEAD = 3
ATTEMPTS = 4
_prepared: dict[str, tuple[Family, Any]] = {}  # in each worker: the task it is at


def _loaded(mark: str, load: Callable[[], bytes]) -> tuple[Family, Any]:
    found = _prepared.get(mark)
    if found is None:
        task: Task = pickle.loads(load())
        family = FAMILIES[task.family]
        found = family, family.prepare(task)
        _prepared.clear()
        _prepared[mark] = found
    return found


def ready() -> bool:
    """What a worker answers once everything is imported."""
    return bool(FAMILIES)


def run_from_file(path: str, chunk: Chunk) -> ChunkResult:
    """One chunk of a task that lies in a file, which is read and prepared once in each worker."""
    family, prepared = _loaded(path, Path(path).read_bytes)
    return family.run_chunk(prepared, chunk)


def sent(packed: bytes) -> bytes:
    """A task on its way to the workers, who have it from the first of them."""
    return packed


def run_sent(mark: str, packed: bytes, chunk: Chunk) -> ChunkResult:
    """One chunk of a task that was sent, which is prepared once in each worker that has it under this mark."""
    family, prepared = _loaded(mark, lambda: packed)
    return family.run_chunk(prepared, chunk)


def in_order(
    submit: Callable[[Chunk], Future[ChunkResult]], again: Callable[[], None], chunks: list[Chunk], workers: int
) -> Iterator[ChunkResult | None]:
    """The results of chunks in their order, None for every beat that passes without one.

    Workers that died cost time, not results: `again` sees to new ones, and what was under way is submitted once more. Raises
    BrokenExecutor where they die again and again.
    """
    left, under_way, deaths = deque(chunks), deque[tuple[Chunk, Future[ChunkResult]]](), 0
    try:
        while left or under_way:
            try:
                while left and len(under_way) < AHEAD * workers:
                    under_way.append((left[0], submit(left[0])))
                    left.popleft()
                future = under_way[0][1]
                result = future.result(BEAT)
            except TimeoutError:
                if future.done() and not future.cancelled():
                    raise
                yield None
                continue
            except BrokenExecutor:
                deaths += 1
                if deaths == ATTEMPTS:
                    raise
                again()
                left.extendleft(chunk for chunk, _ in reversed(under_way))
                under_way.clear()
                continue
            deaths = 0
            under_way.popleft()
            yield result
    finally:
        for _, future in under_way:
            future.cancel()
