"""What was found: measures, fit, paths, mediation, and what was set aside."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.problems import counted, listed
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import Material
from dusk_arrow.report.references import within
from dusk_arrow.report.tables.history import cited, reasons
from dusk_arrow.report.tables.sample import impossible
from dusk_arrow.report.tables.structure import cut_off, decided
from dusk_arrow.results.document import ConstructPart, EffectPart, FitPart, Interval, ParameterPart

FIT = (("CFI", "cfi"), ("TLI", "tli"), ("RMSEA", "rmsea"), ("SRMR", "srmr"))
INADMISSIBLE = "The solution is inadmissible, so that its estimates should not be interpreted."
WRITTEN = Style()
THREE = Style(3)


def _judged(material: Material, found: Sequence[tuple[str, str, float | None]]) -> str:
    """Which figures meet their cut-offs, which are borderline, which miss them: by words, key and value."""
    groups: dict[str, list[str]] = {"meets": [], "borderline": [], "misses": []}
    for words, key, value in found:
        verdict = material.criteria.judge(key, value)
        if verdict in groups:
            groups[verdict].append(f"{words} ({cut_off(material.criteria.by_key[key])})")
    named = {"meets": "met", "borderline": "tolerated", "misses": "missed"}
    said = [f"{named[verdict]}: {listed(names, 12)}" for verdict, names in groups.items() if names]
    return f"Cut-offs {'; '.join(said)}." if said else ""


def measures(material: Material) -> list[str]:
    """Loadings, reliability, AVE and HTMT, as ranges and with what falls short; then the fit."""
    quality, criteria = material.results.quality, material.criteria
    said = []
    reflective = [c for c in quality.constructs if c.mode == "reflective"] if quality else []
    names = {c.name for c in reflective}
    loadings = (
        [(one.loading, one) for one in quality.loadings if one.construct_ in names and one.loading is not None]
        if quality
        else []
    )
    if loadings:
        low, high = min(value for value, _ in loadings), max(value for value, _ in loadings)
        said.append(f"Standardized loadings ran from {WRITTEN.number(low)} to {WRITTEN.number(high)}.")
        against = material.against
        if against:
            said.append(
                f"{listed(against)} {'runs' if len(against) == 1 else 'run'} against {'its' if len(against) == 1 else 'their'} block."
            )
        weak = [
            f"{one.indicator} ({WRITTEN.number(value)})"
            for value, one in loadings
            if criteria.judge("loading", abs(value)) == "misses"
        ]
        if weak:
            bound = criteria.by_key["loading"]
            said.append(f"Below what is tolerated ({cut_off(bound)}): {listed(weak, 12)}.")
    keys = [
        ("alpha", "Cronbach's alpha"),
        *([("rho_a", "rho_A")] if material.composite else []),
        ("composite_reliability", "composite reliability"),
        ("ave", "AVE"),
    ]
    ranges = []
    for key, words in keys:
        values = [(getattr(c, key), c.name) for c in reflective if getattr(c, key) is not None]
        if values:
            ranges.append(f"{words} from {WRITTEN.number(min(values)[0])} to {WRITTEN.number(max(values)[0])}")
    if ranges:
        said.append(f"Across constructs {listed(ranges)}.")
        short = [
            f"{words} of {c.name} ({WRITTEN.number(getattr(c, key))})"
            for key, words in keys
            for c in reflective
            if _misses(material, key, c)
        ]
        said.append(
            f"Cut-offs missed: {listed(short, 12)}." if short else "No cut-off of reliability or AVE was missed."
        )
    pairs = [(one.value, one) for one in quality.htmt if one.value is not None] if quality else []
    if pairs:
        top, at = max(pairs, key=lambda pair: pair[0])
        criterion = criteria.by_key["htmt"]
        verdict = {"meets": "met", "borderline": "borderline", "misses": "missed", "none": ""}[criterion.judge(top)]
        judged = f"; cut-off {cut_off(criterion)}: {verdict} ({within(criterion.cut_off_source)})" if verdict else ""
        said.append(f"HTMT was highest between {at.a} and {at.b}, {WRITTEN.number(top)}{judged}.")
    return [" ".join(said)] * bool(said) + fit(material)


def _misses(material: Material, key: str, construct: ConstructPart) -> bool:
    return material.criteria.judge(key, getattr(construct, key), construct.composite_reliability) == "misses"


def fit(material: Material) -> list[str]:
    """Global fit in one sentence, and which cut-offs it meets."""
    part = material.results.fit
    if part is None:
        return []
    wrong = [] if material.results.admissible is not False else [INADMISSIBLE, *impossible(material)]
    return [*([" ".join(wrong)] if wrong else []), *_global_fit(material, part)]


def _global_fit(material: Material, part: FitPart) -> list[str]:
    figures = []
    if part.chi_square is not None:
        p = "" if part.p_value is None else f", {WRITTEN.p(part.p_value)}"
        figures.append(f"χ²({part.df}) = {part.chi_square:.2f}{p}")
    if part.df == 0:
        return [
            f"The model is saturated ({figures[0]}): its fit cannot be tested."
            if figures
            else "The model is saturated."
        ]
    found = [(words, key, getattr(part, key)) for words, key in FIT]
    for words, key, value in found:
        if value is None:
            continue
        around = f", 90 % interval {THREE.range(part.rmsea_interval)}" if key == "rmsea" and part.rmsea_interval else ""
        figures.append(f"{words} = {THREE.number(value)}{around}")
    if not figures:
        return []
    said = f"Fit: {'; '.join(figures)}."
    if part.scaled is not None:
        said += f" The scaled test: χ²({part.df}) = {part.scaled.chi_square:.2f}, {WRITTEN.p(part.scaled.p_value)}."
    if part.bollen_stine is not None:
        said += f" Bollen–Stine test (Bollen & Stine, 1992): {WRITTEN.p(part.bollen_stine.p_value)} of {part.bollen_stine.used:,} resamples."
    return [f"{said} {_judged(material, found)}".rstrip()]


def significant(bounds: Interval | None) -> str:
    """What is said of an estimate by the interval that decides: significant exactly where it excludes zero."""
    return {"": "", "excludes zero": "significant", "contains zero": "not significant"}[decided(bounds)]


def _figures(material: Material, part: ParameterPart | EffectPart) -> str:
    reading = material.standardized(part)
    bounds = f", {material.level} interval {WRITTEN.range(reading.bounds)}" if reading.bounds else ""
    p = material.p_value(part) if isinstance(part, ParameterPart) else None
    return f"β = {WRITTEN.number(part.standardized)}{bounds}{'' if p is None else f', {WRITTEN.p(p)}'}"


def paths(material: Material) -> list[str]:
    """What was expected and its answer, then every path with its figures, then what is explained."""
    results = material.results
    said = [h.sentence for h in results.hypotheses]
    groups: dict[str, list[str]] = {"significant": [], "not significant": [], "": []}
    for p in results.parameters:
        if p.kind == "path" and p.free:
            groups[significant(material.in_units(p).bounds)].append(
                f"from {p.from_} to {p.to} ({_figures(material, p)})"
            )
    for word, names in groups.items():
        if names and word:
            many = len(names) > 1
            said.append(f"The path{'s' if many else ''} {'; '.join(names)} {'were' if many else 'was'} {word}.")
        elif names:
            said.append(f"Without intervals: the paths {'; '.join(names)}.")
    shares = [f"{100 * (results.r_squared[name] or 0.0):.0f} % of {name}" for name in material.outcomes]
    if shares:
        said.append(f"The model explains {listed(shares, 20)}.")
    return [" ".join(said)] if said else []


def mediation(material: Material) -> list[str]:
    """For every pair with a mediator between: what goes through it, what goes straight, and the kind of mediation."""
    results = material.results
    said = []
    for known in results.mediation:
        own = [e for e in results.effects if (e.from_, e.to) == (known.from_, known.to)]
        routes = [e for e in own if e.kind == "specific indirect"]
        indirect = next((e for e in own if e.kind == "total indirect"), None)
        if indirect is None:
            continue
        through = (
            f" through {listed(list(routes[0].via or []))}"
            if len(routes) == 1
            else f" over {len(routes)} routes"
            if routes
            else ""
        )
        word = significant(material.in_units(indirect).bounds)
        verb = f" was {word}" if word else ""
        sentence = f"The indirect effect of {known.from_} on {known.to}{through}{verb} ({_figures(material, indirect)})"
        direct = next((e for e in own if e.kind == "direct"), None)
        if direct is not None:
            word = significant(material.in_units(direct).bounds)
            sentence += f"; the direct effect{f' was {word}' if word else ''} ({_figures(material, direct)})"
        sentence += "."
        if len(routes) > 1:
            single = [f"through {listed(list(e.via or []))} {_figures(material, e)}" for e in routes]
            sentence += f" By route: {'; '.join(single)}."
        if known.kind is not None:
            sentence += f" Mediation: {known.kind} ({known.reason}; Zhao, Lynch & Chen, 2010)."
        if known.share_mediated is not None:
            boot = known.share_bootstrap
            around = f", {material.level} interval {WRITTEN.range(boot.headline)}" if boot else ""
            sentence += f" Share of the total effect that is mediated: {WRITTEN.number(known.share_mediated)}{around}."
        said.append(sentence)
    return said


def aside(material: Material) -> list[str]:
    """What was set aside and why, and how many changes came from these data."""
    why = reasons(material)
    said = []
    if why:
        items = [
            f"{name} ({reason})" if reason else f"{name} (no reason was written down)" for name, reason in why.items()
        ]
        said.append(
            f"{'One item was' if len(items) == 1 else f'{len(items)} items were'} set aside: {'; '.join(items)}."
        )
    changes = [t for t in material.turns or () if t.from_data]
    if changes:
        said.append(
            f"{counted(len(changes), 'change')} of the model came from these data, which calls for new data (MacCallum, Roznowski & Necowitz, 1992)."
        )
    elif material.turns is not None:
        said.append(
            "No item was set aside, and no change of the model came from these data."
            if not why
            else "No change is marked as prompted by these data."
        )
    return [" ".join(said)] if said else []


def criteria(material: Material) -> list[str]:
    """Whose cut-offs were followed, each with its source."""
    said = []
    for key in cited(material):
        criterion = material.criteria.by_key[key]
        if criterion.good is not None:
            said.append(f"{criterion.label} {cut_off(criterion)} ({within(criterion.cut_off_source)})")
    return [f"Verdicts follow {material.criteria.words}. {'; '.join(said)}."]
