"""The registry of figures: each with its definition, formula, source, cut-offs and their source. The one place where they
stand; screens, readout and the pages of docs/methods read it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Verdict = Literal["meets", "borderline", "misses", "none"]
Page = Literal["fit", "further fit", "quality"]


@dataclass(frozen=True)
class Criterion:
    """A figure: what it is, how it is computed, which way is better, and where good and tolerable begin.

    `good` and `tolerable` are bounds; `better` says on which side of them a value must lie, on them too unless `strict`.
    Figures without a verdict have None for both. `source` is of the figure, `cut_off_source` of its cut-offs.
    """

    key: str
    label: str
    definition: str
    formula: str
    source: str
    page: Page
    better: Literal["higher", "lower", "none"] = "none"
    good: float | None = None
    tolerable: float | None = None
    cut_off_source: str = ""
    strict: bool = False

    def judge(self, value: float | None) -> Verdict:
        """The verdict on an unrounded figure."""
        if value is None or self.good is None or self.better == "none":
            return "none"
        if self._within(value, self.good):
            return "meets"
        if self.tolerable is not None and self._within(value, self.tolerable):
            return "borderline"
        return "misses"

    def _within(self, value: float, bound: float) -> bool:
        sign = 1 if self.better == "higher" else -1
        return sign * value > sign * bound or (value == bound and not self.strict)


HU_BENTLER = ".95: Hu & Bentler (1999); .90: Bentler & Bonett (1980)"
FIGURES = (
    Criterion(
        "chi_square",
        "χ²",
        "The discrepancy between the sample and the implied covariances times the sample size. A small p says that the model does not hold exactly; with many cases almost none does.",
        "T = N·F",
        "Jöreskog (1967)",
        "fit",
    ),
    Criterion(
        "chi_square_per_df",
        "χ²/df",
        "χ² per degree of freedom: how much worse than by chance the model reproduces the covariances.",
        "T / df",
        "Wheaton, Muthén, Alwin & Summers (1977)",
        "fit",
        "lower",
        3.0,
        5.0,
        "3: Carmines & McIver (1981); 5: Wheaton, Muthén, Alwin & Summers (1977)",
    ),
    Criterion(
        "cfi",
        "CFI",
        "How far the model is from the worst model (all variables uncorrelated) towards a perfect one.",
        "1 − max(T−df, 0) / max(T₀−df₀, T−df, 0)",
        "Bentler (1990)",
        "fit",
        "higher",
        0.95,
        0.9,
        HU_BENTLER,
    ),
    Criterion(
        "tli",
        "TLI",
        "Like CFI, but with a penalty for every parameter; it can pass 1.",
        "(T₀/df₀ − T/df) / (T₀/df₀ − 1)",
        "Tucker & Lewis (1973)",
        "fit",
        "higher",
        0.95,
        0.9,
        HU_BENTLER,
    ),
    Criterion(
        "rmsea",
        "RMSEA",
        "The misfit per degree of freedom in the population, with its 90 % interval from the non-central χ².",
        "√(max(T−df, 0) / (df·m))",
        "Steiger & Lind (1980); interval: Browne & Cudeck (1992)",
        "fit",
        "lower",
        0.06,
        0.08,
        ".06: Hu & Bentler (1999); .08: Browne & Cudeck (1992)",
    ),
    Criterion(
        "srmr",
        "SRMR",
        "The typical difference between an observed and an implied correlation.",
        "root mean square of (s−σ)/√(s_ii s_jj), i ≥ j",
        "Hu & Bentler (1998)",
        "fit",
        "lower",
        0.08,
        0.1,
        ".08: Hu & Bentler (1999); .10: Schermelleh-Engel, Moosbrugger & Müller (2003)",
    ),
    Criterion(
        "nfi",
        "NFI",
        "The share of the worst model's χ² that the model takes away; it falls short in small samples.",
        "(T₀ − T) / T₀",
        "Bentler & Bonett (1980)",
        "further fit",
        "higher",
        0.95,
        0.9,
        ".95: Schermelleh-Engel, Moosbrugger & Müller (2003); .90: Bentler & Bonett (1980)",
    ),
    Criterion(
        "rfi",
        "RFI",
        "NFI with both χ² divided by their degrees of freedom.",
        "(T₀/df₀ − T/df) / (T₀/df₀)",
        "Bollen (1986)",
        "further fit",
    ),
    Criterion(
        "ifi",
        "IFI",
        "NFI corrected for the degrees of freedom of the model.",
        "(T₀ − T) / (T₀ − df)",
        "Bollen (1989)",
        "further fit",
    ),
    Criterion(
        "gfi",
        "GFI",
        "The share of the sample's covariances, weighted by the model, that the model reproduces. For GLS the weight is S⁻¹, for ULS there is none, for ADF it is Γ̂⁻¹.",
        "1 − tr[(Σ⁻¹S − I)²] / tr[(Σ⁻¹S)²]",
        "Tanaka & Huba (1985)",
        "further fit",
        "higher",
        0.95,
        0.9,
        "Schermelleh-Engel, Moosbrugger & Müller (2003)",
    ),
    Criterion(
        "agfi",
        "AGFI",
        "GFI with a penalty for every parameter; k is the number of moments, means among them where they are modelled.",
        "1 − k/df·(1 − GFI), k = p(p+1)/2 (+ p)",
        "Jöreskog & Sörbom (1982)",
        "further fit",
        "higher",
        0.95,
        0.9,
        "a convention, as for GFI",
    ),
    Criterion(
        "close_fit_p",
        "close fit",
        "The probability of an RMSEA at least this large if the population's were .05.",
        "upper tail of the non-central χ² at .05²·df·m",
        "Browne & Cudeck (1992)",
        "further fit",
    ),
    Criterion(
        "aic",
        "AIC",
        "Misfit and number of parameters together, to compare models on the same data; less is better.",
        "−2 logL + 2q",
        "Akaike (1974)",
        "further fit",
    ),
    Criterion(
        "bic",
        "BIC",
        "The same with a penalty that grows with the sample.",
        "−2 logL + q·ln n",
        "Schwarz (1978)",
        "further fit",
    ),
    Criterion(
        "sabic",
        "sample-size adjusted BIC",
        "BIC with a milder penalty.",
        "−2 logL + q·ln((n+2)/24)",
        "Sclove (1987)",
        "further fit",
    ),
    Criterion(
        "ecvi",
        "ECVI",
        "The discrepancy to be expected in another sample of this size.",
        "(T + 2q) / m",
        "Browne & Cudeck (1989)",
        "further fit",
    ),
    Criterion(
        "critical_n",
        "critical n",
        "The sample size at which this discrepancy would just be significant.",
        "critical χ² / F, plus 1 where the multiplier is n − 1",
        "Hoelter (1983)",
        "further fit",
    ),
    Criterion(
        "scaled",
        "scaled χ²",
        "χ² divided by what non-normality has made of it: the mean-scaled test.",
        "T / c",
        "Satorra & Bentler (1994); Yuan & Bentler (2000)",
        "further fit",
    ),
    Criterion(
        "robust_rmsea",
        "robust RMSEA",
        "What RMSEA would be in normal data, estimated from data that are not.",
        "√(max(T − c·df, 0) / (df·m))",
        "Brosseau-Liard, Savalei & Li (2012)",
        "further fit",
    ),
    Criterion(
        "robust_cfi",
        "robust CFI and TLI",
        "What CFI and TLI would be in normal data, estimated from data that are not.",
        "CFI and TLI with c·df and c₀·df₀ in the place of df and df₀",
        "Brosseau-Liard & Savalei (2014)",
        "further fit",
    ),
    Criterion(
        "loading",
        "loading",
        "The standardized loading: the correlation between an indicator and its construct, for an indicator of one construct.",
        "λ·σ(construct)/σ(indicator)",
        "Jöreskog (1969)",
        "quality",
        "higher",
        0.7,
        0.5,
        "Hair, Black, Babin & Anderson (2019); .50 where content would be lost",
    ),
    Criterion(
        "alpha",
        "Cronbach's alpha",
        "Reliability of the sum of the indicators as they are scored (not standardized), if all loaded alike. It means nothing while an item runs against the others.",
        "k/(k−1)·(1 − Σs_ii/Σs_ij)",
        "Cronbach (1951)",
        "quality",
        "higher",
        0.7,
        0.6,
        ".70: Nunnally (1978); .60 in exploratory work: Hair, Black, Babin & Anderson (2019)",
    ),
    Criterion(
        "composite_reliability",
        "composite reliability",
        "Reliability of the sum of the standardized indicators, each with its own loading; with covarying residuals Σθ is the sum of their whole matrix. It means nothing while an item runs against the others.",
        "(Σλ)² / ((Σλ)² + Σθ)",
        "Jöreskog (1971); with covarying residuals Raykov (2001)",
        "quality",
        "higher",
        0.7,
        0.6,
        "Hair, Risher, Sarstedt & Ringle (2019)",
    ),
    Criterion(
        "ave",
        "AVE",
        "Average variance extracted: how much of its indicators' variance a construct explains, against their residual variance.",
        "Σλ² / (Σλ² + Σθ)",
        "Fornell & Larcker (1981)",
        "quality",
        "higher",
        0.5,
        None,
        "Fornell & Larcker (1981)",
    ),
    Criterion(
        "htmt",
        "HTMT",
        "How much the items of two constructs correlate with each other, against how much they correlate among themselves; from absolute correlations.",
        "mean |r| between / √(mean |r| within · mean |r| within)",
        "Henseler, Ringle & Sarstedt (2015); absolute correlations: Ringle, Sarstedt, Sinkovics & Sinkovics (2023)",
        "quality",
        "lower",
        0.85,
        0.9,
        ".85: Kline (2011); .90: Gold, Malhotra & Segars (2001); both in Henseler, Ringle & Sarstedt (2015)",
    ),
    Criterion(
        "vif_antecedents",
        "VIF of antecedents",
        "Variance inflation: how much collinearity with the other predictors of the same outcome inflates the variance of a path.",
        "diagonal of the inverse correlation matrix of the predictors",
        "Marquardt (1970)",
        "quality",
        "lower",
        3.0,
        5.0,
        "Hair, Risher, Sarstedt & Ringle (2019)",
        strict=True,
    ),
    Criterion(
        "vif_indicators",
        "VIF of formative indicators",
        "How much an indicator repeats the others of its block. Among reflective indicators it is high by nature and has no criterion.",
        "diagonal of the inverse correlation matrix of the block",
        "Marquardt (1970)",
        "quality",
        "lower",
        3.3,
        5.0,
        "3.3: Diamantopoulos & Siguaw (2006); 5: Hair, Risher, Sarstedt & Ringle (2019)",
    ),
    Criterion(
        "f_squared",
        "f²",
        "How much R² of an outcome rests on one antecedent, from the implied covariances.",
        "(R² with − R² without) / (1 − R² with)",
        "Cohen (1988)",
        "quality",
    ),
)
AVE = next(criterion for criterion in FIGURES if criterion.key == "ave")
LOWEST = f"The AVE of the construct where it is lowest. {AVE.definition}"
SHEET = (*FIGURES, replace(AVE, key="lowest_ave", label="lowest AVE", definition=LOWEST))
BY_KEY = {criterion.key: criterion for criterion in SHEET}


def f_squared_words(value: float | None) -> str:
    """Cohen's (1988) words for f²: .02 small, .15 medium, .35 large."""
    if value is None:
        return ""
    for bound, words in ((0.35, "large"), (0.15, "medium"), (0.02, "small")):
        if value >= bound:
            return words
    return "negligible"
