"""The registry of figures, the one place where they stand: document, bootstrap, screens, readout and the pages of
docs/methods read it. A figure is added to the list of the page that it belongs to.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from dusk_arrow.core.assessment.criteria import composites, estimates, fit, quality
from dusk_arrow.core.assessment.criteria.criterion import About, Criterion, Form, Listing, Page, Verdict
from dusk_arrow.core.assessment.criteria.presets import SAME_AS, Bounds, Preset, Sheet, wrong_bounds

__all__ = [
    "BY_KEY",
    "EXTREMES",
    "SAME_AS",
    "SHEET",
    "USUAL",
    "About",
    "Bounds",
    "Criterion",
    "Form",
    "Listing",
    "Page",
    "Preset",
    "Sheet",
    "Verdict",
    "f_squared_words",
    "listed_in",
    "sheet",
    "wrong_bounds",
]
AVE = next(criterion for criterion in quality.FIGURES if criterion.key == "ave")
HTMT = next(criterion for criterion in quality.FIGURES if criterion.key == "htmt")
VIF = next(criterion for criterion in quality.FIGURES if criterion.key == "vif_antecedents")
EXTREME: frozenset[Listing] = frozenset({"readout", "trail"})
LOWEST = f"The AVE of the construct where it is lowest. {AVE.definition}"
SHEET = (
    *fit.FIGURES,
    *quality.FIGURES,
    *composites.FIGURES,
    *estimates.FIGURES,
    replace(AVE, key="lowest_ave", label="lowest AVE", definition=LOWEST, decimals=2, lists=EXTREME),
    replace(
        HTMT,
        key="highest_htmt",
        label="highest HTMT",
        definition=f"HTMT of the pair where it is highest. {HTMT.definition}",
        decimals=2,
        lists=EXTREME | {"what_if"},
    ),
    replace(
        VIF,
        key="highest_vif",
        label="highest VIF",
        definition=f"The VIF of the antecedent where it is highest. {VIF.definition}",
        form="plain",
        decimals=2,
        lists=EXTREME,
    ),
)
EXTREMES = ("lowest_ave", "highest_htmt", "highest_vif")
BY_KEY = {criterion.key: criterion for criterion in SHEET}
USUAL = Sheet(SHEET)


def sheet(preset: Preset = "usual", own: Mapping[str, Bounds] | None = None) -> Sheet:
    """The criteria in force."""
    return Sheet(SHEET, preset, own or {})


def listed_in(where: Listing) -> tuple[str, ...]:
    """The keys of the statistics that may stand somewhere, in the order of the registry."""
    return tuple(criterion.key for criterion in SHEET if where in criterion.lists)


def f_squared_words(value: float | None) -> str:
    """Cohen's (1988) words for f²: .02 small, .15 medium, .35 large."""
    if value is None:
        return ""
    for bound, words in ((0.35, "large"), (0.15, "medium"), (0.02, "small")):
        if value >= bound:
            return words
    return "negligible"
