"""What is said below a figure, made from how it is drawn."""

from __future__ import annotations

from dusk_arrow.core.family_options import options_by_name
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.wording import INTERVALS, p_words
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.results.document import Results


def note(model: Model, results: Results, options: FigureOptions, drawn: int, stated: int) -> str:
    """The note: scale, estimator and n, what stands beside paths and by what, what dashes mean, and which covariances are not
    drawn: of those that are estimated `drawn` are, of errors that are `stated` so many are not."""
    level = f"{100 * results.settings.level:g} %"
    n = results.data.n_used if results.data else 0
    summary = results.bootstrap_summary
    scale = "Standardized" if options.standardized else "Unstandardized"
    parts = [f"Note. {scale} {options_by_name()['estimator'].words(results.estimator)} estimates, n = {n}."]
    if summary is not None:
        kind = f"{INTERVALS[results.settings.interval]} bootstrap intervals ({summary.used} resamples)"
    else:
        kind = "intervals from standard errors" if any(p.se is not None for p in results.parameters) else ""
    structure = options.parts != "measurement" and bool(model.paths)
    basis = "the bootstrap" if summary is not None else "standard errors"
    if structure and kind:
        beside = {
            "interval": f"In brackets {level} {kind}.",
            "stars": options.p(f"* p < .05, ** p < .01, *** p < .001, by {basis}."),
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
        parts.append(f"Numbers at the items of {', '.join(formative)} are weights.")
    exogenous = [name for name in model.structure_nodes if name not in {t for _, t in model.paths}]
    if len(exogenous) > 1 and not drawn:
        parts.append("Covariances of exogenous variables are estimated and not drawn.")
    elif drawn and formative:
        parts.append(f"Covariances of the items of {', '.join(formative)} are estimated and not drawn.")
    if stated:
        parts.append("Stated covariances are not drawn." if stated > 1 else "A stated covariance is not drawn.")
    return " ".join(part for part in parts if part)


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
        if key == "chi_square":
            p = "" if fit.p_value is None else f", {options.p(p_words(fit.p_value))}"
            said.append(f"χ²({fit.df}) = {value:.1f}{p}")
        elif key in ("aic", "bic"):
            said.append(f"{key.upper()} = {value:.1f}")
        elif key == "chi_square_per_df":
            said.append(f"χ²/df = {value:.2f}")
        elif key in ("d_uls", "d_g"):
            said.append(f"{'d_ULS' if key == 'd_uls' else 'd_G'} = {value:.3f}")
        else:
            bounds = fit.rmsea_interval if key == "rmsea" else None
            around = "" if bounds is None else f" [{three.share(bounds[0])}, {three.share(bounds[1])}]"
            said.append(f"{key.upper()} = {three.share(value)}{around}")
    return f"Fit: {', '.join(said)}." if said else ""
