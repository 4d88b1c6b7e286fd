"""Measurement quality and collinearity as parts of the document."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.assessment.criteria import f_squared_words
from dusk_arrow.core.statistics import StatisticName
from dusk_arrow.results.assembly.summaries import Found
from dusk_arrow.results.convert import matrix_part, number
from dusk_arrow.results.document import (
    AntecedentVif,
    Bootstrap,
    ConstructPart,
    FSquaredPart,
    HtmtPart,
    LoadingPart,
    QualityPart,
    RedundancyPart,
)
from dusk_arrow.results.redundancy import Redundancy


def _about(found: Found, statistic: StatisticName) -> list[tuple[str, ...]]:
    """What a statistic that is about names was computed of."""
    return [key.about for key in found.about(statistic) if isinstance(key.about, tuple)]


def _highest_htmt(found: Found, name: str) -> float | None:
    values = [found.value("htmt", *pair) for pair in _about(found, "htmt") if name in pair]
    return max((value for value in values if value is not None), default=None)


def _constructs(found: Found) -> list[ConstructPart]:
    quality = found.block.quality
    return [
        ConstructPart(
            name=construct.name,
            mode=construct.mode,
            alpha=found.value("alpha", construct.name),
            alpha_standardized=number(quality.alpha_standardized.get(construct.name)),
            composite_reliability=found.value("composite_reliability", construct.name),
            ave=found.value("ave", construct.name),
            rho_a=found.value("rho_a", construct.name),
            vif_full=found.value("vif_full", construct.name),
            htmt_highest=_highest_htmt(found, construct.name),
            direction=quality.directions[construct.name],
        )
        for construct in quality.constructs
    ]


def _loadings(found: Found) -> list[LoadingPart]:
    """Loadings of reflective indicators, correlations with their construct and weights of formative ones."""
    quality, statistics = found.block.quality, found.fitted.statistics
    own = [p.key for p in found.fitted.parameters if p.key.group == found.block.group]
    standardized = {(key.kind, key.source, key.target): key for key in own}
    row, column = ({name: i for i, name in enumerate(names)} for names in (
        quality.indicators, [c.name for c in quality.constructs]
    ))  # fmt: skip
    parts = []
    for construct in quality.constructs:
        for name in construct.indicators:
            loading = quality.with_constructs[row[name], column[construct.name]] if name in row else np.nan
            if ("loading", construct.name, name) in standardized:
                loading = statistics.value("standardized", standardized["loading", construct.name, name])
            weight = standardized.get(("weight", name, construct.name))
            parts.append(
                LoadingPart(
                    construct_=construct.name,
                    indicator=name,
                    loading=number(loading),
                    weight=None if weight is None else found.value("standardized", weight),
                    vif=number(quality.block_vif.get((construct.name, name))),
                )
            )
    return parts


def quality_part(found: Found, redundancy: Sequence[Redundancy] = ()) -> QualityPart:
    """Everything about measurement, and the collinearity of antecedents."""
    quality = found.block.quality
    names = [construct.name for construct in quality.constructs]
    constructs = _constructs(found)
    fornell = quality.between.copy()
    np.fill_diagonal(fornell, np.sqrt([np.nan if c.ave is None else c.ave for c in constructs]))
    return QualityPart(
        constructs=constructs,
        loadings=_loadings(found),
        cross_loadings=matrix_part(quality.indicators, names, quality.with_constructs),
        construct_correlations=matrix_part(names, names, quality.between),
        fornell_larcker=matrix_part(names, names, fornell),
        htmt=[
            HtmtPart(
                a=a,
                b=b,
                value=found.value("htmt", a, b),
                signed=found.value("htmt_signed", a, b),
                bootstrap=found.drawn("htmt", a, b),
            )
            for a, b in _about(found, "htmt")
        ],
        htmt2=[
            HtmtPart(a=a, b=b, value=found.value("htmt2", a, b), bootstrap=found.drawn("htmt2", a, b))
            for a, b in _about(found, "htmt2")
        ],
        vif_antecedents=[
            AntecedentVif(outcome=outcome, antecedent=name, vif=found.value("vif_antecedents", outcome, name))
            for outcome, name in _about(found, "vif_antecedents")
        ],
        redundancy=[
            RedundancyPart(construct_=r.construct, item=r.item, correlation=number(r.correlation), n=r.n)
            for r in redundancy
        ],
    )


def f_squared_parts(found: Found) -> list[FSquaredPart]:
    """Cohen's f² of every antecedent."""
    parts = []
    for outcome, name in _about(found, "f_squared"):
        value = found.value("f_squared", outcome, name)
        parts.append(FSquaredPart(from_=name, to=outcome, value=value, words=f_squared_words(value)))
    return parts


def r_squared(found: Found) -> dict[str, float | None]:
    """R² of every outcome and indicator."""
    return {name: found.value("r_squared", name) for (name,) in _about(found, "r_squared")}


def r_squared_adjusted(found: Found) -> dict[str, float | None] | None:
    """Adjusted R² of every outcome; None where the family has none."""
    about = _about(found, "r_squared_adjusted")
    return {name: found.value("r_squared_adjusted", name) for (name,) in about} if about else None


IN_DOCUMENT: dict[StatisticName, str] = {
    "r_squared": "r_squared",
    "composite_reliability": "quality.composite_reliability",
    "ave": "quality.ave",
    "alpha": "quality.alpha",
    "vif_antecedents": "quality.vif_antecedents",
    "f_squared": "f_squared",
    "rho_a": "quality.rho_a",
    "r_squared_adjusted": "r_squared_adjusted",
    "vif_full": "quality.vif_full",
    "vif_indicators": "quality.vif_indicators",
}


def bootstrapped(found: Found) -> dict[str, Bootstrap | None]:
    """The bootstraps of statistics that have no part of their own, by their place in the document."""
    if found.outcome is None:
        return {}
    return {
        ".".join((place, *about)): found.drawn(statistic, *about)
        for statistic, place in IN_DOCUMENT.items()
        for about in _about(found, statistic)
    }
