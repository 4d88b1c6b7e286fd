"""What was analysed, and how."""

from __future__ import annotations

from dusk_arrow import __version__
from dusk_arrow.core.family_options import BY_KEY, FAMILY_OPTIONS, options_by_name
from dusk_arrow.core.problems import counted, enumerated
from dusk_arrow.core.run_options import INTERVAL
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables.stated import covarying, equal, held, wholes, words_of
from dusk_arrow.report.words.saying import be

ERRORS = {
    "expected": "the expected information (Jöreskog, 1969)",
    "observed": "the observed information (Efron & Hinkley, 1978)",
    "sandwich": "the sandwich of the information and the casewise scores (White, 1982)",
    "satorra-bentler": "the expected information, corrected for the fourth moments (Satorra & Bentler, 1994)",
}
SCALED = {"sandwich": "Yuan & Bentler (2000)", "satorra-bentler": "Satorra & Bentler (1994)"}
MOST_STATED = 6  # of one kind, that are told one by one


def sample(material: Material) -> list[str]:
    """The cases: how many the file has, which were left out by what, and what was done about missing answers."""
    results, data = material.results, material.results.data
    if data is None:
        return []
    if material.screening is None:
        p = len(results.sample.variables) if results.sample else 0
        what = "correlations" if any(one.code == "correlations_analysed" for one in results.problems) else "covariances"
        return [f"The analysis rests on the {what} of {counted(p, 'variable')} in {data.n_used:,} cases ({data.name})."]
    in_file = material.cases.in_file if material.cases is not None else data.n_total
    said = [
        f"The analysis rests on {data.n_used:,} of the {in_file:,} cases in the file ({data.name})."
        if data.n_used < in_file
        else f"The analysis rests on all {in_file:,} cases ({data.name})."
    ]
    for one in material.cases.removals if material.cases is not None else ():
        if one.cases:
            why = f" ({one.reason})" if one.reason else ""
            gaps = (
                f"; {one.incomplete:,} of these lacked an answer, by which halves could not be drawn"
                if one.incomplete
                else ""
            )
            how = f"{be(range(one.cases), True)} left out by a recorded step"
            said.append(f"{counted(one.cases, 'case')} {how}: {one.words}{why}{gaps}.")
    said += _missing(material, data.n_total - data.n_used)
    little = material.screening.little
    if little is not None and results.settings.missing != "mean":
        chance = Style().p(little.p_value)
        said.append(
            f"Little's test of missing completely at random (Little, 1988) gave χ²({little.df}) = {little.chi_square:,.2f}, {chance}."
        )
    left = {one.words for one in material.cases.removals} if material.cases is not None else set()
    others = [step for step in material.steps if not any(step.startswith(words) for words in left)]
    if others:
        said.append(f"Before the analysis, these steps were taken with the data: {'; '.join(others)}.")
    return [" ".join(said)]


def _missing(material: Material, lost: int) -> list[str]:
    """What was done about missing answers, where any were missing."""
    codes = {problem.code for problem in material.results.problems}
    empty = (
        [f"{counted(lost, 'case')} had no answer in any column in use and {be(range(lost), True)} left out."]
        if lost
        else []
    )
    if "full_information" in codes:
        how = "every case counts with the answers it has (full-information maximum likelihood; Enders & Bandalos, 2001)"
        return [f"Missing answers were not filled: {how}.", *empty]
    if "filled_with_means" in codes:
        return ["Missing answers were filled with the mean of their column.", *empty]
    if "pairwise" in codes:
        return ["Each correlation rests on the cases that have both answers (pairwise).", *empty]
    if material.results.settings.missing != "listwise":
        return empty or ["No answer in a column in use was missing."]
    if lost:
        verb = be(range(lost), True)
        return [f"{counted(lost, 'case')} lacked an answer in a column in use and {verb} left out (listwise)."]
    return ["No answer in a column in use was missing."]


def method(material: Material) -> list[str]:
    """Model, family, estimator, what errors and intervals come from, resamples, seed and version."""
    said = [*_model(material), *_estimation(material), *_resamples(material)]
    return [" ".join([*said, f"Computed with Dusk Arrow {__version__}."])]


def _model(material: Material) -> list[str]:
    model = material.model
    parts_of = wholes(material)
    items = {name for c in model.constructs for name in c.indicators if name not in model.by_name}
    parts = []
    if model.constructs:
        measured = f" measured by {counted(len(items), 'item')}" if items else ""
        parts.append(f"{counted(len(model.constructs), 'construct')}{measured}")
    others = [name for name in model.observed if name not in model.control_names]
    if others:
        parts.append(counted(len(others), "observed variable"))
    if model.control_names:
        parts.append(f"{counted(len(model.control_names), 'control')} ({enumerated(model.control_names)})")
    own = len(model.paths) - len(model.controls)
    besides = ", besides those of the controls" if model.controls else ""
    said = [f"The model has {enumerated(parts)}, and {counted(own, 'path')}{besides}."]
    said += [
        f"{whole} is a second-order construct that {'shows in' if model.by_name[whole].mode == 'reflective' else 'is made of'} "
        f"{enumerated(names)}."
        for whole, names in parts_of.items()
    ]
    formative = [c.name for c in model.constructs if c.mode == "formative" and c.name not in parts_of]
    if formative:
        said.append(
            f"{enumerated(formative)} {be(formative)} made of {'its' if len(formative) == 1 else 'their'} items."
        )
    growth = [c.name for c in model.constructs if c.name in material.growth]
    if growth:
        said.append(
            f"The loadings of {enumerated(growth)} are held, so that they stand for levels and changes of their items."
        )
    return [*said, *_stated(material)]


