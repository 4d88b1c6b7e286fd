"""The results document of an analysis."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from itertools import combinations

import numpy as np
from scipy.special import ndtr, ndtri

from dusk_arrow.core.assessment.collinearity import antecedent_vif, f_squared
from dusk_arrow.core.assessment.criteria import f_squared_words
from dusk_arrow.core.assessment.fit import Fit, scale_fit
from dusk_arrow.core.assessment.reliability import standardized_alpha
from dusk_arrow.core.covariance.admissibility import direction_of
from dusk_arrow.core.covariance.global_fit import assess_model
from dusk_arrow.core.covariance.implied import matrices
from dusk_arrow.core.covariance.local_fit import standardized_residuals
from dusk_arrow.core.covariance.robust import NEED_CASES, Errors, scaled_test
from dusk_arrow.core.covariance.scores import score_weights
from dusk_arrow.core.effects.mediation import classify, excludes_zero
from dusk_arrow.core.linear_algebra import Array, correlation_from, variance_inflation
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.specification.writing import write
from dusk_arrow.results.analysis import Analysis, Fitted
from dusk_arrow.results.convert import bootstrap_part, matrix_part, number, problem_part
from dusk_arrow.results.document import (
    AntecedentVif,
    BaselinePart,
    BollenStinePart,
    Bootstrap,
    BootstrapSummaryPart,
    ConstructPart,
    DataPart,
    EffectPart,
    EstimatesPart,
    FitPart,
    FSquaredPart,
    Headline,
    HtmtPart,
    Interval,
    LoadingPart,
    MediationPart,
    ModificationPart,
    MomentsPart,
    ParameterPart,
    QualityPart,
    ResidualsPart,
    Results,
    ScaledPart,
    ScoresPart,
    TrackedPart,
)
from dusk_arrow.results.settings import Settings


class _Summaries:
    """Bootstrap summaries by field and position; nothing where no bootstrap was run."""

    def __init__(self, fitted: Fitted, asked: Headline) -> None:
        self.found = fitted.bootstrap.summaries if fitted.bootstrap else {}
        self.asked = asked

    def __call__(self, field: str, at: int) -> Bootstrap | None:
        return bootstrap_part(self.found[field][at], self.asked) if field in self.found else None


def _interval(estimate: float, se: float | None, level: float) -> Interval | None:
    if se is None:
        return None
    reach = float(ndtri(0.5 + level / 2)) * se
    return (estimate - reach, estimate + reach)


def _parameters(fitted: Fitted, settings: Settings, draws: _Summaries) -> list[ParameterPart]:
    parts = []
    for i, parameter in enumerate(fitted.table.parameters):
        value = float(fitted.figures.parameters[i])
        boot = draws("parameters", i)
        drawn = boot if settings.errors == "bootstrap" else None
        se = number(fitted.errors["parameters"][i]) if parameter.free else None
        se = drawn.se if drawn is not None else se
        z = value / se if se else None
        standardized = number(fitted.figures.standardized[i])
        standardized_boot = draws("standardized", i)
        own_error = number(fitted.errors["standardized"][i])
        if settings.errors == "bootstrap":
            own_error = None if standardized_boot is None else standardized_boot.se
        standardized_se = own_error if own_error and own_error > 1e-12 else None
        parts.append(
            ParameterPart(
                kind=parameter.kind,
                from_=parameter.source,
                to=parameter.target,
                role=parameter.role,
                label=parameter.label,
                free=parameter.free,
                why_fixed=parameter.why_fixed,
                estimate=value,
                se=se,
                z=z,
                p_value=drawn.p_value if drawn is not None else float(2 * ndtr(-abs(z))) if z is not None else None,
                interval=drawn.headline if drawn is not None else _interval(value, se, settings.level),
                standardized=standardized,
                standardized_se=standardized_se,
                standardized_interval=None
                if standardized is None
                else standardized_boot.headline
                if settings.errors == "bootstrap" and standardized_boot is not None
                else _interval(standardized, standardized_se, settings.level),
                bootstrap=boot,
                standardized_bootstrap=standardized_boot,
            )
        )
    return parts


def _shares(fitted: Fitted, draws: _Summaries) -> list[float | None]:
    """Each effect's share of its pair's total; None unless all parts of the pair point the same way and the total's
    bootstrap interval excludes zero."""
    effects = fitted.plan.effects
    values = fitted.figures.effects
    parts: dict[tuple[str, str], list[float]] = {}
    totals: dict[tuple[str, str], float] = {}
    certain: set[tuple[str, str]] = set()
    for i, (effect, value) in enumerate(zip(effects, values, strict=True)):
        pair = (effect.source, effect.target)
        if effect.kind in ("direct", "specific indirect"):
            parts.setdefault(pair, []).append(float(value))
        elif effect.kind == "total":
            totals[pair] = float(value)
            boot = draws("effects", i)
            if boot is not None and excludes_zero(boot.headline):
                certain.add(pair)
    shares: list[float | None] = []
    for effect, value in zip(effects, values, strict=True):
        pair = (effect.source, effect.target)
        signs = {np.sign(v) for v in parts.get(pair, [])}
        total = totals[pair]
        several = len(parts.get(pair, [])) > 1
        shares.append(float(value) / total if several and len(signs) == 1 and pair in certain else None)
    return shares


def _effects(fitted: Fitted, draws: _Summaries, level: float) -> list[EffectPart]:
    shares = _shares(fitted, draws)
    plain, standardized = fitted.figures.effects, fitted.figures.effects_standardized
    errors, standardized_errors = fitted.errors["effects"], fitted.errors["effects_standardized"]
    return [
        EffectPart(
            from_=effect.source,
            to=effect.target,
            kind=effect.kind,
            via=None if effect.via is None else list(effect.via),
            estimate=float(plain[i]),
            se=number(errors[i]),
            interval=_interval(float(plain[i]), number(errors[i]), level),
            standardized=number(standardized[i]),
            standardized_se=number(standardized_errors[i]),
            standardized_interval=_interval(float(standardized[i]), number(standardized_errors[i]), level),
            bootstrap=draws("effects", i),
            standardized_bootstrap=draws("effects_standardized", i),
            share_of_total=shares[i],
        )
        for i, effect in enumerate(fitted.plan.effects)
    ]


def _mediation(fitted: Fitted, draws: _Summaries) -> list[MediationPart]:
    at = {(e.source, e.target, e.kind): i for i, e in enumerate(fitted.plan.effects) if e.kind != "specific indirect"}
    parts = []
    for (source, target, kind), i in at.items():
        if kind != "total indirect":
            continue
        direct_at = at.get((source, target, "direct"))
        indirect = draws("effects", i)
        direct = None if direct_at is None else draws("effects", direct_at)
        if indirect is None or (direct_at is not None and direct is None):
            reason = "bootstrap the model first: the kind is decided by bootstrap intervals"
            parts.append(MediationPart(from_=source, to=target, kind=None, reason=reason, share_mediated=None))
            continue
        values = fitted.figures.effects
        total = draws("effects", at[(source, target, "total")])
        found = classify(
            0.0 if direct_at is None else float(values[direct_at]),
            None if direct is None else direct.headline,
            float(values[i]),
            indirect.headline,
            None if total is None else total.headline,
        )
        parts.append(
            MediationPart(
                from_=source, to=target, kind=found.kind, reason=found.reason, share_mediated=found.share_mediated
            )
        )
    return parts


def _antecedents(fitted: Fitted) -> dict[str, list[str]]:
    result: dict[str, list[str]] = {}
    for source, target in fitted.model.paths:
        result.setdefault(target, []).append(source)
    return result


def _collinearity(fitted: Fitted) -> tuple[list[AntecedentVif], list[FSquaredPart]]:
    nodes = fitted.estimation.nodes
    at = {name: i for i, name in enumerate(fitted.table.nodes)}
    vifs, shares = [], []
    for outcome, names in _antecedents(fitted).items():
        rows = [at[name] for name in names]
        for name, vif, share in zip(
            names, antecedent_vif(nodes, rows), f_squared(nodes, at[outcome], rows), strict=True
        ):
            vifs.append(AntecedentVif(outcome=outcome, antecedent=name, vif=number(vif)))
            known = number(share)
            shares.append(FSquaredPart(from_=name, to=outcome, value=known, words=f_squared_words(known)))
    return vifs, shares


def _implied_correlations(fitted: Fitted) -> tuple[Array, Array]:
    """Indicators with constructs (p, m), and nodes with each other (m, m)."""
    nodes = fitted.estimation.nodes
    loading = matrices(fitted.estimation.model, fitted.estimation.solution.theta).loading
    sd_nodes = np.sqrt(np.diag(nodes))
    sd = np.sqrt(np.diag(fitted.estimation.implied))
    return (loading @ nodes) / np.outer(sd, sd_nodes), correlation_from(nodes)


def _block_positions(fitted: Fitted) -> dict[str, list[int]]:
    at = {name: i for i, name in enumerate(fitted.table.observed)}
    return {c.name: [at[n] for n in c.indicators if n in at] for c in fitted.table.constructs}


def _quality(fitted: Fitted, vifs: list[AntecedentVif], draws: _Summaries) -> QualityPart:
    table, evidence = fitted.table, fitted.evidence
    cross, between = _implied_correlations(fitted)
    node_at = {name: i for i, name in enumerate(table.nodes)}
    observed_at = {name: i for i, name in enumerate(table.observed)}
    names = [c.name for c in table.constructs]
    chosen = [node_at[name] for name in names]
    reflective_at = {name: i for i, name in enumerate(fitted.plan.reflective)}
    correlation = correlation_from(evidence.covariance)
    blocks = _block_positions(fitted)
    standardized = {
        (p.kind, p.source, p.target): fitted.figures.standardized[i] for i, p in enumerate(table.parameters)
    }
    alphas = {name: number(value) for name, value in zip(fitted.measured, fitted.alpha, strict=True)}
    constructs, loadings = [], []
    ave = np.full(len(names), np.nan)
    for i, construct in enumerate(table.constructs):
        place = reflective_at.get(construct.name)
        block = blocks[construct.name] if alphas.get(construct.name) is not None else []
        if place is not None:
            ave[i] = fitted.figures.ave[place]
        constructs.append(
            ConstructPart(
                name=construct.name,
                mode=construct.mode,
                alpha=alphas.get(construct.name),
                alpha_standardized=number(standardized_alpha(evidence.covariance[np.ix_(block, block)]))
                if block
                else None,
                composite_reliability=None if place is None else number(fitted.figures.composite_reliability[place]),
                ave=number(ave[i]),
                direction=direction_of(fitted.estimation.model, fitted.figures, construct),
            )
        )
        rows = blocks[construct.name]
        vif = variance_inflation(correlation[np.ix_(rows, rows)]) if len(rows) > 1 else np.full(len(rows), np.nan)
        by_row = dict(zip(rows, vif, strict=True))
        for name in construct.indicators:
            row = observed_at.get(name)
            loading = (
                standardized[("loading", construct.name, name)]
                if construct.mode == "reflective"
                else cross[observed_at[name], node_at[construct.name]]
            )
            loadings.append(
                LoadingPart(
                    construct_=construct.name,
                    indicator=name,
                    loading=number(loading),
                    weight=number(standardized.get(("weight", name, construct.name), np.nan)),
                    vif=None if row is None else number(by_row[row]),
                )
            )
    indicators = list(dict.fromkeys(n for c in table.constructs for n in c.indicators if n in observed_at))
    fornell = between[np.ix_(chosen, chosen)].copy()
    np.fill_diagonal(fornell, np.sqrt(ave))
    return QualityPart(
        constructs=constructs,
        loadings=loadings,
        cross_loadings=matrix_part(indicators, names, cross[np.ix_([observed_at[n] for n in indicators], chosen)]),
        construct_correlations=matrix_part(names, names, between[np.ix_(chosen, chosen)]),
        fornell_larcker=matrix_part(names, names, fornell),
        htmt=[
            HtmtPart(a=a, b=b, value=number(fitted.htmt[i]), bootstrap=draws("htmt", i))
            for i, (a, b) in enumerate(combinations(fitted.measured, 2))
        ],
        vif_antecedents=vifs,
    )


def _moments(names: Sequence[str], covariance: Array, means: Array | None) -> MomentsPart:
    return MomentsPart(
        variables=list(names), covariance=covariance.tolist(), means=None if means is None else means.tolist()
    )


def _scaled(fitted: Fitted, fit: Fit, errors: Errors) -> ScaledPart | None:
    if errors not in NEED_CASES:
        return None
    estimation, evidence = fitted.estimation, fitted.evidence
    test = scaled_test(estimation.model, estimation.solution.theta, evidence, estimation.discrepancy, fit.df, errors)
    if test is None:
        return None
    found = scale_fit(fit, test.scaling_factor, test.baseline_factor, evidence.multiplier)
    return ScaledPart(**asdict(found))


def _bollen_stine(fitted: Fitted, fit: Fit, settings: Settings) -> BollenStinePart | None:
    if fitted.bootstrap is None or not settings.bollen_stine:
        return None
    drawn = fitted.bootstrap.statistics
    exceeded = int((drawn >= fit.chi_square).sum())
    return BollenStinePart(
        p_value=(exceeded + 1) / (drawn.size + 1),
        exceeded=exceeded,
        requested=settings.bootstrap,
        used=int(drawn.size),
        distribution=drawn.tolist(),
    )


def _fit(fitted: Fitted, settings: Settings) -> FitPart:
    found = assess_model(fitted.estimation, fitted.evidence, settings.analytic_errors not in NEED_CASES)
    values = asdict(found)
    baseline = BaselinePart(chi_square=values.pop("baseline_chi_square"), df=values.pop("baseline_df"))
    return FitPart(
        **values,
        baseline=baseline,
        scaled=_scaled(fitted, found, settings.analytic_errors),
        bollen_stine=_bollen_stine(fitted, found, settings),
    )


def _residuals(fitted: Fitted) -> ResidualsPart:
    names = fitted.table.observed
    sample, implied = fitted.evidence.covariance, fitted.estimation.implied
    standardized = standardized_residuals(fitted.estimation, fitted.evidence)
    return ResidualsPart(
        raw=matrix_part(names, names, sample - implied),
        correlation=matrix_part(names, names, correlation_from(sample) - correlation_from(implied)),
        standardized=None if standardized is None else matrix_part(names, names, standardized),
    )


def _scores(fitted: Fitted) -> ScoresPart:
    means = fitted.evidence.means
    weights = score_weights(fitted.estimation, np.zeros(len(fitted.table.observed)) if means is None else means)
    chosen = [i for i, name in enumerate(weights.nodes) if name not in weights.observed]
    rows = [weights.nodes[i] for i in chosen]
    bartlett = None
    if weights.bartlett is not None:
        bartlett = matrix_part(rows, weights.observed, weights.bartlett[chosen])
    return ScoresPart(
        regression=matrix_part(rows, weights.observed, weights.regression[chosen]),
        bartlett=bartlett,
        means=None if means is None else weights.means.tolist(),
        origin=weights.origin[chosen].tolist(),
    )


def _estimates(fitted: Fitted) -> EstimatesPart | None:
    matrix = fitted.estimation.covariance
    if matrix.size == 0 or np.isnan(matrix).any():
        return None
    words = fitted.table.free_words()
    return EstimatesPart(
        covariance=matrix_part(words, words, matrix), correlation=matrix_part(words, words, correlation_from(matrix))
    )


def _bootstrap_figures(fitted: Fitted, draws: _Summaries) -> dict[str, Bootstrap | None]:
    if fitted.bootstrap is None:
        return {}
    figures = {f"r_squared.{name}": draws("r_squared", i) for i, name in enumerate(fitted.plan.explained)}
    for i, name in enumerate(fitted.plan.reflective):
        figures[f"quality.composite_reliability.{name}"] = draws("composite_reliability", i)
        figures[f"quality.ave.{name}"] = draws("ave", i)
    for i, name in enumerate(fitted.measured):
        figures[f"quality.alpha.{name}"] = draws("alpha", i)
    return figures


def _data(source: Source, fitted: Fitted | None) -> DataPart:
    total = source.n
    used = fitted.evidence.n if fitted else 0
    return DataPart(
        name=source.name,
        fingerprint=source.fingerprint(),
        n_used=used,
        n_total=total,
        missing=total - used,
        analysed=fitted.evidence.identity(fitted.table.observed) if fitted else None,
    )


def assemble(analysis: Analysis) -> Results:
    """The document, in every case: what could not be computed is null and the problems say why."""
    problems = [problem_part(problem) for problem in analysis.problems]
    settings, fitted = analysis.settings, analysis.fitted
    text = write(analysis.specification)
    data = _data(analysis.source, fitted)
    if fitted is None:
        return Results(estimator=settings.estimator, settings=settings, model=text, data=data, problems=problems)
    draws = _Summaries(fitted, settings.interval)
    names = fitted.table.observed
    vifs, shares = _collinearity(fitted)
    summary = None
    if fitted.bootstrap is not None:
        summary = BootstrapSummaryPart(
            requested=settings.bootstrap,
            used=fitted.bootstrap.used,
            not_converged=fitted.bootstrap.not_converged,
            inadmissible=fitted.bootstrap.inadmissible,
            seed=settings.seed,
            level=settings.level,
            interval=settings.interval,
        )
    return Results(
        estimator=settings.estimator,
        settings=settings,
        model=text,
        data=data,
        converged=True,
        iterations=fitted.estimation.solution.iterations,
        admissible=fitted.admissible,
        problems=problems,
        sample=_moments(names, fitted.evidence.covariance, fitted.evidence.means),
        implied=_moments(names, fitted.estimation.implied, fitted.estimation.implied_means),
        residuals=_residuals(fitted),
        fit=_fit(fitted, settings),
        parameters=_parameters(fitted, settings, draws),
        r_squared={name: number(fitted.figures.r_squared[i]) for i, name in enumerate(fitted.plan.explained)},
        f_squared=shares,
        effects=_effects(fitted, draws, settings.level),
        mediation=_mediation(fitted, draws),
        tracked=[
            TrackedPart(
                name=name,
                estimate=number(fitted.figures.tracked[i]),
                se=number(fitted.errors["tracked"][i]),
                bootstrap=draws("tracked", i),
            )
            for i, name in enumerate(fitted.plan.tracked)
        ],
        quality=_quality(fitted, vifs, draws),
        modification=[
            ModificationPart(
                kind=m.parameter.kind,
                from_=m.parameter.source,
                to=m.parameter.target,
                release=m.release,
                index=m.index,
                expected_change=m.expected_change,
                standardized_change=number(m.standardized_change),
            )
            for m in fitted.modifications
        ],
        bootstrap_summary=summary,
        bootstrap_figures=_bootstrap_figures(fitted, draws),
        scores=_scores(fitted),
        estimates=_estimates(fitted),
    )
