"""Measures and fit in words."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.assessment.criteria import BY_KEY, listed_in
from dusk_arrow.core.problems import enumerated, listed
from dusk_arrow.report.impossible import impossible
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables.structure import cut_off, within_quantile
from dusk_arrow.report.words.saying import THREE, WRITTEN, be, plural, ran
from dusk_arrow.results.document import ConstructPart, FitPart, LoadingPart
from dusk_arrow.results.document.fit import DISTANCES

INADMISSIBLE = "The solution is inadmissible, so that its estimates should not be interpreted"


def measures(material: Material) -> list[str]:
    """Loadings, reliability, AVE and HTMT, as ranges and with what falls short; then the fit. An impossible solution is said first, and
    nothing is judged by it."""
    wrong = impossible(material)
    said = []
    if not material.sound:
        said.append(f"{INADMISSIBLE}{f': {enumerated(wrong)}' if wrong else ''}.")
    elif wrong:
        said.append(f"Impossible values were estimated: {enumerated(wrong)}.")
    about = [*_loadings(material), *_reliability(material), *_apart(material)]
    return [*([" ".join(said)] if said else []), *([" ".join(about)] if about else []), *fit(material)]


def _measured(material: Material) -> list[ConstructPart]:
    """Reflective constructs that items show how well they measure: not the levels and slopes of growth."""
    quality = material.results.quality
    parts = quality.constructs if quality else []
    return [c for c in parts if c.mode == "reflective" and c.name not in material.growth]


def _loadings(material: Material) -> list[str]:
    quality, criterion = material.results.quality, material.criteria.by_key["loading"]
    names = {c.name for c in _measured(material)}
    own = [one for one in (quality.loadings if quality else []) if one.construct_ in names and one.loading is not None]
    if not own:
        return []
    said = [
        f"Standardized loadings {ran([one.loading for one in own if one.loading is not None])}{material.see('measures')}."
    ]
    against = material.against
    if against:
        said.append(
            f"{listed(against)} {'runs' if len(against) == 1 else 'run'} against {'its' if len(against) == 1 else 'their'} block."
        )
    if not material.sound:
        return said
    weak = [one for one in own if (one.construct_, one.indicator) not in material.held and one.indicator not in against]
    weak = [one for one in weak if criterion.judge(abs(one.loading or 0.0)) == "misses"]
    if weak:
        items = [f"{one.indicator} ({_loading(one, material)})" for one in weak]
        bound = cut_off(criterion)
        said.append(
            f"The {plural('loading', weak)} of {listed(items, 12)} {be(weak, True)} below what is tolerated ({bound})."
        )
    return said


def _loading(one: LoadingPart, material: Material) -> str:
    value = one.loading or 0.0
    text = WRITTEN.judged(abs(value), material.criteria.by_key["loading"])
    return f"−{text}" if value < 0 else text


def _reliability(material: Material) -> list[str]:
    keys = [
        ("alpha", "Cronbach's alpha"),
        *([("rho_a", "rho_A")] if material.composite else []),
        ("composite_reliability", "composite reliability"),
        ("ave", "AVE"),
    ]
    blocked = {p.about[1] for p in material.results.problems if p.code == "runs_against_block" and len(p.about) > 1}
    ranges, short = [], []
    judged = False
    for key, words in keys:
        values = [(getattr(c, key), c) for c in _measured(material) if getattr(c, key) is not None]
        if not values:
            continue
        ranges.append(f"{words} {ran([value for value, _ in values])}")
        criterion = material.criteria.by_key[key]
        for value, c in values:
            if c.name in blocked or (key == "alpha" and value < 0):
                continue
            judged = True
            if criterion.judge(value, c.composite_reliability) == "misses":
                text = WRITTEN.judged(value, criterion, None, c.composite_reliability)
                short.append(f"{words} of {c.name} ({text}; {cut_off(criterion)})")
    if not ranges:
        return []
    one = len({c.name for c in _measured(material)}) == 1
    said = [f"{'' if one else 'Across constructs '}{enumerated(ranges)}."]
    said[0] = said[0][0].upper() + said[0][1:]
    if not material.sound:
        return said
    unsure = sorted(blocked & {c.name for c in _measured(material)})
    if unsure:
        said.append(f"The reliability of {enumerated(unsure)} is not judged, since an item runs against it.")
    if not judged:
        return said
    if short:
        return [*said, f"{enumerated(short)} missed {'its cut-off' if len(short) == 1 else 'their cut-offs'}."]
    return [*said, "No cut-off of reliability or AVE was missed."]


def _apart(material: Material) -> list[str]:
    quality, criterion = material.results.quality, material.criteria.by_key["htmt"]
    pairs = [(one.value, one) for one in quality.htmt if one.value is not None] if quality else []
    if not pairs:
        return []
    top, at = max(pairs, key=lambda pair: pair[0])
    text = WRITTEN.judged(top, criterion)
    head = f"HTMT was {f'highest, {text},' if len(pairs) > 1 else text} between {at.a} and {at.b}"
    verdict = {"meets": "met", "borderline": "borderline", "misses": "missed", "none": ""}[criterion.judge(top)]
    if not verdict or not material.sound:
        return [f"{head}{material.see('htmt')}."]
    middle = "is tolerated by the cut-off" if verdict == "borderline" else f"{verdict} the cut-off"
    return [f"{head}, which {middle} ({cut_off(criterion)}){material.see('htmt')}."]


def fit(material: Material) -> list[str]:
    """Global fit, and which cut-offs it meets; both halves where one was held out and opened."""
    part = material.results.fit
    if part is None:
        return []
    own = _distances(material, part) if material.composite else _global_fit(material, part)
    return [*own, *halves(material)]


def _verdicts(material: Material, found: Sequence[tuple[str, str, float | None]]) -> str:
    """Which figures miss their cut-offs, which are tolerated, which meet them: what is missed first."""
    groups: dict[str, list[str]] = {"misses": [], "borderline": [], "meets": []}
    for words, key, value in found:
        criterion = material.criteria.by_key[key]
        verdict = criterion.judge(value)
        if verdict in groups:
            groups[verdict].append(f"{words} ({cut_off(criterion)})")
    named: dict[str, str] = {"misses": "{} missed {}", "borderline": "{} {} tolerated", "meets": "{} met {}"}
    said = []
    for which, names in groups.items():
        if not names:
            continue
        ending = be(names, True) if which == "borderline" else "its cut-off" if len(names) == 1 else "their cut-offs"
        said.append(named[which].format(enumerated(names), ending))
    return f"{enumerated(said)}." if said else ""


def _statement(material: Material, part: FitPart, value: float, p: float | None) -> str:
    """`χ²(146, N = 395) = 182.15, p = .022`."""
    data = material.results.data
    n = f", N = {data.n_used:,}" if material.n_in_chi_square and data is not None else ""
    chance = "" if p is None or part.df == 0 else f", {WRITTEN.p(p)}"
    return f"χ²({part.df}{n}) = {value:,.2f}{chance}"


def _global_fit(material: Material, part: FitPart) -> list[str]:
    if part.df == 0:
        zero = f" ({_statement(material, part, part.chi_square, None)})" if part.chi_square is not None else ""
        return [f"The model is saturated{zero}, so that its fit cannot be tested."]
    figures = []
    if part.chi_square is not None:
        figures.append(_statement(material, part, part.chi_square, part.p_value))
    found = [(BY_KEY[key].label, key, getattr(part, key)) for key in listed_in("words")]
    for words, key, value in found:
        if value is not None:
            around = (
                f", 90 % interval {THREE.range(part.rmsea_interval)}" if key == "rmsea" and part.rmsea_interval else ""
            )
            text = THREE.judged(value, material.criteria.by_key[key]) if material.sound else THREE.number(value)
            figures.append(f"{words} = {text}{around}")
    if not figures:
        return []
    said = f"The fit of the model was {'; '.join(figures)}{material.see('fit')}."
    if part.scaled is not None:
        test = _statement(material, part, part.scaled.chi_square, part.scaled.p_value)
        said += f" The {material.scaled_name} test was {test}."
    if part.bollen_stine is not None:
        drawn = part.bollen_stine
        said += (
            f" The Bollen–Stine test (Bollen & Stine, 1992) gave {WRITTEN.p(drawn.p_value)} from {drawn.used:,} transformed "
            "resamples."
        )
    verdicts = _verdicts(material, found) if material.sound else ""
    return [f"{said} {verdicts}".rstrip()]


def _distances(material: Material, part: FitPart) -> list[str]:
    """The distances of composites against their quantiles, what lies beyond first; then SRMR against its cut-off."""
    found = [(BY_KEY[key].label, key, getattr(part, key)) for key in DISTANCES if getattr(part, key) is not None]
    if not found:
        return []
    beyond: list[str] = []
    inside: list[str] = []
    plain: list[str] = []
    for words, key, value in found:
        within_it = within_quantile(part, key)
        reference = None if part.reference is None else getattr(part.reference, key)
        if within_it is None or reference is None:
            plain.append(f"{words} = {THREE.number(value)}")
            continue
        places = next((d for d in range(3, 9) if (round(value, d) <= round(reference.q95, d)) == within_it), 8)
        text = f"{words} = {WRITTEN.number(value, 'share', places)} ({WRITTEN.number(reference.q95, 'share', places)})"
        (inside if within_it else beyond).append(text)
    said: list[str] = []
    which = (
        "the 95 % quantile of resamples of data in which the model holds, in parentheses (Dijkstra & Henseler, 2015a)"
    )
    for names, word in ((beyond, "beyond"), (inside, "below")):
        if names and material.sound:
            end = f" {which}{material.see('fit')}" if not said else " theirs" if len(names) > 1 else " its own"
            said.append(f"{enumerated(names)} {be(names, True)} {word}{end}.")
        elif names:
            plain += names
    if plain:
        said.append(f"The distance of the model from the correlations was {enumerated(plain)}{material.see('fit')}.")
    srmr = [one for one in found if one[1] == "srmr"]
    if material.sound and srmr:
        said.append(_verdicts(material, srmr))
    return [" ".join(said)]


def halves(material: Material) -> list[str]:
    """Both halves of the cases, where one was held out while the model was made, and opened."""
    found = material.holdout
    if found is None or found.first.fit is None or found.second.fit is None:
        return []
    first, second = found.first, found.second
    said = [
        f"The model was worked out on one half of the cases (n = {first.n:,}) and then estimated anew on the other, which had been held "
        f"out (n = {second.n:,}){material.see('halves')}."
    ]
    pairs = {(p.from_, p.to): p.standardized for p in second.paths}
    gaps = [
        (abs(p.standardized - other), p)
        for p in first.paths
        if p.standardized is not None and (other := pairs.get((p.from_, p.to))) is not None
    ]
    for words, key in ((BY_KEY[key].label, key) for key in listed_in("brief")):
        values = getattr(first.fit, key), getattr(second.fit, key)
        if all(value is not None for value in values):
            said.append(
                f"{words} was {THREE.number(values[0])} in the first half and {THREE.number(values[1])} in the second."
            )
    if gaps:
        gap, at = max(gaps, key=lambda pair: pair[0])
        said.append(
            f"Standardized paths differed by up to {WRITTEN.number(gap)} ({at.from_} → {at.to}: {WRITTEN.number(at.standardized)} and "
            f"{WRITTEN.number(pairs[at.from_, at.to])})."
        )
    return [" ".join(said)]
