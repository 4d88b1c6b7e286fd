"""Running a bootstrap through any way of working off chunks, and summing it up figure by figure."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from dusk_arrow.core.assessment.fit import DistanceFit, Fit
from dusk_arrow.core.effects.contrasts import contrasts
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import Fitted, Task
from dusk_arrow.core.figures import FigureKey, against_zero
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.resampling.intervals import BootstrapSummary, accelerations, summarise
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult, plan_chunks, plan_jackknife, together
from dusk_arrow.results.settings import Settings

ChunkRunner = Callable[[Task, list[Chunk]], Iterable[ChunkResult]]
Onward = Literal["on", "stop", "keep"]
Progress = Callable[[int, int], Onward]


class StoppedError(Exception):
    """Raised when the user stops a run and nothing of it is kept."""


def run_here(task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult]:
    """Works off the chunks in this process, in order."""
    family = FAMILIES[task.family]
    prepared = family.prepare(task)
    for chunk in chunks:
        yield family.run_chunk(prepared, chunk)


@dataclass(frozen=True)
class TransformedTest:
    """The fit tested on data transformed to the model: T of each resample (j,), and how many reached the model's own."""

    statistics: Array
    exceeded: int

    @property
    def p_value(self) -> float:
        """(exceeded + 1) / (used + 1) (Bollen & Stine 1992)."""
        return (self.exceeded + 1) / (self.statistics.size + 1)


@dataclass(frozen=True)
class Histogram:
    """Counts of draws in equal steps from the lowest to the highest."""

    low: float
    high: float
    counts: tuple[int, ...]


@dataclass(frozen=True)
class Contrast:
    """The first of two routes less the second, among effects in their units or standardized ones."""

    first: Effect
    second: Effect
    standardized: bool
    estimate: float
    summary: BootstrapSummary | None


@dataclass(frozen=True)
class BootstrapOutcome:
    """Summaries by figure, how many resamples were used, failed or inadmissible, the test on transformed data where it
    was asked for, the distributions of effects, and differences of routes."""

    summaries: dict[FigureKey, BootstrapSummary]
    used: int
    not_converged: int
    inadmissible: int
    transformed: TransformedTest | None
    reference: dict[str, tuple[float, float]] | None = None  # 95 and 99 % quantiles of distances, from transformed data
    histograms: dict[FigureKey, Histogram] = field(default_factory=dict)
    contrasts: tuple[Contrast, ...] = ()
    stopped: bool = False


def _still(values: Array) -> Array:
    """Figures that are the same in all resamples (f,)."""
    return values.std(axis=0) < 1e-12 if values.shape[0] else np.ones(values.shape[1], dtype=bool)


def _transformed(found: list[ChunkResult], fit: Fit | DistanceFit, settings: Settings) -> TransformedTest | None:
    if not settings.bollen_stine or isinstance(fit, DistanceFit):
        return None
    statistics = np.concatenate([r.statistics for r in found])
    return TransformedTest(statistics, int((statistics >= fit.chi_square).sum()))


def _reference(found: list[ChunkResult], fit: Fit | DistanceFit) -> dict[str, tuple[float, float]] | None:
    """Quantiles of distances that have been drawn (Dijkstra & Henseler 2015)."""
    if not isinstance(fit, DistanceFit):
        return None
    drawn = np.concatenate([r.statistics for r in found])
    names = [f"{part}.{figure}" for part in ("whole", "measurement") for figure in ("srmr", "d_uls", "d_g")]
    quantiles = {}
    for name, column in zip(names, drawn.T, strict=True):
        finite = column[np.isfinite(column)]
        if finite.size > 1:
            low, high = np.quantile(finite, [0.95, 0.99])
            quantiles[name] = (float(low), float(high))
    return quantiles


STEPS = 40


def _histograms(draws: Array, keys: Sequence[FigureKey]) -> dict[FigureKey, Histogram]:
    """The distributions of all effects that vary."""
    found = {}
    for column, key in enumerate(keys):
        if key.figure not in ("effect", "standardized_effect"):
            continue
        values = draws[np.isfinite(draws[:, column]), column]
        if values.size > 1 and np.ptp(values) > 0:
            counts, edges = np.histogram(values, STEPS)
            found[key] = Histogram(float(edges[0]), float(edges[-1]), tuple(counts.tolist()))
    return found


def _contrasts(draws: Array, left_out: Array | None, fitted: Fitted, settings: Settings) -> tuple[Contrast, ...]:
    """Differences of any two routes of a pair, in both scales."""
    pairs = contrasts(fitted.effects)
    if not pairs:
        return ()
    made: list[Contrast] = []
    for figure in ("effect", "standardized_effect"):
        columns = fitted.figures.columns.get(figure, [])
        one, other = ([columns[pair[side]] for pair in pairs] for side in (0, 1))
        estimates = fitted.figures.values[one] - fitted.figures.values[other]
        bends = None if left_out is None else accelerations(left_out[:, one] - left_out[:, other])
        zero = np.ones(len(pairs), dtype=bool)
        summaries = summarise(draws[:, one] - draws[:, other], estimates, settings.level, zero, bends)
        made += [
            Contrast(fitted.effects[a], fitted.effects[b], figure != "effect", float(value), summary)
            for (a, b), value, summary in zip(pairs, estimates.tolist(), summaries, strict=True)
        ]
    return tuple(made)


def bootstrap(
    fitted: Fitted, task: Task, settings: Settings, runner: ChunkRunner = run_here, progress: Progress | None = None
) -> BootstrapOutcome:
    """Bootstrap of every figure; of what is fixed, or the same whatever is drawn, there is nothing to sum up. BCa intervals
    take a jackknife first.

    `progress(done, requested)` is told after each chunk and answers whether to go on, or to stop and keep what there is. Raises
    StoppedError where nothing is kept.
    """
    chunks = plan_chunks(settings.bootstrap, settings.seed, 1 if task.slow else together(task.n))
    jackknife = plan_jackknife(task.n) if settings.interval == "bca" else []
    everything = [*jackknife, *chunks]
    share = settings.bootstrap / max(sum(chunk.size for chunk in everything), 1)
    found: list[ChunkResult] = []
    left_out: list[ChunkResult] = []
    done, stopped = 0, False
    for chunk, result in zip(everything, runner(task, everything), strict=True):
        (found if chunk.seeds else left_out).append(result)
        done += chunk.size
        onward = "on" if progress is None else progress(round(done * share), settings.bootstrap)
        if onward == "keep" and found:
            stopped = sum(len(r.figures) + r.failed for r in found) < settings.bootstrap
            break
        if onward != "on":
            raise StoppedError
    draws = np.concatenate([r.figures for r in found])
    keys = fitted.figures.keys
    jackknifed = np.concatenate([r.figures for r in left_out]) if left_out else None
    bends = None if jackknifed is None else accelerations(jackknifed)
    summaries = summarise(draws, fitted.figures.values, settings.level, against_zero(keys), bends)
    still = dict(zip(keys, _still(draws), strict=True))
    kept = {
        key: summary
        for key, summary in zip(keys, summaries, strict=True)
        if summary is not None and key not in fitted.constant and not (key.figure == "standardized" and still[key])
    }
    admissible = np.concatenate([r.admissible for r in found])
    return BootstrapOutcome(
        kept,
        int(admissible.size),
        sum(r.failed for r in found),
        int((~admissible).sum()),
        _transformed(found, fitted.fit, settings),
        _reference(found, fitted.fit),
        _histograms(draws, keys),
        _contrasts(draws, jackknifed, fitted, settings),
        stopped,
    )
