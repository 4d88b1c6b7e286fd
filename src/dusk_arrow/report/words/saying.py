"""How things are said: ranges, numbers of things, significance."""

from __future__ import annotations

import re
from collections.abc import Sequence

from dusk_arrow.core.effects.mediation import excludes_zero
from dusk_arrow.core.resampling.intervals import enough
from dusk_arrow.report.cells import Style
from dusk_arrow.report.material import Material
from dusk_arrow.results.document import EffectPart, ParameterPart, Reading

WRITTEN = Style()
THREE = Style(3)


def ran(values: Sequence[float]) -> str:
    """From where to where values run; `was .81` where they print alike."""
    low, high = WRITTEN.number(min(values)), WRITTEN.number(max(values))
    return f"was {low}" if low == high else f"ran from {low} to {high}"


def be(names: Sequence[object], past: bool = False) -> str:
    """`is` or `are`, `was` or `were`."""
    one, many = ("was", "were") if past else ("is", "are")
    return one if len(names) == 1 else many


def plural(noun: str, names: Sequence[object]) -> str:
    """A noun for one or several."""
    return noun if len(names) == 1 else f"{noun}s"


def too_few(material: Material, found: Reading) -> bool:
    """Whether an interval rests on too few resamples to decide anything."""
    return found.boot is not None and not enough(found.boot.n_used, material.results.settings.level)


def said_once(text: str) -> str:
    """A text in which the number of resamples behind a p at its floor is told the first time alone."""
    first, *rest = re.split(r"( \([\d,]+ resamples\))", text, maxsplit=1)
    return text if not rest else first + rest[0] + rest[1].replace(rest[0], "")


def significance(material: Material, part: ParameterPart | EffectPart) -> str:
    """`significant` exactly where the printed interval excludes zero; empty where there is none, where it is held, where the
    solution is impossible, and where too few resamples were drawn."""
    found = material.standardized(part)
    held = isinstance(part, ParameterPart) and not part.free
    if found.bounds is None or held or not material.sound or too_few(material, found):
        return ""
    return "significant" if excludes_zero(found.bounds) else "not significant"


def figures(material: Material, part: ParameterPart | EffectPart) -> str:
    """β with the interval that decides and its p: both standardized, of one basis. Resamples and interpolated ends can disagree by
    one resample; then p, which has no part in the decision, is left to the table."""
    found = material.standardized(part)
    if isinstance(part, ParameterPart) and not part.free:
        return f"β = {WRITTEN.number(part.standardized)}"
    bounds = f", {material.level} interval {WRITTEN.range(found.bounds)}" if found.bounds else ""
    p = ""
    if found.p_value is not None and found.bounds is not None:
        agrees = excludes_zero(found.bounds) == (found.p_value < 1 - material.results.settings.level)
        resamples = None if found.boot is None else found.boot.n_used
        p = f", {WRITTEN.p(found.p_value, resamples)}" if agrees or too_few(material, found) else ""
    return f"β = {WRITTEN.number(part.standardized)}{bounds}{p}"
