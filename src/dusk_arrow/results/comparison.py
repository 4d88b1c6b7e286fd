"""Two documents beside each other."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.assessment.fit import chi_square_p
from dusk_arrow.results.document import Results
from dusk_arrow.results.readout import same_data


@dataclass(frozen=True)
class Difference:
    """The χ² difference of two models on the same data."""

    chi_square: float
    df: int
    p_value: float | None


def difference(first: Results, second: Results) -> Difference | None:
    """Δχ², Δdf and p of two models on the same variables and cases; None where they are not on the same data.

    The caller knows that one is nested in the other: it was made by fixing or freeing parameters.
    """
    if first.fit is None or second.fit is None or not same_data(first, second):
        return None
    df = second.fit.df - first.fit.df
    chi_square = second.fit.chi_square - first.fit.chi_square
    sign = 1 if df >= 0 else -1
    p_value = chi_square_p(sign * chi_square, abs(df)) if df != 0 else None
    return Difference(chi_square, df, p_value)
