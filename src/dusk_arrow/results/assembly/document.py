"""The document, put together: in every case, with what could not be computed null."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from dusk_arrow.core.assessment.fit import DistanceFit, Fit, FitTest, critical_n
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.writing import write
from dusk_arrow.results.analysis import DRAWS, Analysis
from dusk_arrow.results.assembly import estimates, quality
from dusk_arrow.results.assembly.summaries import Found, found_of
from dusk_arrow.results.convert import descriptives_part, matrix_part, number, problem_part
from dusk_arrow.results.document import (
    BaselinePart,
    BollenStinePart,
    BootstrapSummaryPart,
    CommonMethodPart,
    DataPart,
    FitPart,
    FitTestPart,
    ImportancePart,
    MeasurementFitPart,
    MomentsPart,
    MonteCarloPart,
    PredictedIndicator,
    PredictionPart,
    Quantiles,
    ReferencePart,
    ResidualsPart,
    Results,
    ScaledPart,
    ScoreDescriptivesPart,
    ScoresPart,
)
from dusk_arrow.results.document.fit import DISTANCES
from dusk_arrow.results.hypotheses import hypotheses
from dusk_arrow.results.verdicts import judged_by


def _moments(names: Sequence[str], covariance: Array, means: Array | None) -> MomentsPart:
    return MomentsPart(
        variables=list(names), covariance=covariance.tolist(), means=None if means is None else means.tolist()
    )


def _bollen_stine(found: Found) -> BollenStinePart | None:
    test = None if found.outcome is None else found.outcome.transformed
    if test is None:
        return None
    return BollenStinePart(
        p_value=test.p_value,
        exceeded=test.exceeded,
        requested=found.settings.bootstrap,
        used=int(test.statistics.size),
        distribution=test.statistics.tolist(),
    )


def _distances(values: tuple[float, float, float] | None) -> dict[str, float | None]:
    if values is None:
        return dict.fromkeys(DISTANCES)
    return {name: number(value) for name, value in zip(DISTANCES, values, strict=True)}


def _reference(found: Found, which: str) -> ReferencePart | None:
    known = None if found.outcome is None else found.outcome.reference
    if known is None:
        return None
    bounds = {name: known.get(f"{which}.{name}") for name in DISTANCES}
    return ReferencePart(
        **{name: None if pair is None else Quantiles(q95=pair[0], q99=pair[1]) for name, pair in bounds.items()}
    )


def _distance_fit(found: Found, fit: DistanceFit) -> FitPart:
    nothing = dict.fromkeys(name for name in FitPart.model_fields if name not in DISTANCES)
    nothing |= {
        "tests": [],
        "reference": _reference(found, "whole"),
        "measurement_part": MeasurementFitPart(
            **_distances(fit.measurement), reference=_reference(found, "measurement")
        ),
        "implied_within": fit.within,
    }
    return FitPart(**nothing, **_distances(fit.whole))


def _global(fit: Fit) -> FitPart:
    ground = fit.ground
    own, saturated = ground.likelihoods if ground.likelihoods is not None else (None, None)
    return FitPart(
        **fit.values,
        df=ground.df,
        p_value=fit.p_value,
        rmsea_interval=fit.rmsea_interval,
        log_likelihood=own,
        log_likelihood_saturated=saturated,
        n_parameters=ground.n_parameters,
        critical_n_05=fit.critical_n_05,
        critical_n_01=fit.critical_n_01,
        baseline=BaselinePart(chi_square=ground.baseline, df=ground.baseline_df),
    )


def _scaled(test: FitTest) -> ScaledPart:
    robust = {f"robust_{key}": value for key, value in asdict(test)["robust"].items()}
    return ScaledPart.model_validate(asdict(test) | robust)


def _fit(found: Found) -> FitPart:
    if isinstance(found.fitted.fit, DistanceFit):
        return _distance_fit(found, found.fitted.fit)
    fit = found.fitted.fit
    scaled = next((test for test in found.fitted.tests if test.robust is not None), None)
    multiplier = sum(block.evidence.multiplier for block in found.fitted.blocks)
    alpha = 1 - found.settings.level
    chosen = critical_n(alpha, fit.chi_square, fit.df, found.fitted.n, multiplier) if fit.df else None
    more = {
        "critical_n": chosen,
        "scaled": None if scaled is None else _scaled(scaled),
        "tests": [FitTestPart.model_validate(asdict(test)) for test in found.fitted.tests],
        "bollen_stine": _bollen_stine(found),
    }
    return _global(found.fitted.fit).model_copy(update=more)


def _common_method(analysis: Analysis) -> CommonMethodPart | None:
    known = analysis.common_method
    if known is None:
        return None
    return CommonMethodPart(
        items=known.items, single_factor=_global(known.single_factor), measurement=_global(known.measurement)
    )


def _residuals(found: Found) -> ResidualsPart:
    names, residuals = found.block.names, found.block.residuals
    standardized = residuals.standardized
    return ResidualsPart(
        raw=matrix_part(names, names, residuals.raw),
        correlation=matrix_part(names, names, residuals.correlation),
        standardized=None if standardized is None else matrix_part(names, names, standardized),
    )


def _described(analysis: Analysis) -> list[ScoreDescriptivesPart] | None:
    return None if analysis.scored is None else [descriptives_part(*one) for one in analysis.scored]


def _scores(found: Found, analysis: Analysis) -> ScoresPart:
    weights = found.block.scores
    chosen = [i for i, name in enumerate(weights.nodes) if name not in weights.observed]
    rows = [weights.nodes[i] for i in chosen]
    bartlett = None
    if weights.bartlett is not None:
        bartlett = matrix_part(rows, weights.observed, weights.bartlett[chosen])
    return ScoresPart(
        regression=matrix_part(rows, weights.observed, weights.regression[chosen]),
        bartlett=bartlett,
        means=None if found.block.evidence.means is None else weights.means.tolist(),
        origin=weights.origin[chosen].tolist(),
        descriptives=_described(analysis),
    )


def _prediction(found: Found) -> PredictionPart | None:
    known = found.fitted.prediction
    if known is None:
        return None
    lines = [
        PredictedIndicator(
            **{key: value if key == "indicator" else number(value) for key, value in asdict(line).items()}
        )
        for line in known.indicators
    ]
    return PredictionPart(folds=known.folds, repeats=known.repeats, seed=known.seed, indicators=lines)


def _importance(found: Found) -> list[ImportancePart]:
    return [
        ImportancePart(
            outcome=line.outcome,
            construct_=line.construct,
            importance=line.importance,
            performance=line.performance,
            against=line.against,
            recorded_ends=line.recorded,
        )
        for line in found.fitted.importance
    ]


def _labels(source: DataSet, model: Model) -> dict[str, str]:
    used = set(model.columns) | {name for construct in model.constructs for name in construct.everything}
    return {column.name: column.label for column in source.columns if column.label and column.name in used}


def _data(analysis: Analysis) -> DataPart:
    source, fitted = analysis.source, analysis.fitted
    used = 0 if fitted is None else fitted.n
    return DataPart(
        name=source.name,
        fingerprint=source.fingerprint(),
        n_used=used,
        n_total=source.n,
        missing=source.n - used,
        labels={} if isinstance(source, Moments) else _labels(source, read(analysis.specification)),
        analysed=None if fitted is None else fitted.identity,
    )


def _bootstrap_summary(found: Found) -> BootstrapSummaryPart | None:
    outcome, settings = found.outcome, found.settings
    if outcome is None:
        return None
    return BootstrapSummaryPart(
        requested=settings.bootstrap,
        used=outcome.used,
        not_converged=outcome.not_converged,
        inadmissible=outcome.inadmissible,
        seed=settings.seed,
        level=settings.level,
        interval=settings.interval,
        stopped=outcome.stopped,
        no_variation=outcome.still,
    )


def _monte_carlo(found: Found) -> MonteCarloPart | None:
    if found.monte_carlo is None:
        return None
    return MonteCarloPart(draws=DRAWS, seed=found.settings.seed, level=found.settings.level)


def assemble(analysis: Analysis) -> Results:
    """The document, in every case: what could not be computed is null and the problems say why."""
    settings, blocks = analysis.settings, found_of(analysis)
    empty = Results(
        family=settings.family,
        estimator=settings.estimator,
        settings=settings,
        model=write(analysis.specification),
        data=_data(analysis),
        problems=[problem_part(problem) for problem in analysis.problems],
    )
    if not blocks:
        return empty
    (found,) = blocks  # what a document says of several groups has no place in it yet
    fitted, block = found.fitted, found.block
    results = empty.model_copy(
        update={
            "converged": True,
            "iterations": fitted.iterations,
            "admissible": fitted.admissible,
            "sample": _moments(block.names, block.evidence.covariance, block.evidence.means),
            "implied": _moments(block.names, block.implied, block.implied_means),
            "residuals": _residuals(found),
            "fit": _fit(found),
            "parameters": estimates.parameters(found),
            "prediction": _prediction(found),
            "importance": _importance(found),
            "common_method": _common_method(analysis),
            "r_squared": quality.r_squared(found),
            "r_squared_adjusted": quality.r_squared_adjusted(found),
            "f_squared": quality.f_squared_parts(found),
            "effects": estimates.effects(found),
            "differences": estimates.differences(found),
            "mediation": estimates.mediation(found),
            "tracked": estimates.tracked(found),
            "quality": quality.quality_part(found, analysis.redundancy),
            "modification": estimates.modifications(found),
            "bootstrap_summary": _bootstrap_summary(found),
            "monte_carlo": _monte_carlo(found),
            "bootstrap_figures": quality.bootstrapped(found),
            "scores": _scores(found, analysis),
            "estimates": estimates.estimates(found),
        }
    )
    results.problems = judged_by(results)
    if analysis.model is not None:
        results.hypotheses = hypotheses(results, analysis.model)
    return results
