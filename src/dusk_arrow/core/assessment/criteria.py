"""The criteria sheet: every figure with its definition, cut-offs and their sources. The one place where they stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Verdict = Literal["meets", "borderline", "misses", "none"]


@dataclass(frozen=True)
class Criterion:
    """A figure: what it is, how it is computed, which way is better, and where good and tolerable begin.

    `good` and `tolerable` are bounds; `better` says on which side of them a value must lie. Figures without a
    verdict have None for both.
    """

    key: str
    label: str
    definition: str
    formula: str
    better: Literal["higher", "lower", "none"]
    good: float | None
    tolerable: float | None
    source: str

    def judge(self, value: float | None) -> Verdict:
        """The verdict on an unrounded figure."""
        if value is None or self.good is None or self.better == "none":
            return "none"
        sign = 1 if self.better == "higher" else -1
        if sign * value >= sign * self.good:
            return "meets"
        if self.tolerable is not None and sign * value >= sign * self.tolerable:
            return "borderline"
        return "misses"


HU_BENTLER = "Hu & Bentler (1999); Bentler & Bonett (1980) for .90"
SHEET = (
    Criterion(
        "chi_square",
        "χ²",
        "The discrepancy between the sample and the implied covariances times the sample size. A small p says that "
        "the model does not hold exactly; with many cases almost none does.",
        "T = N·F_ML",
        "none",
        None,
        None,
        "Jöreskog (1967)",
    ),
    Criterion(
        "chi_square_per_df",
        "χ²/df",
        "χ² per degree of freedom: how much worse than by chance the model reproduces the covariances.",
        "T / df",
        "lower",
        3.0,
        5.0,
        "Kline (2016) for 3; Wheaton et al. (1977) for 5",
    ),
    Criterion(
        "cfi",
        "CFI",
        "How far the model is from the worst model (all variables uncorrelated) towards a perfect one.",
        "1 − max(T−df, 0) / max(T₀−df₀, T−df, 0)",
        "higher",
        0.95,
        0.90,
        HU_BENTLER,
    ),
    Criterion(
        "tli",
        "TLI",
        "Like CFI, but with a penalty for every parameter; it can pass 1.",
        "(T₀/df₀ − T/df) / (T₀/df₀ − 1)",
        "higher",
        0.95,
        0.90,
        HU_BENTLER,
    ),
    Criterion(
        "rmsea",
        "RMSEA",
        "The misfit per degree of freedom in the population, with its 90 % interval.",
        "√(max(T−df, 0) / (df·N))",
        "lower",
        0.06,
        0.08,
        "Hu & Bentler (1999) for .06; Browne & Cudeck (1992) for .08",
    ),
    Criterion(
        "srmr",
        "SRMR",
        "The typical difference between an observed and an implied correlation.",
        "root mean square of (s−σ)/√(s_ii s_jj), i ≥ j",
        "lower",
        0.08,
        0.10,
        "Hu & Bentler (1999) for .08; Kline (2016) for .10",
    ),
    Criterion(
        "nfi",
        "NFI",
        "The share of the worst model's χ² that the model takes away; it falls short in small samples.",
        "(T₀ − T) / T₀",
        "higher",
        0.95,
        0.90,
        HU_BENTLER,
    ),
    Criterion(
        "gfi",
        "GFI",
        "The share of the sample's covariances, weighted by the model, that the model reproduces.",
        "1 − tr[(Σ⁻¹S − I)²] / tr[(Σ⁻¹S)²]",
        "higher",
        0.95,
        0.90,
        "Tanaka & Huba (1985); Shevlin & Miles (1998)",
    ),
    Criterion(
        "agfi",
        "AGFI",
        "GFI with a penalty for every parameter.",
        "1 − p(p+1)/(2df)·(1 − GFI)",
        "higher",
        0.95,
        0.90,
        "Jöreskog & Sörbom (1984); Shevlin & Miles (1998)",
    ),
    Criterion(
        "lowest_ave",
        "lowest AVE",
        "Average variance extracted: the mean squared standardized loading of a construct's indicators; shown for "
        "the construct where it is lowest.",
        "Σλ² / k",
        "higher",
        0.50,
        None,
        "Fornell & Larcker (1981)",
    ),
    Criterion(
        "loading",
        "loading",
        "The standardized loading: the correlation between an indicator and its construct, for an indicator of one "
        "construct.",
        "λ·σ(construct)/σ(indicator)",
        "higher",
        0.70,
        0.50,
        "Hair et al. (2019); .50 where content would be lost",
    ),
    Criterion(
        "alpha",
        "Cronbach's alpha",
        "Reliability of the sum of the indicators, if all loaded alike.",
        "k/(k−1)·(1 − Σs_ii/Σs_ij)",
        "higher",
        0.70,
        0.60,
        "Cronbach (1951); Nunnally (1978) for .70",
    ),
    Criterion(
        "composite_reliability",
        "composite reliability",
        "Reliability of the sum of the indicators, each with its own loading.",
        "(Σλ)² / ((Σλ)² + Σθ)",
        "higher",
        0.70,
        0.60,
        "Jöreskog (1971); Hair et al. (2019) for .70",
    ),
    Criterion(
        "ave",
        "AVE",
        "Average variance extracted: the mean squared standardized loading of a construct's indicators.",
        "Σλ² / k",
        "higher",
        0.50,
        None,
        "Fornell & Larcker (1981)",
    ),
    Criterion(
        "vif",
        "VIF",
        "Variance inflation: how much collinearity with the other predictors of the same outcome inflates the "
        "variance of a path.",
        "diagonal of the inverse correlation matrix of the predictors",
        "lower",
        3.3,
        5.0,
        "Diamantopoulos & Siguaw (2006) for 3.3; Hair et al. (2019) for 5",
    ),
)
BY_KEY = {criterion.key: criterion for criterion in SHEET}


def f_squared_words(value: float | None) -> str:
    """Cohen's (1988) words for f²: .02 small, .15 medium, .35 large."""
    if value is None:
        return ""
    for bound, words in ((0.35, "large"), (0.15, "medium"), (0.02, "small")):
        if value >= bound:
            return words
    return "negligible"
