"""What was found of a figure: its value, its error, and its bootstrap, by key."""

from __future__ import annotations

from typing import NamedTuple

from scipy.special import ndtri

from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.family import Fitted
from dusk_arrow.core.figures import FigureKey, FigureName
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.resampling.intervals import enough
from dusk_arrow.results.analysis import Analysis, MonteCarlo
from dusk_arrow.results.bootstrapping import BootstrapOutcome
from dusk_arrow.results.convert import bootstrap_part, number
from dusk_arrow.results.document import Bootstrap, Interval
from dusk_arrow.results.settings import Settings


class Found(NamedTuple):
    """An estimated model with its bootstrap, if one was run, as the document's parts are made of it."""

    fitted: Fitted
    outcome: BootstrapOutcome | None
    settings: Settings
    monte_carlo: MonteCarlo | None = None

    def value(self, figure: FigureName, *about: str | ParameterKey | Effect) -> float | None:
        """The figure of the sample."""
        return number(self.fitted.figures.value(figure, *about))

    def error(self, figure: FigureName, *about: str | ParameterKey | Effect) -> float | None:
        """Its standard error by the delta method."""
        return number(self.fitted.errors.value(figure, *about))

    def columns(self, figure: FigureName) -> tuple[list[float | None], list[float | None]]:
        """All values of a figure and their errors, in order."""
        values, errors = self.fitted.figures.of(figure), self.fitted.errors.of(figure)
        if not self.fitted.analytic:
            return [number(value) for value in values], [None] * len(values)
        return [number(value) for value in values], [number(error) for error in errors]

    def drawn(self, figure: FigureName, *about: str | ParameterKey | Effect) -> Bootstrap | None:
        """Its bootstrap."""
        if self.outcome is None:
            return None
        first = about[0] if not isinstance(about[0], str) else about
        summary = self.outcome.summaries.get(FigureKey(figure, first))  # type: ignore[arg-type]
        return bootstrap_part(summary, self.settings.interval)

    def by_draws(self, effect: Effect, standardized: bool) -> Interval | None:
        """An effect's Monte-Carlo interval, where there are no cases; None of what does not vary."""
        if self.monte_carlo is None:
            return None
        bounds = self.monte_carlo.standardized if standardized else self.monte_carlo.plain
        low, high = bounds[:, self.fitted.effects.index(effect)].tolist()
        return (low, high) if high > low else None

    def decides(self, effect: Effect) -> Interval | None:
        """The interval by which an effect is judged, standardized as it is printed: the bootstrap's headline, of a matrix by draws."""
        drawn = self.drawn("standardized_effect", effect)
        if drawn is not None:
            return drawn.headline if enough(drawn.n_used, self.settings.level) else None
        return self.by_draws(effect, True)

    def interval(self, value: float | None, se: float | None) -> Interval | None:
        """Value ± so many standard errors."""
        if value is None or se is None:
            return None
        reach = float(ndtri(0.5 + self.settings.level / 2)) * se
        return (value - reach, value + reach)


def found_of(analysis: Analysis) -> Found | None:
    """What was found, None where nothing was estimated."""
    return (
        None
        if analysis.fitted is None
        else Found(analysis.fitted, analysis.bootstrap, analysis.settings, analysis.monte_carlo)
    )
