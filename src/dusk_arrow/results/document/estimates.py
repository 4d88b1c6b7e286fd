"""Estimates in the results document: parameters, effects, and how their bootstrap went."""

from __future__ import annotations

from typing import Literal, NamedTuple

from pydantic import Field

from dusk_arrow.core.parameter_key import ParameterKind
from dusk_arrow.core.wald import two_sided_p, z_of
from dusk_arrow.results.document.basics import Bootstrap, Headline, Interval, Matrix, Part


class ParameterPart(Part):
    """One parameter; fixed ones have null se, z, p_value and interval and say why they are fixed."""

    kind: ParameterKind
    from_: str = Field(alias="from")
    to: str
    role: Literal["residual", "disturbance", "exogenous"] | None
    label: str | None
    group: str | None = None
    free: bool
    why_fixed: str | None
    estimate: float
    se: float | None
    z: float | None
    p_value: float | None
    interval: Interval | None
    standardized: float | None
    standardized_se: float | None
    standardized_p_value: float | None = None
    standardized_interval: Interval | None
    bootstrap: Bootstrap | None = None
    standardized_bootstrap: Bootstrap | None = None


def standardized_headline(parameter: ParameterPart) -> Interval | None:
    """The interval beside a standardized estimate: the bootstrap's headline, from the standard error where none was run."""
    boot = parameter.standardized_bootstrap
    return boot.headline if boot is not None else parameter.standardized_interval


class HistogramPart(Part):
    """Counts of bootstrap draws in equal steps from the lowest to the highest."""

    low: float
    high: float
    counts: list[int]


class EffectPart(Part):
    """A direct, specific indirect, total indirect or total effect. `interval` is by the delta method, which never decides; where
    there are no cases to resample, the Monte-Carlo interval does."""

    from_: str = Field(alias="from")
    to: str
    kind: Literal["direct", "specific indirect", "total indirect", "total"]
    via: list[str] | None
    estimate: float
    se: float | None
    interval: Interval | None = None
    standardized: float | None
    standardized_se: float | None
    standardized_interval: Interval | None = None
    bootstrap: Bootstrap | None = None
    standardized_bootstrap: Bootstrap | None = None
    monte_carlo: Interval | None = None
    standardized_monte_carlo: Interval | None = None
    share_of_total: float | None
    distribution: HistogramPart | None = None
    standardized_distribution: HistogramPart | None = None


class Reading(NamedTuple):
    """An estimate in one scale: its value, the interval that decides, its standard error and p (of the same scale and basis), and
    its bootstrap."""

    value: float | None
    bounds: Interval | None
    se: float | None
    p_value: float | None
    boot: Bootstrap | None


def reading(part: ParameterPart | EffectPart, standardized: bool = True) -> Reading:
    """A parameter or an effect, standardized or in its units. What decides is the bootstrap's headline; without one the Monte-Carlo
    interval where there is one, else the interval from the standard error, which for anything that is a product of paths (by
    the delta method) does not decide: then there is none. p is the bootstrap's only beside its percentile interval."""
    own = "standardized_" if standardized else ""
    value: float | None = part.standardized if standardized else part.estimate
    boot: Bootstrap | None = getattr(part, f"{own}bootstrap")
    if boot is not None:
        p = boot.p_value if boot.headline == boot.percentile else None
        return Reading(value, boot.headline, boot.se, p, boot)
    bounds, se = getattr(part, f"{own}interval"), getattr(part, f"{own}se")
    if isinstance(part, EffectPart):
        drawn: Interval | None = getattr(part, f"{own}monte_carlo")
        if drawn is not None:
            return Reading(value, drawn, se, None, None)
        if part.kind != "direct":
            return Reading(value, None, se, None, None)
        p = two_sided_p(z_of(value, se))
        return Reading(value, bounds, se, p, None)
    p = part.standardized_p_value if standardized else part.p_value
    return Reading(value, bounds, se, p, None)


class RouteDifferencePart(Part):
    """One route less another between the same two variables, each by its stations."""

    a: list[str]
    b: list[str]
    estimate: float
    bootstrap: Bootstrap | None
    standardized: float
    standardized_bootstrap: Bootstrap | None


class HypothesisPart(Part):
    """An expectation on a path or route and its answer by the interval of the standardized effect, which is printed beside it, null
    while there is none; `interval` is that in units, `basis` says where both come from, `sentence` is for the paper."""

    label: str
    route: list[str]
    sign: Literal["positive", "negative", "nonzero"]
    estimate: float | None
    standardized: float | None
    interval: Interval | None
    standardized_interval: Interval | None = None
    answer: Literal["supported", "not supported", "opposite"] | None
    basis: str
    sentence: str


class MediationPart(Part):
    """What kind of mediation a pair shows by its total indirect effect: null until resamples (or, of a matrix, Monte-Carlo draws)
    have decided, and where the direct effect was not tested, with the reason. The share that is mediated is given with its bootstrap where
    it has a meaning. `clear_routes` are single routes whose intervals exclude zero."""

    from_: str = Field(alias="from")
    to: str
    kind: Literal["complementary", "competitive", "indirect-only", "direct-only", "none"] | None
    reason: str
    share_mediated: float | None
    clear_routes: list[list[str]] = []
    share_bootstrap: Bootstrap | None = None


class TrackedPart(Part):
    """A tracked quantity."""

    name: str
    estimate: float | None
    se: float | None
    bootstrap: Bootstrap | None = None


class FSquaredPart(Part):
    """Cohen's f² of one antecedent, with his word for its size."""

    from_: str = Field(alias="from")
    to: str
    value: float | None
    words: str = ""


class EstimatesPart(Part):
    """Covariances and correlations of the estimates of the free parameters, in words."""

    covariance: Matrix
    correlation: Matrix


class MonteCarloPart(Part):
    """How the effects of a model without cases got their intervals: so many draws from the joint distribution of its estimates
    (MacKinnon, Lockwood & Williams 2004)."""

    draws: int
    seed: int
    level: float


class BootstrapSummaryPart(Part):
    """How the bootstrap went; `no_variation` has the columns that did not vary in some resamples, and in how many."""

    requested: int
    used: int
    not_converged: int
    inadmissible: int
    seed: int
    level: float
    interval: Headline
    stopped: bool = False
    no_variation: dict[str, int] = {}
