"""Running a bootstrap through any way of working off chunks, and summing it up figure by figure."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.fit import DistanceFit, Fit
from dusk_arrow.core.effects.contrasts import contrasts, mediated_shares
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import Fitted, Task
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, chunks_leaving_one_out, chunks_of
from dusk_arrow.core.resampling.intervals import BootstrapSummary, accelerations, summarise
from dusk_arrow.core.statistics import StatisticKey, StatisticName, against_zero
from dusk_arrow.results.settings import Settings

ChunkRunner = Callable[[Task, list[Chunk]], Iterable[ChunkResult | None]]
"""Works off chunks in order; None says that it is still at the next one, so that whoever watches can step in."""
Onward = Literal["on", "show", "stop", "keep", "pause"]
Progress = Callable[[int, int], Onward]


class StoppedError(Exception):
    """Raised when the user stops a run and nothing of it is kept."""


class PausedError(Exception):
    """Raised when a run gives way to others; whoever works off the chunks has seen to it that none are lost."""


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
    group: str | None = None


Pair = tuple[str | None, str, str]  # the group, and from where to where


@dataclass(frozen=True)
class BootstrapOutcome:
    """Summaries by figure, how many resamples were used, failed or inadmissible, the test on transformed data where it
    was asked for, the distributions of effects, and differences of routes."""

    summaries: dict[StatisticKey, BootstrapSummary]
    used: int
    not_converged: int
    inadmissible: int
    transformed: TransformedTest | None
    reference: dict[str, tuple[float, float]] | None = None  # 95 and 99 % quantiles of distances, from transformed data
    histograms: dict[StatisticKey, Histogram] = field(default_factory=dict)
    contrasts: tuple[Contrast, ...] = ()
    shares: dict[Pair, BootstrapSummary] = field(default_factory=dict)  # total indirect effect by total effect
    stopped: bool = False
    still: dict[str, int] = field(default_factory=dict)  # in how many resamples a column did not vary


def _still(values: Array) -> Array:
    """Statistics that are the same in all resamples (f,)."""
    return values.std(axis=0) < 1e-12 if values.shape[0] else np.ones(values.shape[1], dtype=bool)


class Drawn:
    """What has been drawn so far, in one array that is filled as chunks arrive: all resamples together need no second copy."""

    def __init__(self, requested: int) -> None:
        self.requested = requested
        self.resamples = 0
        self.failed = 0
        self._used = 0
        self._drawn: Array | None = None
        self._admissible = np.zeros(requested, dtype=bool)
        self._transformed: list[Array] = []
        self._left_out: list[Array] = []
        self._still: Array | None = None

    def add(self, chunk: Chunk, result: ChunkResult) -> None:
        """One more chunk, of resamples or of the jackknife."""
        if not chunk.seeds:
            self._left_out.append(result.statistics)
            return
        if self._drawn is None:
            self._drawn = np.empty((self.requested, result.statistics.shape[1]))
        upto = self._used + len(result.statistics)
        self._drawn[self._used : upto] = result.statistics
        self._admissible[self._used : upto] = result.admissible
        self._transformed.append(result.transformed)
        self._still = result.still if self._still is None else self._still + result.still
        self._used, self.failed, self.resamples = upto, self.failed + result.failed, self.resamples + chunk.size

    @property
    def values(self) -> Array:
        """The statistics of the draws that converged (b, f)."""
        return np.zeros((0, 0)) if self._drawn is None else self._drawn[: self._used]

    @property
    def admissible(self) -> NDArray[np.bool_]:
        """Which of them have an admissible solution (b,)."""
        return self._admissible[: self._used]

    def still(self, names: Sequence[str]) -> dict[str, int]:
        """In how many resamples a column did not vary, for those where there are any."""
        if self._still is None:
            return {}
        return {name: int(count) for name, count in zip(names, self._still, strict=True) if count}

    @property
    def transformed(self) -> Array:
        """The tests of transformed data, one row a draw that has them."""
        return np.concatenate(self._transformed)

    @property
    def left_out(self) -> Array | None:
        """The jackknife (n, f), where there is one."""
        return np.concatenate(self._left_out) if self._left_out else None


def _transformed(drawn: Drawn, fit: Fit | DistanceFit, settings: Settings) -> TransformedTest | None:
    if not settings.bollen_stine or isinstance(fit, DistanceFit):
        return None
    return TransformedTest(drawn.transformed, int((drawn.transformed >= fit.chi_square).sum()))


def _reference(drawn: Drawn, fit: Fit | DistanceFit) -> dict[str, tuple[float, float]] | None:
    """Quantiles of distances that have been drawn (Dijkstra & Henseler 2015a)."""
    if not isinstance(fit, DistanceFit):
        return None
    names = [f"{part}.{figure}" for part in ("whole", "measurement") for figure in ("srmr", "d_uls", "d_g")]
    quantiles = {}
    for name, column in zip(names, drawn.transformed.T, strict=True):
        finite = column[np.isfinite(column)]
        if finite.size > 1:
            low, high = np.quantile(finite, [0.95, 0.99])
            quantiles[name] = (float(low), float(high))
    return quantiles


STEPS = 40


def _histograms(draws: Array, keys: Sequence[StatisticKey]) -> dict[StatisticKey, Histogram]:
    """The distributions of all effects that vary."""
    found = {}
    for column, key in enumerate(keys):
        if key.statistic not in ("effect", "standardized_effect"):
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
    kinds: tuple[StatisticName, StatisticName] = ("effect", "standardized_effect")
    for figure, group in ((figure, block.group) for block in fitted.blocks for figure in kinds):
        columns = [fitted.statistics.place[StatisticKey(figure, effect, group)] for effect in fitted.effects]
        one, other = ([columns[pair[side]] for pair in pairs] for side in (0, 1))
        estimates = fitted.statistics.values[one] - fitted.statistics.values[other]
        bends = None if left_out is None else accelerations(left_out[:, one] - left_out[:, other])
        zero = np.ones(len(pairs), dtype=bool)
        summaries = summarise(draws[:, one] - draws[:, other], estimates, settings.level, zero, bends)
        made += [
            Contrast(fitted.effects[a], fitted.effects[b], figure != "effect", float(value), summary, group)
            for (a, b), value, summary in zip(pairs, estimates.tolist(), summaries, strict=True)
        ]
    return tuple(made)


def _shares(draws: Array, left_out: Array | None, fitted: Fitted, settings: Settings) -> dict[Pair, BootstrapSummary]:
    """The share of the total effect that is mediated, of every pair that has one."""
    pairs, made = mediated_shares(fitted.effects), {}
    if not pairs:
        return {}
    for group in (block.group for block in fitted.blocks):
        columns = [fitted.statistics.place[StatisticKey("effect", effect, group)] for effect in fitted.effects]
        indirect, total = ([columns[pair[side]] for pair in pairs] for side in (0, 1))

        def share(values: Array, indirect: list[int] = indirect, total: list[int] = total) -> Array:
            with np.errstate(divide="ignore", invalid="ignore"):
                found: Array = values[..., indirect] / values[..., total]
            return found

        bends = None if left_out is None else accelerations(share(left_out))
        zero = np.zeros(len(pairs), dtype=bool)
        summaries = summarise(share(draws), share(fitted.statistics.values), settings.level, zero, bends)
        for (i, _), summary in zip(pairs, summaries, strict=True):
            if summary is not None:
                made[group, fitted.effects[i].source, fitted.effects[i].target] = summary
    return made


def bootstrap(
    fitted: Fitted,
    task: Task,
    settings: Settings,
    runner: ChunkRunner = run_here,
    progress: Progress | None = None,
    show: Callable[[BootstrapOutcome], None] | None = None,
) -> BootstrapOutcome:
    """Bootstrap of every figure; of what is fixed, or the same whatever is drawn, there is nothing to sum up. BCa intervals
    take a jackknife first.

    `progress(done, requested)` is told after each chunk and answers how to go on: `show` what there is to whoever asked for
    it, stop and `keep` it, or give way (`pause`). Raises StoppedError where nothing is kept, PausedError where it gave way.
    """
    everything = chunks(task, settings)
    left = deque(everything)
    share = settings.bootstrap / max(sum(chunk.size for chunk in everything), 1)
    drawn, done = Drawn(settings.bootstrap), 0
    for result in runner(task, everything):
        if result is not None:
            chunk = left.popleft()
            drawn.add(chunk, result)
            done += chunk.size
        onward = "on" if progress is None else progress(round(done * share), settings.bootstrap)
        if onward == "stop" or (onward == "keep" and not drawn.resamples):
            raise StoppedError
        if onward == "keep" or not left:
            break
        if onward == "pause":
            raise PausedError
        if onward == "show" and show is not None and drawn.resamples:
            show(summed_up(drawn, fitted, settings))
    return summed_up(drawn, fitted, settings)


def chunks(task: Task, settings: Settings) -> list[Chunk]:
    """Everything that has to be worked off, in order: the same for the same settings on the same data."""
    left_out = chunks_leaving_one_out(task.draws.n, task.at_once) if settings.interval == "bca" else []
    return [*left_out, *chunks_of(settings.bootstrap, settings.seed, task.at_once)]


def summed_up(drawn: Drawn, fitted: Fitted, settings: Settings) -> BootstrapOutcome:
    """What the resamples so far say of every figure."""
    draws, keys, jackknifed = drawn.values, fitted.statistics.keys, drawn.left_out
    bends = None if jackknifed is None else accelerations(jackknifed)
    summaries = summarise(draws, fitted.statistics.values, settings.level, against_zero(keys), bends)
    still = dict(zip(keys, _still(draws), strict=True))
    kept = {
        key: summary
        for key, summary in zip(keys, summaries, strict=True)
        if summary is not None and key not in fitted.constant and not (key.statistic == "standardized" and still[key])
    }
    return BootstrapOutcome(
        kept,
        int(drawn.admissible.size),
        drawn.failed,
        int((~drawn.admissible).sum()),
        _transformed(drawn, fitted.fit, settings),
        _reference(drawn, fitted.fit),
        _histograms(draws, keys),
        _contrasts(draws, jackknifed, fitted, settings),
        _shares(draws, jackknifed, fitted, settings),
        drawn.resamples < settings.bootstrap,
        drawn.still(fitted.set_up.names),
    )
