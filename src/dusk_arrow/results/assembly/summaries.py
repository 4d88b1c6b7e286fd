"""What was found of a statistic in one block: its value, its error, and its bootstrap, by key."""

from __future__ import annotations

from typing import NamedTuple

from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.family import Fitted, FittedBlock
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.resampling.intervals import enough
from dusk_arrow.core.statistics import StatisticKey, StatisticName
from dusk_arrow.core.wald import around
from dusk_arrow.results.analysis import Analysis, MonteCarlo
from dusk_arrow.results.bootstrapping import BootstrapOutcome
from dusk_arrow.results.convert import bootstrap_part, number
from dusk_arrow.results.document import Bootstrap, Interval
from dusk_arrow.results.settings import Settings


class Found(NamedTuple):
    """One block of an estimated model with the bootstrap, if one was run, as the document's parts are made of it."""

    fitted: Fitted
    block: FittedBlock
    outcome: BootstrapOutcome | None
    settings: Settings
    monte_carlo: MonteCarlo | None = None

    def value(self, statistic: StatisticName, *about: str | ParameterKey | Effect) -> float | None:
        """The statistic of the sample."""
        return number(self.fitted.statistics.value(statistic, *about, group=self.block.group))

    def error(self, statistic: StatisticName, *about: str | ParameterKey | Effect) -> float | None:
        """Its standard error by the delta method."""
        return number(self.fitted.errors.value(statistic, *about, group=self.block.group))

    def columns(self, statistic: StatisticName) -> tuple[list[float | None], list[float | None]]:
        """All values of a statistic and their errors, in order."""
        values, errors = self.fitted.statistics, self.fitted.errors
        keys = self.about(statistic)
        return (
            [number(values.values[values.place[key]]) for key in keys],
            [number(errors.values[errors.place[key]]) if key in errors.place else None for key in keys],
        )

    def about(self, statistic: StatisticName) -> list[StatisticKey]:
        """What there is of a statistic in this block, in order."""
        return [key for key in self.fitted.statistics.about(statistic) if key.group == self.block.group]

    def drawn(self, statistic: StatisticName, *about: str | ParameterKey | Effect) -> Bootstrap | None:
        """Its bootstrap."""
        if self.outcome is None:
            return None
        first = about[0] if not isinstance(about[0], str) else about
        summary = self.outcome.summaries.get(StatisticKey(statistic, first, self.block.group))  # type: ignore[arg-type]
        return bootstrap_part(summary, self.settings.interval)

    def by_draws(self, effect: Effect, standardized: bool) -> Interval | None:
        """An effect's Monte-Carlo interval, where there are no cases; None of what does not vary."""
        if self.monte_carlo is None:
            return None
        bounds = self.monte_carlo.standardized if standardized else self.monte_carlo.plain
        blocks = [block.group for block in self.fitted.blocks]
        at = len(self.fitted.effects) * blocks.index(self.block.group) + self.fitted.effects.index(effect)
        low, high = bounds[:, at].tolist()
        return (low, high) if high > low else None

    def decides(self, effect: Effect) -> Interval | None:
        """The interval by which an effect is judged, standardized as it is printed: the bootstrap's headline, of a matrix by draws."""
        drawn = self.drawn("standardized_effect", effect)
        if drawn is not None:
            return drawn.headline if enough(drawn.n_used, self.settings.level) else None
        return self.by_draws(effect, True)

    def interval(self, value: float | None, se: float | None) -> Interval | None:
        """Value ± so many standard errors."""
        return around(value, se, self.settings.level)


def found_of(analysis: Analysis) -> list[Found]:
    """What was found of every block, none where nothing was estimated."""
    fitted = analysis.fitted
    return (
        []
        if fitted is None
        else [
            Found(fitted, block, analysis.bootstrap, analysis.settings, analysis.monte_carlo) for block in fitted.blocks
        ]
    )
