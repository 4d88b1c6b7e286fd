"""What was analysed, and how."""

from __future__ import annotations

from dusk_arrow import __version__
from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name
from dusk_arrow.core.problems import counted, listed
from dusk_arrow.core.wording import INTERVALS
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import Material


def sample(material: Material) -> list[str]:
    """The cases, and what was done about missing answers."""
    results = material.results
    data = results.data
    if data is None:
        return []
    if material.screening is None:
        p = len(results.sample.variables) if results.sample else 0
        return [
            f"The analysis rests on the covariances of {counted(p, 'variable')} in {data.n_used:,} cases ({data.name})."
        ]
    lost = data.n_total - data.n_used
    said = (
        f"The analysis rests on {data.n_used:,} of {data.n_total:,} cases ({data.name})."
        if lost
        else f"The analysis rests on all {data.n_total:,} cases ({data.name})."
    )
    how = results.settings.missing
    if how == "full-information":
        said += " Missing answers were not filled: every case counts with the answers it has (full-information maximum likelihood)."
    elif how == "mean":
        said += " Missing answers were filled with the mean of their column."
    elif how == "pairwise":
        said += " Each covariance rests on the cases that have both answers (pairwise)."
    elif lost:
        said += f" {counted(lost, 'case')} lacked an answer in a column in use and {'was' if lost == 1 else 'were'} left out (listwise)."
    else:
        said += " No answer in a column in use was missing."
    little = material.screening.little
    if little is not None and how != "mean":
        chance = Style().p(little.p_value)
        said += f" Little's test of missing completely at random: χ²({little.df}) = {little.chi_square:.2f}, {chance}."
    if material.steps:
        said += f" Before the analysis: {'; '.join(material.steps)}."
    return [said]


def method(material: Material) -> list[str]:
    """Model, family, estimator, errors, resamples, seed and version."""
    results, model = material.results, material.model
    options, settings = options_by_name(), results.settings
    family = next(one.words for one in FAMILY_OPTIONS if one.key == results.family)
    items = sum(len(c.indicators) for c in model.constructs)
    parts = []
    if model.constructs:
        parts.append(f"{counted(len(model.constructs), 'construct')} measured by {counted(items, 'item')}")
    if model.observed:
        parts.append(counted(len(model.observed), "observed variable"))
    said = f"The model has {listed(parts)} and {counted(len(model.paths), 'path')}. "
    said += f"It was estimated with {family} by {options['estimator'].words(results.estimator)}"
    if material.composite:
        said += f" ({options['scheme'].words(settings.scheme)} weighting)"
    elif settings.errors != "bootstrap":
        said += f"; standard errors: {options['errors'].words(settings.errors)}"
    said += "."
    formative = [c.name for c in model.constructs if c.mode == "formative"]
    if formative:
        said += f" {listed(formative)} {'is' if len(formative) == 1 else 'are'} made of {'its' if len(formative) == 1 else 'their'} items."
    summary = results.bootstrap_summary
    if summary is not None:
        of_all = "" if summary.used == summary.requested else f" of {summary.requested:,}"
        said += (
            f" Intervals are {100 * summary.level:g} % {INTERVALS[summary.interval]} intervals from {summary.used:,}{of_all} bootstrap "
            f"resamples (seed {summary.seed})."
        )
        if summary.inadmissible:
            said += f" {counted(summary.inadmissible, 'resample')} had an inadmissible solution and {'was' if summary.inadmissible == 1 else 'were'} kept."
    said += f" Computed with Dusk Arrow {__version__}."
    return [said]


def settings(material: Material) -> list[str]:
    """Every setting that changes a number, so that the analysis can be repeated."""
    results, options = material.results, options_by_name()
    settings = results.settings
    named = {family.key: [option.name for option in family.options] for family in FAMILY_OPTIONS}[results.family]
    said = []
    for name in named:
        option, value = options[name], getattr(settings, name, None)
        if isinstance(value, str) and option.choices:
            said.append(f"{option.label}: {option.words(value)}")
        elif isinstance(value, bool):
            said.append(f"{option.label}: {'yes' if value else 'no'}")
    said.append(f"resamples: {settings.bootstrap:,}" if settings.bootstrap else "no resamples")
    if settings.bootstrap:
        said += [f"seed: {settings.seed}", f"interval: {INTERVALS[settings.interval]}, {100 * settings.level:g} %"]
    data = results.data
    mark = f" Fingerprint of the data: {data.fingerprint[:16]}." if data is not None else ""
    return [f"Settings – {'; '.join(said)}.{mark} Computed with Dusk Arrow {__version__}."]
