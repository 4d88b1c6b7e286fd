"""What differs between two estimated models, in words that are true to their numbers."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name, traits_of
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.specification.writing import statement_text
from dusk_arrow.core.wording import coefficient
from dusk_arrow.results.document import Results, standardized_headline

SAME = 0.005  # what rounds to the same two digits
NAMED = 4


def _arrows(pairs: list[tuple[str, str]]) -> str:
    return listed([f"{a} → {b}" for a, b in pairs], NAMED)


def _stated(first: Model, second: Model) -> list[str]:
    said = []
    fresh = [p for p in second.paths if p not in first.paths]
    gone = [p for p in first.paths if p not in second.paths]
    if fresh:
        said.append(f"adds {'the path' if len(fresh) == 1 else 'the paths'} {_arrows(fresh)}")
    if gone:
        said.append(f"leaves out {'the path' if len(gone) == 1 else 'the paths'} {_arrows(gone)}")
    before, after = ({n for c in model.constructs for n in c.indicators} for model in (first, second))
    if lost := sorted(before - after):
        said.append(f"does without {listed(lost, NAMED)}")
    if come := sorted(after - before):
        said.append(f"uses {listed(come, NAMED)} too")
    together = [p for p in second.covariances if p not in first.covariances]
    apart = [p for p in first.covariances if p not in second.covariances]
    said += [f"lets {a} and {b} covary" for a, b in together]
    said += [f"does not let {a} and {b} covary" for a, b in apart]
    modes = {c.name: c.mode for c in first.constructs}
    said += [f"has {c.name} {c.mode}" for c in second.constructs if modes.get(c.name, c.mode) != c.mode]
    return said


def _sentence(first: Specification, second: Specification) -> str:
    said = _stated(read(first), read(second))
    if said:
        return f"It {listed(said, 6)}."
    fresh = [s for s in second.statements if s not in first.statements]
    if fresh:
        return f"It says: {listed([statement_text(s) for s in fresh], NAMED)}."
    gone = [s for s in first.statements if s not in second.statements]
    return f"It does not say: {listed([statement_text(s) for s in gone], NAMED)}." if gone else ""


def _estimation(first: Results, second: Results) -> str:
    words = options_by_name()
    families = {family.key: family.words for family in FAMILY_OPTIONS}
    if first.family != second.family:
        aside = [p.message for p in second.problems if p.code in ("covariances_left_aside", "starts_left_aside")]
        return " ".join(
            [f"It is estimated as {families[second.family]} ({words['estimator'].words(second.estimator)}).", *aside]
        )
    one, other = first.settings.model_dump(), second.settings.model_dump()
    changed = [
        f"{option.label.lower()}: {option.words(str(other[name]))}"
        for name, option in words.items()
        if option.choices and name in other and one[name] != other[name]
    ]
    return f"It is estimated differently ({listed(changed, NAMED)})." if changed else ""


def _paths(results: Results) -> dict[tuple[str, str], float]:
    return {
        (p.from_, p.to): p.standardized for p in results.parameters if p.kind == "path" and p.standardized is not None
    }


def _part_most(first: Results, second: Results) -> str:
    one, other = _paths(first), _paths(second)
    gaps = sorted(((abs(other[p] - one[p]), p) for p in one if p in other), reverse=True)
    told = [
        f"{a} → {b}, {coefficient(one[a, b])} against {coefficient(other[a, b])}"
        for gap, (a, b) in gaps[:2]
        if gap >= SAME
    ]
    if not gaps:
        return ""
    return f"Where they part most: {listed(told)}." if told else "No path differs by what two decimals show."


def _decided(results: Results) -> dict[tuple[str, str], bool]:
    """Whether the interval of each path excludes zero, where it has one."""
    bounds = {(p.from_, p.to): standardized_headline(p) for p in results.parameters if p.kind == "path"}
    return {pair: not (b[0] <= 0 <= b[1]) for pair, b in bounds.items() if b is not None}


def _decisions(first: Results, second: Results) -> str:
    """On which paths both come to the same decision."""
    one, other = _decided(first), _decided(second)
    both = [pair for pair in one if pair in other]
    if not both:
        return ""
    parted = [pair for pair in both if one[pair] != other[pair]]
    if not parted:
        if first.family == second.family:
            return ""
        return f"Both decide alike on {'the path' if len(both) == 1 else f'all {len(both)} paths'} they share."
    told = [f"{a} → {b} ({'only the first' if one[a, b] else 'only this one'} keeps off zero)" for a, b in parted]
    return f"They decide differently on {listed(told, NAMED)}."


def _attenuation(first: Results, second: Results) -> str:
    """Why two families differ on one model: measurement error in scores, as far as these numbers show it."""
    if traits_of(first.family).factors == traits_of(second.family).factors:
        return ""
    factors, composites = (first, second) if traits_of(first.family).factors else (second, first)
    if factors.quality is None or composites.quality is None:
        return ""
    rhos = [c.rho_a for c in composites.quality.constructs if c.rho_a is not None]
    own = {(entry.construct_, entry.indicator): entry.loading for entry in factors.quality.loadings}
    reflective = {c.name for c in composites.quality.constructs if c.mode == "reflective"}
    shift = [
        abs(entry.loading) - abs(own[entry.construct_, entry.indicator] or 0)
        for entry in composites.quality.loadings
        if entry.construct_ in reflective and entry.loading is not None and own.get((entry.construct_, entry.indicator))
    ]
    if not rhos or not shift:
        return ""
    mean, low, high = float(np.mean(shift)), min(rhos), max(rhos)
    between = f"rho_A from {coefficient(low)} to {coefficient(high)}" if low < high else f"rho_A {coefficient(low)}"
    if composites.fit is None or composites.fit.implied_within == "composite":
        shrunk = coefficient(float(np.mean(rhos)))
        direction = "larger" if mean > 0 else "smaller"
        return (
            f"Scores hold the measurement error of their items ({between}): the correlation of two constructs shrinks to about "
            f"{shrunk} of what it would be without, while loadings are {direction} by {coefficient(abs(mean))} on average, because "
            "each item is part of the score it is held against. Consistent PLS corrects for both."
        )
    apart = float(np.mean(np.abs(shift)))
    return (
        f"Consistent PLS corrects for the measurement error of scores ({between}), so both families estimate the same where "
        f"the model holds: loadings differ by {coefficient(apart)} on average here. Composites find each construct by "
        "itself, common factors all at once, so an error in one place spreads less far among composites."
    )


def what_differs(first: Specification, second: Specification, before: Results, after: Results) -> list[str]:
    """Sentences on what a model states, how it is estimated, on which cases, where its paths part most from those of
    another, and why two families differ."""
    said = [_sentence(first, second), _estimation(before, after)]
    if not any(said):
        said.append("It states the same and is estimated alike.")
    if before.data and after.data and before.data.n_used != after.data.n_used:
        said.append(f"It rests on {after.data.n_used} cases instead of {before.data.n_used}: other data.")
    if before.converged and after.converged:
        said += [_part_most(before, after), _decisions(before, after), _attenuation(before, after)]
    return [sentence for sentence in said if sentence]