def _stated(material: Material) -> list[str]:
    """What covaries, is equal or held by a sentence, one by one where they are few."""
    model, see = material.model, material.see("stated")
    items = set(model.owner)
    said = []
    explained = {target for _, target in model.paths}
    groups: dict[str, list[str]] = {"residuals": [], "disturbances": [], "": []}
    for p in covarying(material):
        ends = {p.from_, p.to}
        what = "residuals" if ends <= items - set(model.by_name) else "disturbances" if ends <= explained else ""
        groups[what].append(f"{p.from_} and {p.to}")
    for what, own in groups.items():
        if own:
            names = enumerated(own) if len(own) <= MOST_STATED else f"{len(own)} pairs"
            said.append(f"The {what} of {names} covary{see}." if what else f"{names} covary{see}.")
    for members in equal(material):
        names = (
            enumerated([words_of(p) for p in members]) if len(members) <= MOST_STATED else f"{len(members)} parameters"
        )
        said.append(f"{names[0].upper()}{names[1:]} are held equal{see}.")
    fixed = [p for p in held(material) if p.from_ not in material.growth]
    if len(fixed) > MOST_STATED:
        said.append(f"The model holds {len(fixed)} parameters at values{see}.")
    elif fixed:
        said.append(f"The model holds {enumerated([f'{words_of(p)} at {p.estimate:g}' for p in fixed])}{see}.")
    return said


def _estimation(material: Material) -> list[str]:
    results, options, settings = material.results, options_by_name(), material.results.settings
    family = next(one.words for one in FAMILY_OPTIONS if one.key == results.family)
    kind = family if material.model.constructs else "observed variables alone"
    estimator = options["estimator"].words(results.estimator)
    scheme = f", {options['scheme'].words(settings.scheme)} weighting" if material.composite else ""
    said = [
        f"It was estimated with {kind} by {estimator} ({BY_KEY[material.results.family].sources[results.estimator]}{scheme})."
    ]
    if material.basis and results.bootstrap_summary is None:
        said.append(f"Standard errors, p and intervals rest on {ERRORS[settings.analytic_errors]}.")
    if results.fit is not None and results.fit.scaled is not None:
        said.append(f"The test of fit was scaled after {SCALED[settings.analytic_errors]}.")
    if results.monte_carlo is not None:
        drawn = results.monte_carlo
        said.append(
            f"Intervals of indirect and total effects are {100 * drawn.level:g} % Monte-Carlo intervals from {drawn.draws:,} draws of the "
            f"estimates (MacKinnon, Lockwood & Williams, 2004; seed {drawn.seed})."
        )
    return said


def _resamples(material: Material) -> list[str]:
    summary = material.results.bootstrap_summary
    if summary is None:
        return []
    drawn = summary.used + summary.not_converged
    said = [
        f"Standard errors, p and intervals come from {drawn:,} bootstrap resamples of the cases (seed {summary.seed}): "
        f"{100 * summary.level:g} % {INTERVAL.words(summary.interval)} intervals ({INTERVAL.choice(summary.interval).source})."
    ]
    if drawn < summary.requested:
        said.append(f"Of {summary.requested:,} that were asked for, {drawn:,} were drawn.")
    if summary.not_converged:
        still = [f"{name} did not vary in {count:,}" for name, count in summary.no_variation.items()]
        why = f" ({enumerated(still)})" if still else ""
        said.append(f"{summary.used:,} converged{why}; the others are left out.")
    else:
        said.append("All of them converged.")
    if summary.inadmissible:
        verb = be(range(summary.inadmissible), True)
        said.append(f"{counted(summary.inadmissible, 'resample')} had an inadmissible solution and {verb} kept.")
    return said


def settings(material: Material) -> list[str]:
    """Every setting that changes a number, so that the analysis can be repeated."""
    results, options = material.results, options_by_name()
    settings = results.settings
    named = {family.key: [option.name for option in family.options] for family in FAMILY_OPTIONS}[results.family]
    said = []
    for name in named:
        option, value = options[name], getattr(settings, name, None)
        if name == "means":  # full information, and sentences about levels, model them unasked
            value = any(p.kind in ("intercept", "mean") for p in results.parameters)
        if isinstance(value, str) and option.choices:
            said.append(f"{option.label}: {option.words(value)}")
        elif isinstance(value, bool):
            said.append(f"{option.label}: {'yes' if value else 'no'}")
    said.append(f"resamples: {settings.bootstrap:,}" if settings.bootstrap else "no resamples")
    if settings.bootstrap:
        said += [f"seed: {settings.seed}", f"interval: {INTERVAL.words(settings.interval)}, {100 * settings.level:g} %"]
    data = results.data
    mark = f" Fingerprint of the data: {data.fingerprint[:16]}." if data is not None else ""
    return [f"Settings – {'; '.join(said)}.{mark} Computed with Dusk Arrow {__version__}."]
