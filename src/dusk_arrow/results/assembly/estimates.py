"""Parameters, effects, mediation and tracked quantities as parts of the document."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.effects.mediation import Single, classify, excludes_zero
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.family import Parameter
from dusk_arrow.core.linear_algebra import correlation_from
from dusk_arrow.core.resampling.intervals import enough
from dusk_arrow.core.statistics import StatisticKey, StatisticName
from dusk_arrow.core.wald import two_sided_p, z_of
from dusk_arrow.results.assembly.summaries import Found
from dusk_arrow.results.convert import bootstrap_part, matrix_part
from dusk_arrow.results.document import (
    EffectPart,
    EstimatesPart,
    HistogramPart,
    MediationPart,
    ModificationPart,
    ParameterPart,
    RouteDifferencePart,
    TrackedPart,
)

NOTHING = 1e-12  # a standard error of this size is that of a constant


def _parameter(found: Found, parameter: Parameter) -> ParameterPart:
    key = parameter.key
    value, standardized = found.value("estimate", key), found.value("standardized", key)
    assert value is not None
    boot, standardized_boot = found.drawn("estimate", key), found.drawn("standardized", key)
    by_bootstrap = found.settings.errors == "bootstrap" or not found.fitted.analytic
    drawn = boot if by_bootstrap else None
    se = found.error("estimate", key) if parameter.free else None
    se = drawn.se if drawn is not None else se
    z = z_of(value, se)
    own = found.error("standardized", key)
    if by_bootstrap:
        own = None if standardized_boot is None else standardized_boot.se
    standardized_se = own if own and own > NOTHING else None
    standardized_interval = found.interval(standardized, standardized_se)
    standardized_p = None
    if standardized is not None and by_bootstrap and standardized_boot is not None:
        standardized_interval, standardized_p = standardized_boot.headline, standardized_boot.p_value
    elif standardized is not None and standardized_se:
        standardized_p = two_sided_p(z_of(standardized, standardized_se))
    return ParameterPart(
        kind=key.kind,
        from_=key.source,
        to=key.target,
        role=parameter.role,
        label=parameter.label,
        group=key.group,
        free=parameter.free,
        why_fixed=parameter.why_fixed,
        estimate=value,
        se=se,
        z=z,
        p_value=drawn.p_value if drawn is not None else two_sided_p(z),
        interval=drawn.headline if drawn is not None else found.interval(value, se),
        standardized=standardized,
        standardized_se=standardized_se,
        standardized_p_value=standardized_p,
        standardized_interval=standardized_interval,
        bootstrap=boot,
        standardized_bootstrap=standardized_boot,
    )


def parameters(found: Found) -> list[ParameterPart]:
    """Every parameter."""
    own = [p for p in found.fitted.parameters if p.key.group == found.block.group]
    return [_parameter(found, parameter) for parameter in own]


def _shares(found: Found, kinds: list[MediationPart]) -> list[float | None]:
    """Each effect's share of its pair's total, where there is mediation; None unless all parts of the pair point the same way."""
    effects, values = found.fitted.effects, [value or 0.0 for value in found.columns("effect")[0]]
    parts: dict[tuple[str, str], list[float]] = {}
    totals: dict[tuple[str, str], float] = {}
    for effect, value in zip(effects, values, strict=True):
        pair = (effect.source, effect.target)
        if effect.kind in ("direct", "specific indirect"):
            parts.setdefault(pair, []).append(value)
        elif effect.kind == "total":
            totals[pair] = value
    certain = {(kind.from_, kind.to) for kind in kinds if kind.share_mediated is not None}
    shared = {pair for pair in certain if len({np.sign(v) for v in parts[pair]}) == 1}
    pairs = [(effect.source, effect.target) for effect in effects]
    return [value / totals[pair] if pair in shared else None for pair, value in zip(pairs, values, strict=True)]


def effects(found: Found) -> list[EffectPart]:
    """Every effect, plain and standardized."""
    parts = []
    columns = (*found.columns("effect"), *found.columns("standardized_effect"), _shares(found, mediation(found)))
    for effect, value, se, standardized, standardized_se, share in zip(found.fitted.effects, *columns, strict=True):
        assert value is not None
        parts.append(
            EffectPart(
                from_=effect.source,
                to=effect.target,
                kind=effect.kind,
                via=None if effect.via is None else list(effect.via),
                estimate=value,
                se=se,
                interval=found.interval(value, se),
                standardized=standardized,
                standardized_se=standardized_se,
                standardized_interval=found.interval(standardized, standardized_se),
                bootstrap=found.drawn("effect", effect),
                standardized_bootstrap=found.drawn("standardized_effect", effect),
                monte_carlo=found.by_draws(effect, False),
                standardized_monte_carlo=found.by_draws(effect, True),
                share_of_total=share,
                distribution=_histogram(found, "effect", effect),
                standardized_distribution=_histogram(found, "standardized_effect", effect),
            )
        )
    return parts


def _histogram(found: Found, statistic: StatisticName, effect: Effect) -> HistogramPart | None:
    drawn = (
        None
        if found.outcome is None
        else found.outcome.histograms.get(StatisticKey(statistic, effect, found.block.group))
    )
    return None if drawn is None else HistogramPart(low=drawn.low, high=drawn.high, counts=list(drawn.counts))


def differences(found: Found) -> list[RouteDifferencePart]:
    """Any two routes of a pair against each other, once they were bootstrapped."""
    everything = () if found.outcome is None else found.outcome.contrasts
    made = [contrast for contrast in everything if contrast.group == found.block.group]
    interval = found.settings.interval
    plain_ones = [contrast for contrast in made if not contrast.standardized]
    standardized = [contrast for contrast in made if contrast.standardized]
    return [
        RouteDifferencePart(
            a=list(own.first.route),
            b=list(own.second.route),
            estimate=own.estimate,
            bootstrap=bootstrap_part(own.summary, interval),
            standardized=other.estimate,
            standardized_bootstrap=bootstrap_part(other.summary, interval),
        )
        for own, other in zip(plain_ones, standardized, strict=True)
    ]


def mediation(found: Found) -> list[MediationPart]:
    """The kind of mediation of every pair with an indirect effect, once a bootstrap has decided."""
    known: dict[tuple[str, str, str], Effect] = {
        (e.source, e.target, e.kind): e for e in found.fitted.effects if e.kind != "specific indirect"
    }
    return [_kind(found, effect, known) for effect in known.values() if effect.kind == "total indirect"]


def _kind(found: Found, effect: Effect, known: dict[tuple[str, str, str], Effect]) -> MediationPart:
    source, target = effect.source, effect.target
    direct_effect, total_effect = known.get((source, target, "direct")), known[source, target, "total"]
    indirect, total = found.decides(effect), found.decides(total_effect)
    paths = [p for p in found.fitted.parameters if p.key.kind == "path" and p.key.group == found.block.group]
    held = {(p.key.source, p.key.target) for p in paths if not p.free}
    direct = None if direct_effect is None or (source, target) in held else found.decides(direct_effect)
    if indirect is None:
        decided = found.outcome is not None or found.monte_carlo is not None
        few = found.outcome is not None and not enough(found.outcome.used, found.settings.level)
        why = "too few resamples were drawn to decide" if few else "all of it is held, so there is nothing to decide"
        reason = why if decided else "bootstrap the model first: the kind is decided by bootstrap intervals"
        return MediationPart(from_=source, to=target, kind=None, reason=reason, share_mediated=None)
    routes = [e for e in found.fitted.effects if (e.source, e.target, e.kind) == (source, target, "specific indirect")]
    bounds = [(route, found.decides(route)) for route in routes]
    singles = [Single(tuple(route.via or ()), interval) for route, interval in bounds if interval is not None]
    kind = classify(
        0.0 if direct_effect is None else found.value("standardized_effect", direct_effect) or 0.0,
        direct,
        found.value("standardized_effect", effect) or 0.0,
        indirect,
        total,
        singles if len(routes) > 1 else (),
    )
    shares = {} if kind.share_mediated is None or found.outcome is None else found.outcome.shares
    return MediationPart(
        from_=source,
        to=target,
        kind=kind.kind,
        reason=kind.reason,
        share_mediated=kind.share_mediated,
        clear_routes=[[source, *one.through, target] for one in singles if excludes_zero(one.interval)],
        share_bootstrap=bootstrap_part(shares.get((found.block.group, source, target)), found.settings.interval),
    )


def tracked(found: Found) -> list[TrackedPart]:
    """Every tracked quantity."""
    names = [str(key.about[0]) for key in found.about("tracked") if isinstance(key.about, tuple)]
    return [
        TrackedPart(
            name=name,
            estimate=found.value("tracked", name),
            se=found.error("tracked", name),
            bootstrap=found.drawn("tracked", name),
        )
        for name in names
    ]


def modifications(found: Found) -> list[ModificationPart]:
    """What freeing further parameters would do."""
    return [
        ModificationPart(
            kind=m.key.kind,
            from_=m.key.source,
            to=m.key.target,
            release=m.release,
            index=m.index,
            expected_change=m.expected_change,
            standardized_change=m.standardized_change if np.isfinite(m.standardized_change) else None,
        )
        for m in found.fitted.modifications
    ]


def estimates(found: Found) -> EstimatesPart | None:
    """Covariances and correlations of the estimates; None where they are not known."""
    matrix = found.fitted.covariance
    if matrix.size == 0 or np.isnan(matrix).any():
        return None
    words = [key.words for key in found.fitted.free]
    return EstimatesPart(
        covariance=matrix_part(words, words, matrix), correlation=matrix_part(words, words, correlation_from(matrix))
    )
