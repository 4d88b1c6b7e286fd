"""What a comparison of models says: a difference of χ², whether one model is nested in the other, tests of parameters."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.assessment.fit import chi_square_p

ROUNDING = 1e-3  # of χ²: a difference nearer to zero than this is none


@dataclass(frozen=True)
class Difference:
    """The χ² difference of two models on the same data; `scaled` with the factor that makes it one where errors are
    robust (Satorra & Bentler 2001, or 2010 where the first would be negative)."""

    chi_square: float
    df: int
    p_value: float | None
    scaled: float | None = None
    scaled_p: float | None = None


@dataclass(frozen=True)
class Comparison:
    """Whether one model is nested in the other (checked numerically: Bentler & Satorra 2010), and the test if so."""

    nested: bool
    reason: str
    difference: Difference | None


@dataclass(frozen=True)
class PathTest:
    """One path: its z-test, and what fixing it at zero does to χ²."""

    source: str
    target: str
    estimate: float
    z: float | None
    z_p: float | None
    difference: Difference | None


@dataclass(frozen=True)
class ParameterTest:
    """A hypothesis on several parameters by three routes: Wald, score (Lagrange multiplier), and Δχ²."""

    df: int
    wald: float | None
    wald_p: float | None
    score: float | None
    score_p: float | None
    difference: Difference | None


def difference_of(chi_square: float, df: int) -> Difference:
    """Δχ² and Δdf with its p; none where the model with fewer parameters fits better, which only different minima can bring
    about, or where both have as many."""
    sign = 1 if df >= 0 else -1
    if df == 0 or sign * chi_square < -ROUNDING:
        return Difference(chi_square, df, None)
    return Difference(chi_square, df, chi_square_p(sign * chi_square, abs(df)))
