"""The readout: the key figures of a model, each with its verdict and its change since the previous revision."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from pydantic import BaseModel

from dusk_arrow.core.assessment.criteria import BY_KEY, Verdict
from dusk_arrow.core.wording import coefficient, interval_text, p_words, plain
from dusk_arrow.results.document import Results

KEYS = ("chi_square", "chi_square_per_df", "cfi", "tli", "rmsea", "srmr", "lowest_ave")
DECIMALS = {"chi_square": 1, "chi_square_per_df": 2, "lowest_ave": 2}
DEPEND_ON_DATA = ("chi_square",)
WORDS: dict[Verdict, str] = {
    "meets": "meets the criterion",
    "borderline": "borderline",
    "misses": "misses the criterion",
    "none": "no verdict",
}


class ReadoutFigure(BaseModel):
    """One figure of the readout, as text and as number."""

    key: str
    label: str
    value: float | None
    text: str
    detail: str
    verdict: Verdict
    verdict_words: str
    change: float | None
    change_text: str
    direction: Literal["up", "down", "same"] | None


def _lowest_ave(results: Results) -> tuple[float | None, str]:
    constructs = results.quality.constructs if results.quality else []
    found = [(c.ave, c.name) for c in constructs if c.ave is not None]
    return min(found) if found else (None, "")


def figure_value(results: Results, key: str) -> float | None:
    """A readout figure of a document, unrounded."""
    if results.fit is None:
        return None
    if key == "lowest_ave":
        return _lowest_ave(results)[0]
    value: float | None = getattr(results.fit, key)
    return value


def _detail(results: Results, key: str) -> str:
    fit = results.fit
    if fit is None:
        return ""
    if key == "chi_square":
        return f"({fit.df}) {p_words(fit.p_value)}" if fit.df else "(0) saturated"
    if key == "rmsea":
        return interval_text(fit.rmsea_interval, 3)
    if key == "lowest_ave":
        return _lowest_ave(results)[1]
    return ""


def _miss(key: str, value: float | None, verdict: Verdict) -> str:
    criterion = BY_KEY[key]
    if value is None:
        return "does not apply: nothing to test" if key != "lowest_ave" else "does not apply"
    if verdict not in ("borderline", "misses") or criterion.good is None:
        return WORDS[verdict]
    return f"{WORDS[verdict]}, {coefficient(abs(value - criterion.good), 3)} short of {criterion.good:g}"


def same_data(results: Results, previous: Results) -> bool:
    """Whether two documents rest on the same variables and the same cases, so that their χ² can be compared."""
    if results.sample is None or previous.sample is None or results.data is None or previous.data is None:
        return False
    if results.data.analysed is not None and previous.data.analysed is not None:
        return results.data.analysed == previous.data.analysed
    same_variables = set(results.sample.variables) == set(previous.sample.variables)
    same_cases = results.data.n_used == previous.data.n_used and results.data.fingerprint == previous.data.fingerprint
    return same_variables and same_cases


def _number(key: str) -> Callable[[float | None, int], str]:
    """How a figure is written: without a leading zero where it cannot pass 1."""
    return plain if key in ("chi_square", "chi_square_per_df") else coefficient


def readout(results: Results, previous: Results | None) -> list[ReadoutFigure]:
    """The figures of a document beside those of the revision before, where that one could be estimated."""
    figures = []
    for key in KEYS:
        value = figure_value(results, key)
        decimals = DECIMALS.get(key, 3)
        saturated = results.fit is not None and results.fit.df == 0 and key != "lowest_ave"
        verdict: Verdict = "none" if saturated else BY_KEY[key].judge(value)
        before = figure_value(previous, key) if previous is not None else None
        change = value - before if value is not None and before is not None else None
        comparable = previous is not None and same_data(results, previous)
        text, direction = "", None
        if change is not None:
            rounded = round(change, decimals)
            direction = "up" if rounded > 0 else "down" if rounded < 0 else "same"
            text = _number(key)(abs(change), decimals) if direction != "same" else "="
            if key in DEPEND_ON_DATA and not comparable:
                text += " other data"
        figures.append(
            ReadoutFigure(
                key=key,
                label=BY_KEY[key].label,
                value=value,
                text=_number(key)(value, decimals),
                detail=_detail(results, key),
                verdict=verdict,
                verdict_words="saturated: nothing to test" if saturated else _miss(key, value, verdict),
                change=change,
                change_text=text,
                direction=direction,
            )
        )
    return figures
