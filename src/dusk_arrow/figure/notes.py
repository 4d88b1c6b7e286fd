"""What is said below a figure, made from how it is drawn."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.assessment.criteria import BY_KEY
from dusk_arrow.core.family_options import options_by_name
from dusk_arrow.core.problems import counted, enumerated
from dusk_arrow.core.run_options import INTERVAL
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import Arrow
from dusk_arrow.core.wording import p_words
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.results.document import Results

MOST_NAMED = 4


def note(
    model: Model, results: Results, options: FigureOptions, drawn: int, stated: int, controls: Sequence[str] = ()
) -> str:
    """The note: scale, estimator and n, what stands beside paths and by what, what dashes mean, and which covariances are not
    drawn: of those that are estimated `drawn` are, of errors that are `stated` so many are not; which `controls` are not."""
    level = f"{100 * results.settings.level:g} %"
    n = results.data.n_used if results.data else 0
    summary = results.bootstrap_summary
    scale = "Standardized" if options.standardized else "Unstandardized"
    parts = [f"Note. {scale} {options_by_name()['estimator'].words(results.estimator)} estimates, n = {n:,}."]
    if summary is not None:
        kind = f"{INTERVAL.words(results.settings.interval)} bootstrap intervals ({summary.used:,} resamples)"
    else:
        kind = "intervals from standard errors" if any(p.se is not None for p in results.parameters) else ""
    structure = options.parts != "measurement" and bool(model.paths)
    basis = "the bootstrap" if summary is not None else "standard errors"
    if structure and kind:
        beside = {
            "interval": f"In brackets {level} {kind}.",
            "stars": options.p(f"* p < .05, ** p < .01, *** p < .001, by {basis}.")
            if summary is None or results.settings.interval == "percentile"
            else f"* the {level} {kind} exclude zero.",
            "p": f"p by {basis}.",
            "se": f"In parentheses {'bootstrap ' if summary is not None else ''}standard errors.",
            "nothing": "",
        }[options.beside]
        uncertain = {
            "dashed": "Dashed: the {}interval contains zero.",
            "grey": "Grey: the {}interval contains zero.",
            "hidden": "Paths whose {}interval contains zero are not drawn.",
            "plain": "",
        }[options.uncertain]
        parts += [beside, uncertain.format("" if options.beside == "interval" else f"{level} ")]
    elif structure:
        parts.append("There are no intervals without a bootstrap.")
    if options.thickness and structure:
        parts.append("Lines are as thick as the standardized path is large.")
    if options.residuals and options.parts != "structure":
        parts.append("Numbers at the free arrows are residual variances.")
    formative = [c.name for c in model.constructs if c.mode == "formative" and c.indicators]
    if formative and options.parts != "structure" and options.loadings:
        parts.append(f"Numbers at the items of {enumerated(formative)} are weights.")
    if structure and controls:
        parts.append(f"{enumerated(controls)} {'is' if len(controls) == 1 else 'are'} controlled for and not drawn.")
    covarying = _covarying(model, results)
    if covarying > 1 and not drawn:
        parts.append("Covariances of exogenous variables are estimated and not drawn.")
    elif covarying == 1 and not drawn:
        parts.append("The covariance of the exogenous variables is estimated and not drawn.")
    elif drawn and formative:
        parts.append(f"Covariances of the items of {enumerated(formative)} are estimated and not drawn.")
    if stated:
        parts.append("Stated covariances are not drawn." if stated > 1 else "A stated covariance is not drawn.")
    parts += _constraints(model, structure)
    return " ".join(part for part in parts if part)


def _covarying(model: Model, results: Results) -> int:
    """How many covariances of variables that nothing leads to are estimated."""
    exogenous = {name for name in model.structure_nodes if name not in {t for _, t in model.paths}}
    return sum(p.kind == "covariance" and p.free and {p.from_, p.to} <= exogenous for p in results.parameters)


def _constraints(model: Model, structure: bool) -> list[str]:
    """What of the model a reader cannot see in its lines: held paths and loadings, equalities, wholes of constructs."""
    parts = []
    held = [f"{t.source} → {t.target} ({value:g})" for t, value in model.fixed.items() if isinstance(t, Arrow)]
    if 0 < len(held) <= MOST_NAMED and structure:
        parts.append(f"Held at values: {enumerated(held)}.")
    elif held and structure:
        paths = sum(isinstance(t, Arrow) and (t.source, t.target) in model.paths for t in model.fixed)
        loadings = len(held) - paths
        shown = [counted(count, what) for count, what in ((loadings, "loading"), (paths, "path")) if count]
        parts.append(f"{' and '.join(shown)} are held at values.")
    if model.matches:
        parts.append(
            f"{len(model.matches)} {'set' if len(model.matches) == 1 else 'sets'} of parameters are held equal."
        )
    wholes = [c.name for c in model.constructs if any(name in model.by_name for name in c.indicators)]
    if wholes and structure:
        parts.append(f"{enumerated(wholes)} {'is' if len(wholes) == 1 else 'are'} of second order.")
    return parts


def fit_line(results: Results, options: FigureOptions) -> str:
    """The figures of fit that were chosen, those that there are."""
    fit = results.fit
    if fit is None:
        return ""
    three = options.model_copy(update={"decimals": 3})
    said = []
    for key in options.fit:
        value = getattr(fit, key)
        if value is None:
            continue
        criterion = BY_KEY[key]
        if key == "chi_square":
            p = "" if fit.p_value is None else f", {options.p(p_words(fit.p_value))}"
            said.append(f"{criterion.label}({fit.df}) = {value:.{criterion.decimals}f}{p}")
        elif criterion.form == "share":
            bounds = fit.rmsea_interval if key == "rmsea" else None
            around = "" if bounds is None else f" [{three.share(bounds[0])}, {three.share(bounds[1])}]"
            said.append(f"{criterion.label} = {three.share(value)}{around}")
        else:
            said.append(f"{criterion.label} = {value:.{criterion.decimals}f}")
    return f"Fit: {', '.join(said)}." if said else ""
