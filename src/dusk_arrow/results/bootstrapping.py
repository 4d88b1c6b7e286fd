"""Running a bootstrap through any way of working off chunks, and summing it up figure by figure."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, ChunkResult, prepare, run_chunk
from dusk_arrow.core.covariance.figures import Figures
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.resampling.intervals import BootstrapSummary, accelerations, summarise
from dusk_arrow.core.resampling.plans import Chunk, plan_chunks, plan_jackknife
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
    """Summaries by field of `Figures` (plus `alpha` and `htmt`), how many resamples were used, failed or inadmissible,
    and the statistics of the data transformed to the model."""

    summaries: dict[str, list[BootstrapSummary | None]]
    used: int
    not_converged: int
    inadmissible: int
    statistics: Array


ZERO_IS_A_HYPOTHESIS = ("parameters", "standardized", "effects", "effects_standardized", "tracked")


def bootstrap(
    task: BootstrapTask,
    full: Figures,
    blocks: tuple[Array, Array],
    free: Array,
    settings: Settings,
    runner: ChunkRunner = run_here,
    progress: Progress | None = None,
) -> BootstrapOutcome:
    """Bootstrap of every figure. `full` and `blocks` (alpha, HTMT) are those of the whole sample; `free` marks free
    parameters. BCa intervals take a jackknife first.

    `progress(done, requested)` is told after each chunk and answers whether to go on. Raises StoppedError.
    """
    chunks = plan_chunks(settings.bootstrap, settings.seed)
    jackknife = []
    if settings.interval == "bca" and task.evidence.values is not None:
        jackknife = plan_jackknife(task.evidence.values.shape[0])
    everything = [*jackknife, *chunks]
    share = settings.bootstrap / max(sum(chunk.size for chunk in everything), 1)
    found: list[ChunkResult] = []
    left_out: list[ChunkResult] = []
    done = 0
    for chunk, result in zip(everything, runner(task, everything), strict=True):
        (left_out if chunk.seed is None else found).append(result)
        done += chunk.size
        if progress is not None and not progress(round(done * share), settings.bootstrap):
            raise StoppedError

    def side_by_side(results: list[ChunkResult]) -> dict[str, Array]:
        flat = full.split(np.concatenate([r.figures for r in results]))
        return flat | {name: np.concatenate([getattr(r, name) for r in results]) for name in ("alpha", "htmt")}

    draws = side_by_side(found)
    bends = {name: accelerations(values) for name, values in side_by_side(left_out).items()} if left_out else {}
    centre = full.split(full.flat()) | {"alpha": blocks[0], "htmt": blocks[1]}
    summaries = {}
    for name, values in draws.items():
        against = np.full(values.shape[1], name in ZERO_IS_A_HYPOTHESIS)
        summary = summarise(values, centre[name], settings.level, against, bends.get(name))
        if name == "parameters":
            summary = [s if is_free else None for s, is_free in zip(summary, free, strict=True)]
        elif name == "standardized":
            constant = (values.std(axis=0) < 1e-12) if values.shape[0] else np.ones(values.shape[1], dtype=bool)
            summary = [None if still else s for s, still in zip(summary, constant, strict=True)]
        summaries[name] = summary
    kept = np.concatenate([r.admissible for r in found])
    failed = sum(r.failed for r in found)
    statistics = np.concatenate([r.statistics for r in found])
    return BootstrapOutcome(summaries, int(kept.size), failed, int((~kept).sum()), statistics)
