"""The readout: the key figures of a model, each with its verdict and its change since the previous revision."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from pydantic import BaseModel

from dusk_arrow.core.assessment.criteria import BY_KEY, EXTREMES, USUAL, Criterion, Sheet, Verdict, listed_in
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.wording import coefficient, interval_text, p_words, plain
from dusk_arrow.results.document import Results

MOST_OUTCOMES = 3
MOST_FIGURES = 8
WORDS: dict[Verdict, str] = {
    "meets": "meets the criterion",
    "borderline": "borderline",
    "misses": "misses the criterion",
    "none": "no verdict",
}


def available(family: str) -> tuple[str, ...]:
    """What the readout of a family may show."""
    of_fit = FAMILIES[family].statistics_of_fit
    return tuple(key for key in listed_in("readout") if key in of_fit or BY_KEY[key].about != "model")


class ReadoutFigure(BaseModel):
    """One figure of the readout, as text and as number."""

    key: str
    criterion: str
    label: str
    value: float | None
    text: str
    detail: str
    verdict: Verdict
    verdict_words: str
    change: float | None
    change_text: str
    direction: Literal["up", "down", "same"] | None


def _extreme(results: Results, key: str) -> tuple[float | None, str]:
    """The value of a figure where it is worst, and where that is."""
    quality = results.quality
    if quality is None:
        return (None, "")
    if key == "lowest_ave":
        found = [(c.ave, c.name) for c in quality.constructs if c.ave is not None]
        return min(found) if found else (None, "")
    if key == "highest_htmt":
        found = [(h.value, f"{h.a}, {h.b}") for h in quality.htmt if h.value is not None]
    else:
        found = [(v.vif, v.antecedent) for v in quality.vif_antecedents if v.vif is not None]
    return max(found) if found else (None, "")


def _outcomes(results: Results) -> list[str]:
    """The outcomes whose R² is shown: those that lead nowhere first, a few at most, in the order of the model."""
    explained = [name for name, value in results.r_squared.items() if value is not None]
    paths = [p for p in results.parameters if p.kind == "path"]
    outcomes = [name for name in explained if any(p.to == name for p in paths)]
    ends = [name for name in outcomes if not any(p.from_ == name for p in paths)]
    chosen = [*ends, *(name for name in reversed(outcomes) if name not in ends)][:MOST_OUTCOMES]
    return [name for name in outcomes if name in chosen]


def shown_keys(results: Results, chosen: Sequence[str] | None = None) -> tuple[str, ...]:
    """The figures of a document's readout: those chosen of its family, else the family's own; R² once for each outcome
    shown."""
    keys: list[str] = []
    wanted = [key for key in chosen or () if key in available(results.family)][:MOST_FIGURES]
    for key in wanted or FAMILIES[results.family].readout:
        keys += [f"r_squared.{name}" for name in _outcomes(results)] if key == "r_squared" else [key]
    return tuple(keys)


def criterion_of(key: str) -> str:
    """The figure of the registry that a key of the readout is of."""
    return key.partition(".")[0]


def figure_value(results: Results, key: str) -> float | None:
    """A readout figure of a document, unrounded."""
    if results.fit is None:
        return None
    if key in EXTREMES:
        return _extreme(results, key)[0]
    figure, _, name = key.partition(".")
    if figure == "r_squared":
        return results.r_squared.get(name)
    value: float | None = getattr(results.fit, key)
    return value


def reliability_beside(results: Results, key: str, construct: str | None = None) -> float | None:
    """The composite reliability of the construct whose AVE a figure is: that named, or where it is lowest."""
    if criterion_of(key) not in ("ave", "lowest_ave") or results.quality is None:
        return None
    name = construct or _extreme(results, "lowest_ave")[1]
    return next((c.composite_reliability for c in results.quality.constructs if c.name == name), None)


def _detail(results: Results, key: str) -> str:
    fit = results.fit
    if fit is None:
        return ""
    if key in EXTREMES:
        return _extreme(results, key)[1]
    if key == "chi_square":
        return f"({fit.df}) {p_words(fit.p_value)}" if fit.df else "(0) saturated"
    if key == "rmsea":
        return interval_text(fit.rmsea_interval, 3)
    if key.startswith("r_squared."):
        return ""
    if key == "srmr" and fit.reference is not None and fit.reference.srmr is not None:
        return f"by chance up to {coefficient(fit.reference.srmr.q95, 3)}"
    return ""


def _miss(key: str, criterion: Criterion, value: float | None, verdict: Verdict) -> str:
    if value is None:
        return "does not apply" if key in EXTREMES else "does not apply: nothing to test"
    if verdict not in ("borderline", "misses") or criterion.good is None:
        return WORDS[verdict]
    apart = coefficient(abs(value - criterion.good), 3)
    return f"{WORDS[verdict]}, {apart} {'short of' if criterion.better == 'higher' else 'above'} {criterion.good:g}"


def same_data(results: Results, previous: Results) -> bool:
    """Whether two documents rest on the same variables and the same cases, so that their χ² can be compared."""
    if results.data is None or previous.data is None or results.data.analysed is None:
        return False
    return results.data.analysed == previous.data.analysed


def _number(criterion: Criterion) -> Callable[[float | None, int], str]:
    """How a statistic is written: without a leading zero where it cannot pass 1."""
    return coefficient if criterion.form == "share" else plain


def readout(
    results: Results, previous: Results | None, criteria: Sheet = USUAL, chosen: Sequence[str] | None = None
) -> list[ReadoutFigure]:
    """The figures of a document beside those of the revision before, where that one could be estimated; `chosen` are the
    figures to be shown, if they are not the family's own."""
    figures = []
    for key in shown_keys(results, chosen):
        value = figure_value(results, key)
        criterion = criteria.by_key[criterion_of(key)]
        decimals = criterion.decimals
        saturated = results.fit is not None and results.fit.df == 0 and key not in EXTREMES
        verdict: Verdict = "none" if saturated else criterion.judge(value, reliability_beside(results, key))
        before = figure_value(previous, key) if previous is not None else None
        change = value - before if value is not None and before is not None else None
        comparable = previous is not None and same_data(results, previous)
        text, direction = "", None
        if change is not None:
            rounded = round(change, decimals)
            direction = "up" if rounded > 0 else "down" if rounded < 0 else "same"
            text = _number(criterion)(abs(change), decimals) if direction != "same" else "="
            if criterion.of_same_data and not comparable:
                text += " other data"
        figures.append(
            ReadoutFigure(
                key=key,
                criterion=criterion.key,
                label=f"R² {key.partition('.')[2]}" if criterion.key == "r_squared" else criterion.label,
                value=value,
                text=_number(criterion)(value, decimals),
                detail=_detail(results, key),
                verdict=verdict,
                verdict_words="saturated: nothing to test" if saturated else _miss(key, criterion, value, verdict),
                change=change,
                change_text=text,
                direction=direction,
            )
        )
    return figures
