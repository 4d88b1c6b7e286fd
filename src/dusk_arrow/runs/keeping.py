"""A run's finished chunks on record: what was drawn once need not be drawn again, whatever is killed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from io import BytesIO
from time import monotonic
from typing import Protocol, TypeVar

import numpy as np
from sqlalchemy.orm import Session

from dusk_arrow import __version__
from dusk_arrow.core.family import Task
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.records import runs
from dusk_arrow.results.bootstrapping import ChunkRunner

T = TypeVar("T")
KEEP_EVERY = 1.0


class WithRecords(Protocol):
    """Calls what it is given with a session."""

    def __call__(self, act: Callable[[Session], T], /) -> T:
        """What came of it."""


def packed(result: ChunkResult) -> bytes:
    """A chunk's arrays as bytes (.npz)."""
    file = BytesIO()
    np.savez(file, **result._asdict())
    return file.getvalue()


def unpacked(content: bytes) -> ChunkResult:
    """A chunk of its bytes."""
    with np.load(BytesIO(content), allow_pickle=False) as found:
        arrays = {name: found[name] for name in ChunkResult._fields}
        return ChunkResult(**{**arrays, "failed": int(arrays["failed"])})


class Keeper:
    """Works off chunks by another runner, keeps them on record about once a second, and takes those that are there already
    from the record."""

    def __init__(self, run_id: int, runner: ChunkRunner, with_records: WithRecords) -> None:
        self.run_id = run_id
        self.drawn = 0  # resamples that were worked off here, not taken from the record
        self.known: dict[tuple[bool, int], int] = {}
        self._runner = runner
        self._with_records = with_records
        self._loose: list[tuple[Chunk, ChunkResult]] = []
        self._kept = monotonic()

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        """All chunks in order, None while one is being waited for."""
        self.known = self._with_records(lambda session: runs.kept_chunks(session, self.run_id, __version__))
        fresh = iter(self._runner(task, [chunk for chunk in chunks if not self._has(chunk)]))
        for chunk in chunks:
            if self._has(chunk):
                yield self._from_record(chunk)
                continue
            while (result := next(fresh)) is None:
                yield None
            self.drawn += chunk.size
            self._loose.append((chunk, result))
            if monotonic() - self._kept > KEEP_EVERY:
                self.keep()
            yield result

    def _from_record(self, chunk: Chunk) -> ChunkResult:
        return unpacked(
            self._with_records(lambda session: runs.chunk_content(session, self.run_id, not chunk.seeds, chunk.number))
        )

    def _has(self, chunk: Chunk) -> bool:
        return self.known.get((not chunk.seeds, chunk.number)) == chunk.size

    def keep(self) -> None:
        """Puts on record what is not there yet."""
        loose = [runs.Chunk(not chunk.seeds, chunk.number, chunk.size, packed(found)) for chunk, found in self._loose]
        self._loose, self._kept = [], monotonic()
        self._with_records(lambda session: runs.keep_chunks(session, self.run_id, __version__, loose))
