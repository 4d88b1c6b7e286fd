"""Paths, hypotheses and mediation in words: what was asked first, the rest by its table."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.problems import counted, enumerated
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables.structure import kind_words
from dusk_arrow.report.words.saying import WRITTEN, be, figures, plural, said_once, significance, too_few
from dusk_arrow.results.document import EffectPart, MediationPart, ParameterPart

MOST_PATHS = 8  # that are told one by one
MOST_PAIRS = 4  # that are told unasked


def paths(material: Material) -> list[str]:
    """What was expected and its answer, the other paths (by their table where there are many), controls in one sentence, and what is
    explained."""
    if not material.sound:
        return []
    results, model = material.results, material.model
    said = _hypotheses(material)
    told = {tuple(h.route) for h in results.hypotheses}
    controls = set(model.controls)
    own = [p for p in results.parameters if p.kind == "path"]
    others = [p for p in own if (p.from_, p.to) not in told and (p.from_, p.to) not in controls]
    said += _others(material, [p for p in others if p.free])
    held = [p for p in others if not p.free]
    if held:
        names = [f"from {p.from_} to {p.to} at {p.estimate:g}" for p in held]
        said.append(f"The {plural('path', held)} {enumerated(names)} {be(held, True)} held.")
    said += _controls(material, [p for p in own if (p.from_, p.to) in controls and (p.from_, p.to) not in told])
    said += [*_means(material), *_explained(material)]
    return [said_once(" ".join(said))] if said else []


def _hypotheses(material: Material) -> list[str]:
    """Every expectation with its answer; where the interval comes from is said once."""
    said, basis = [], ""
    for h in material.results.hypotheses:
        said.append(h.sentence.replace(f" ({h.basis})", "") if h.basis == basis else h.sentence)
        basis = h.basis
    return said


def _others(material: Material, own: Sequence[ParameterPart]) -> list[str]:
    groups: dict[str, list[ParameterPart]] = {"significant": [], "not significant": [], "": []}
    for p in own:
        groups[significance(material, p)].append(p)
    see = material.see("paths")
    many = len(own) > MOST_PATHS
    said = []
    for word, found in groups.items():
        if not found:
            continue
        if many and word:
            verb = f"{len(found)} of the {len(own)} {'other ' if material.results.hypotheses else ''}paths"
            said.append(f"{verb} {be(found, True)} {word}{see}.")
            continue
        names = [f"from {p.from_} to {p.to} ({figures(material, p)})" for p in found]
        head = f"The {plural('path', found)} {enumerated(names)}"
        if word:
            said.append(f"{head} {be(found, True)} {word}.")
        elif any(too_few(material, material.standardized(p)) for p in found):
            said.append(f"{head} {be(found, True)} not judged, as too few resamples were drawn.")
        else:
            said.append(f"{head} {'has' if len(found) == 1 else 'have'} no interval to be judged by.")
    return said


def _controls(material: Material, own: Sequence[ParameterPart]) -> list[str]:
    if not own:
        return []
    names = list(dict.fromkeys(p.from_ for p in own))
    outcomes = list(dict.fromkeys(p.to for p in own))
    clear = [p for p in own if significance(material, p) == "significant"]
    judged = [p for p in own if significance(material, p)]
    head = f"{enumerated(names)} {be(names, True)} controlled for in {enumerated(outcomes)}"
    if not judged:
        return [f"{head}{material.see('paths')}."]
    if not clear:
        none = "that path was not" if len(judged) == 1 else "none of these paths was"
        return [f"{head}; {none} significant{material.see('paths')}."]
    which = enumerated([f"{p.from_} → {p.to} ({figures(material, p)})" for p in clear])
    return [f"{head}; of these paths {which} {be(clear, True)} significant{material.see('paths')}."]


def _means(material: Material) -> list[str]:
    """Where growth begins and how it goes on: the means of levels and slopes, in units, as they have no other."""
    explained = {target for _, target in material.model.paths}
    said = []
    for p in material.results.parameters:
        if p.kind in ("mean", "intercept") and p.free and p.from_ in material.growth:
            found = material.in_units(p)
            bounds = f", {material.level} interval {WRITTEN.range(found.bounds, 'plain')}" if found.bounds else ""
            what = "intercept" if p.from_ in explained else "mean"
            said.append(f"the {what} of {p.from_} ({WRITTEN.number(p.estimate, 'plain')}{bounds})")
    return [f"Estimated in units were {enumerated(said)}."] if said else []


def _explained(material: Material) -> list[str]:
    r_squared = material.results.r_squared
    values = {name: r_squared[name] for name in material.outcomes}
    shares = [f"{100 * v:.0f} % of {name}" for name, v in values.items() if v is not None and 0 <= v <= 1]
    odd = [f"{name} ({WRITTEN.number(v)})" for name, v in values.items() if v is not None and not 0 <= v <= 1]
    said = [f"The model explains {enumerated(shares)}{material.see('explained')}."] if shares else []
    if odd:
        said.append(f"R² of {enumerated(odd)} {be(odd)} no {plural('share', odd)} of anything.")
    return said


def mediation(material: Material) -> list[str]:
    """For the pairs that were asked about (all where few are): what goes through something, what goes straight, and the kind of
    mediation. The others stand in the table."""
    if not material.sound:
        return []
    results = material.results
    known = [m for m in results.mediation if _total(material, m) is not None]
    asked = [(h.route[0], h.route[-1]) for h in results.hypotheses if len(h.route) > 2] + list(material.pairs)
    chosen = [m for m in known if (m.from_, m.to) in asked]
    if not chosen:
        chosen = known[:MOST_PAIRS]
    rest = len(known) - len(chosen)
    said = [said_once(_pair(material, m)) for m in chosen]
    if chosen and results.bootstrap_summary is None and results.monte_carlo is None:
        said.append("No kind of mediation is named, as that takes a bootstrap.")
    if rest:
        others = f"The indirect effects of {counted(rest, 'other pair')}"
        said.append(f"{others} {be(range(rest))} given in {_table(material)}.")
    return said


def _table(material: Material) -> str:
    return material.numbers.get("effects", "the table of effects")


def _total(material: Material, known: MediationPart) -> EffectPart | None:
    pair = (known.from_, known.to)
    return next((e for e in material.results.effects if (e.from_, e.to) == pair and e.kind == "total indirect"), None)


def _told(material: Material, effect: EffectPart, head: str) -> str:
    """An effect with its significance and figures; without an interval that it has none."""
    word = significance(material, effect)
    if word:
        return f"{head} was {word} ({figures(material, effect)})"
    if material.standardized(effect).bounds is None:
        return f"{head} was β = {WRITTEN.number(effect.standardized)}, without an interval to judge it by"
    return f"{head} was not judged, as too few resamples were drawn ({figures(material, effect)})"


def _pair(material: Material, known: MediationPart) -> str:
    results = material.results
    own = [e for e in results.effects if (e.from_, e.to) == (known.from_, known.to)]
    routes = [e for e in own if e.kind == "specific indirect"]
    indirect, direct = _total(material, known), next((e for e in own if e.kind == "direct"), None)
    assert indirect is not None
    one = len(routes) == 1 and abs((routes[0].estimate or 0.0) - indirect.estimate) <= 1e-9 * max(
        abs(indirect.estimate), 1e-9
    )
    if one:
        which = f"The indirect effect of {known.from_} on {known.to} through {enumerated(list(routes[0].via or []))}"
    else:
        over = "all ways, the circle included" if material.circular else f"over {len(routes)} routes"
        which = f"The total indirect effect of {known.from_} on {known.to} ({over})"
    said = _told(material, indirect, which)
    if direct is not None:
        path = next(p for p in results.parameters if p.kind == "path" and (p.from_, p.to) == (known.from_, known.to))
        straight = (
            _told(material, direct, "the direct effect")
            if path.free
            else f"the direct effect was held at {path.estimate:g}"
        )
        said += f"; {straight}"
    said += "."
    if not one and len(routes) > 1:
        single = [f"through {enumerated(list(e.via or []))} {figures(material, e)}" for e in routes]
        said += f" By route: {'; '.join(single)}."
    judged = all(not too_few(material, material.standardized(e)) for e in own)
    if not judged:
        return said
    if known.kind is not None:
        what = f"By {'the indirect effect' if one else 'the total indirect effect'}, this is {kind_words(known)}"
        said += f" {what}: {known.reason} (Zhao, Lynch & Chen, 2010)."
    elif "not tested" in known.reason:
        said += f" Of {known.from_} and {known.to} no kind of mediation is named: {known.reason}."
    if known.share_mediated is not None:
        boot = known.share_bootstrap
        around = f", {material.level} interval {WRITTEN.range(boot.headline)}" if boot else ""
        said += f" The share of the total effect that is mediated was {WRITTEN.number(known.share_mediated)}{around}."
    return said
