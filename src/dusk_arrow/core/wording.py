"""Numbers as a reader expects them in this field; rounding happens here and on the screen, nowhere earlier."""

from __future__ import annotations


def coefficient(value: float | None, decimals: int = 2) -> str:
    """A standardized figure without its leading zero: `.48`, `−.26`, `1.03`; an en dash where there is none."""
    if value is None:
        return "–"
    text = f"{abs(value):.{decimals}f}"
    if float(text) < 1:
        text = text[1:]
    return f"−{text}" if value < 0 and float(f"{value:.{decimals}f}") != 0 else text


def p_text(value: float | None, resamples: int | None = None) -> str:
    """A p-value: `< .001` or three decimals, never in scientific notation. So many `resamples` cannot tell anything smaller than
    2/(R + 1), which is then said: `≤ .004`."""
    if value is None:
        return "–"
    if resamples is not None and value <= 2 / (resamples + 1) * (1 + 1e-9) and value >= 0.001:
        return f"≤ {coefficient(value, 3)}"
    return "< .001" if value < 0.0005 or (resamples is not None and value < 0.001) else coefficient(value, 3)


def p_words(value: float | None, resamples: int | None = None) -> str:
    """The same after its letter: `p = .021`, `p < .001`."""
    text = p_text(value, resamples)
    return f"p {text}" if text[0] in "<≤–" else f"p = {text}"


def plain(value: float | None, decimals: int = 3) -> str:
    """A number in its own units with a true minus, an en dash where there is none."""
    if value is None:
        return "–"
    text = f"{abs(value):.{decimals}f}"
    return f"−{text}" if value < 0 and float(text) != 0 else text


MOST_DECIMALS = 8


def telling(bounds: tuple[float, float], decimals: int) -> int:
    """With how many decimals bounds have to be printed so that they tell on which side of zero each lies: none that is not zero
    may look like it."""
    while decimals < MOST_DECIMALS and any(bound != 0 and round(bound, decimals) == 0 for bound in bounds):
        decimals += 1
    return decimals


def interval_text(bounds: tuple[float, float] | None, decimals: int = 2) -> str:
    """An interval as `[.38, .58]`, empty where there is none; with more decimals where a bound would look like zero."""
    if bounds is None:
        return ""
    decimals = telling(bounds, decimals)
    return f"[{coefficient(bounds[0], decimals)}, {coefficient(bounds[1], decimals)}]"
