"""How long a bootstrap will take, found out by drawing a few."""

from __future__ import annotations

from collections.abc import Iterator
from time import monotonic

from dusk_arrow.core.family import Task
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.bootstrapping import run_here
from dusk_arrow.results.settings import Settings

TRIED = 8


def takes_long(settings: Settings) -> bool:
    """Whether each resample takes long: of incomplete cases by full information, or with weights of its own."""
    return settings.missing == "full-information" or settings.estimator == "adf"


def seconds_per_resample(specification: Specification, data: DataSet, settings: Settings) -> float | None:
    """Seconds of one processor; None where nothing can be drawn."""
    spent: list[float] = []

    def timed(task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult]:
        begun = monotonic()
        drawn = list(run_here(task, chunks))
        spent.append(monotonic() - begun)
        yield from drawn

    tried = settings.of_estimation().model_copy(update={"bootstrap": TRIED})
    analyse(specification, data, tried, timed, depth="brief")
    return spent[0] / TRIED if spent else None
