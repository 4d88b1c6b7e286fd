"""Whose cut-offs are in force: the usual ones, stricter or looser ones of the literature, or one's own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

from dusk_arrow.core.assessment.criteria.criterion import Criterion, Verdict

Preset = Literal["usual", "strict", "exploratory"]
Bounds = tuple[float, float | None]
OWN = "your own cut-off (convention)"
SAME_AS = {
    "lowest_ave": "ave",
    "highest_htmt": "htmt",
    "highest_vif": "vif_antecedents",
    "htmt_signed": "htmt",
    "htmt2": "htmt",
}

_FIT = "Schermelleh-Engel, Moosbrugger & Müller (2003)"
_RELIABLE = ".80, .70: Nunnally & Bernstein (1994)"
_LOOSE = "convention of exploratory work"
PRESETS: dict[Preset, dict[str, tuple[float, float | None, str]]] = {
    "usual": {},
    "strict": {
        "cfi": (0.97, 0.95, _FIT),
        "tli": (0.97, 0.95, _FIT),
        "rmsea": (0.05, 0.08, _FIT),
        "srmr": (0.05, 0.10, _FIT),
        "nfi": (0.95, 0.90, _FIT),
        "gfi": (0.95, 0.90, _FIT),
        "alpha": (0.80, 0.70, _RELIABLE),
        "rho_a": (0.80, 0.70, _RELIABLE),
        "composite_reliability": (0.80, 0.70, _RELIABLE),
        "htmt": (0.85, None, ".85: Kline (2011)"),
        "vif_antecedents": (3.0, 5.0, "Hair, Risher, Sarstedt & Ringle (2019)"),
        "vif_indicators": (3.0, 5.0, "Hair, Risher, Sarstedt & Ringle (2019)"),
    },
    "exploratory": {
        "rmsea": (0.08, 0.10, "MacCallum, Browne & Sugawara (1996)"),
        "loading": (0.50, 0.40, ".40: Hulland (1999); .50: convention"),
        "alpha": (0.60, 0.50, _LOOSE),
        "rho_a": (0.60, 0.50, _LOOSE),
        "composite_reliability": (0.60, 0.50, _LOOSE),
        "ave": (
            0.50,
            0.40,
            ".50: Fornell & Larcker (1981); .40, where composite reliability is above .60: a convention",
        ),
        "htmt": (0.90, 1.0, ".90: Gold, Malhotra & Segars (2001); 1: Henseler, Ringle & Sarstedt (2015)"),
        "vif_antecedents": (5.0, 10.0, "5: Hair, Risher, Sarstedt & Ringle (2019); 10: Marquardt (1970)"),
        "vif_indicators": (5.0, 10.0, "5: Hair, Risher, Sarstedt & Ringle (2019); 10: Marquardt (1970)"),
    },
}


IF_RELIABLE: dict[tuple[Preset, str], float] = {("exploratory", "ave"): 0.60}


@dataclass(frozen=True)
class Sheet:
    """Criteria in force: those of the registry with a preset's bounds, and with one's own in their place (by key)."""

    registry: tuple[Criterion, ...]
    preset: Preset = "usual"
    own: Mapping[str, Bounds] = field(default_factory=dict)

    @cached_property
    def by_key(self) -> dict[str, Criterion]:
        """The criteria by key."""
        return {criterion.key: self._in_force(criterion) for criterion in self.registry}

    def _in_force(self, criterion: Criterion) -> Criterion:
        key = SAME_AS.get(criterion.key, criterion.key)
        if criterion.good is None:
            return criterion
        if key in self.own:
            good, tolerable = self.own[key]
            return replace(criterion, good=good, tolerable=tolerable, cut_off_source=OWN)
        if key in PRESETS[self.preset]:
            good, tolerable, source = PRESETS[self.preset][key]
            given = IF_RELIABLE.get((self.preset, key))
            return replace(criterion, good=good, tolerable=tolerable, cut_off_source=source, if_reliable=given)
        return criterion

    def judge(self, key: str, value: float | None, reliability: float | None = None) -> Verdict:
        """The verdict on an unrounded figure, with the composite reliability beside it where that matters."""
        return self.by_key[key].judge(value, reliability)

    @property
    def words(self) -> str:
        """Whose cut-offs these are."""
        named = {"usual": "the usual cut-offs", "strict": "strict cut-offs", "exploratory": "exploratory cut-offs"}
        return f"{named[self.preset]}, {len(self.own)} of them your own" if self.own else named[self.preset]


def wrong_bounds(criterion: Criterion, good: float, tolerable: float | None) -> str | None:
    """Why bounds make no sense, in words; None where they do."""
    if criterion.good is None:
        return f"{criterion.label} has no verdict, so it has no cut-off."
    if tolerable is None:
        return None
    wrong = tolerable > good if criterion.better == "higher" else tolerable < good
    if not wrong:
        return None
    which = "above" if criterion.better == "higher" else "below"
    return f"What is tolerable of {criterion.label} cannot lie {which} what is good."
