"""Running a bootstrap through any way of working off chunks, and summing it up figure by figure."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, ChunkResult, prepare, run_chunk
from dusk_arrow.core.covariance.figures import Figures
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.resampling.intervals import BootstrapSummary, summarise
from dusk_arrow.core.resampling.plans import Chunk, plan_chunks
from dusk_arrow.results.settings import Settings

ChunkRunner = Callable[[BootstrapTask, list[Chunk]], Iterable[ChunkResult]]
Progress = Callable[[int, int], bool]


class StoppedError(Exception):
    """Raised when the user stops a run; nothing of it is kept."""


def run_here(task: BootstrapTask, chunks: list[Chunk]) -> Iterator[ChunkResult]:
    """Works off the chunks in this process, in order."""
    prepared = prepare(task)
    for chunk in chunks:
        yield run_chunk(prepared, chunk)


@dataclass(frozen=True)
class BootstrapOutcome:
    """Summaries by field of `Figures` (plus `alpha`), and how many resamples were used, failed or inadmissible."""

    summaries: dict[str, list[BootstrapSummary | None]]
    used: int
    not_converged: int
    inadmissible: int


ZERO_IS_A_HYPOTHESIS = ("parameters", "standardized", "effects", "effects_standardized", "tracked")


def bootstrap(
    task: BootstrapTask,
    full: Figures,
    alpha: Array,
    free: Array,
    settings: Settings,
    runner: ChunkRunner = run_here,
    progress: Progress | None = None,
) -> BootstrapOutcome:
    """Bootstrap of every figure. `full` and `alpha` are those of the whole sample; `free` marks free parameters.

    `progress(done, requested)` is told after each chunk and answers whether to go on. Raises StoppedError.
    """
    chunks = plan_chunks(settings.bootstrap, settings.seed)
    figures, alphas, admissible = [], [], []
    failed, done = 0, 0
    for chunk, result in zip(chunks, runner(task, chunks), strict=True):
        figures.append(result.figures)
        alphas.append(result.alpha)
        admissible.append(result.admissible)
        failed += result.failed
        done += chunk.size
        if progress is not None and not progress(done, settings.bootstrap):
            raise StoppedError
    draws = full.split(np.concatenate(figures)) | {"alpha": np.concatenate(alphas)}
    centre = full.split(full.flat()) | {"alpha": alpha}
    summaries = {}
    for name, values in draws.items():
        against = np.full(values.shape[1], name in ZERO_IS_A_HYPOTHESIS)
        found = summarise(values, centre[name], settings.level, against)
        if name == "parameters":
            found = [s if is_free else None for s, is_free in zip(found, free, strict=True)]
        elif name == "standardized":
            constant = (values.std(axis=0) < 1e-12) if values.shape[0] else np.ones(values.shape[1], dtype=bool)
            found = [None if still else s for s, still in zip(found, constant, strict=True)]
        summaries[name] = found
    kept = np.concatenate(admissible)
    return BootstrapOutcome(summaries, int(kept.size), failed, int((~kept).sum()))
