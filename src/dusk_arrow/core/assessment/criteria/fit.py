"""Statistics of the fit of a whole model: how each follows from the test, and all that is said of it. Sources are in the entries."""

from __future__ import annotations

from typing import get_args

import numpy as np
from scipy.special import chdtrc, chdtri, chndtr

from dusk_arrow.core.assessment.criteria.criterion import Criterion, Ground, Listing

HU_BENTLER = ".95: Hu & Bentler (1999); .90: Bentler & Bonett (1980)"
READOUT: frozenset[Listing] = frozenset({"readout"})
EVERYWHERE: frozenset[Listing] = frozenset(get_args(Listing))


def chi_square_p(chi_square: float, df: float) -> float:
    """Upper tail of the χ² distribution."""
    return float(chdtrc(df, max(chi_square, 0.0)))


def critical_n(alpha: float, chi_square: float, df: int, n: int, multiplier: float) -> float | None:
    """The sample size at which this discrepancy would just be significant (Hoelter 1983; Bollen & Liang 1988): what the multiplier would have to
    be, and one more where that is N−1."""
    discrepancy = chi_square / multiplier
    return float(chdtri(df, alpha) / discrepancy + n - multiplier) if discrepancy > 1e-12 else None


def _chi_square(ground: Ground) -> float | None:
    return ground.chi_square


def _chi_square_per_df(ground: Ground) -> float | None:
    return ground.chi_square / ground.df if ground.tested else None


def _srmr(ground: Ground) -> float | None:
    return ground.srmr


def _gfi(ground: Ground) -> float | None:
    return ground.gfi


def _cfi(ground: Ground) -> float | None:
    t, df, base, base_df = ground.chi_square, ground.df, ground.baseline, ground.baseline_df
    base_excess = max(base - base_df, t - df, 0.0)
    return 1 - max(t - df, 0.0) / base_excess if base_excess > 0 and ground.tested else 1.0


def _ratio(ground: Ground) -> float:
    if not ground.tested or not ground.baseline_df:
        return 0.0
    return ground.baseline / ground.baseline_df - ground.chi_square / ground.df


def _tli(ground: Ground) -> float | None:
    base, base_df = ground.baseline, ground.baseline_df
    return _ratio(ground) / (base / base_df - 1) if ground.tested and base_df and base != base_df else None


def _nfi(ground: Ground) -> float | None:
    return 1 - ground.chi_square / ground.baseline if ground.baseline > 0 else None


def _rfi(ground: Ground) -> float | None:
    return _ratio(ground) / (ground.baseline / ground.baseline_df) if ground.tested and ground.baseline > 0 else None


def _ifi(ground: Ground) -> float | None:
    base, t = ground.baseline, ground.chi_square
    return (base - t) / (base - ground.df) if base != ground.df else None


def _agfi(ground: Ground) -> float | None:
    """GFI has no mean term, so its penalty counts variances and covariances alone."""
    if not ground.tested or ground.gfi is None:
        return None
    return 1 - ground.n_second_order / ground.df * (1 - ground.gfi)


def _rmsea(ground: Ground) -> float | None:
    """In several groups multiplied by √G (Steiger 1998)."""
    excess = max(ground.chi_square - ground.df, 0.0)
    return float(np.sqrt(excess / (ground.df * ground.multiplier / ground.groups))) if ground.tested else None


def _close_fit(ground: Ground) -> float | None:
    if not ground.tested:
        return None
    t, df = ground.chi_square, ground.df
    return float(1 - chndtr(t, df, 0.05**2 * df * ground.multiplier / ground.groups))


def _penalized(ground: Ground, penalty: float) -> float | None:
    return None if ground.likelihoods is None else -2 * ground.likelihoods[0] + ground.n_parameters * penalty


def _aic(ground: Ground) -> float | None:
    return _penalized(ground, 2.0)


def _bic(ground: Ground) -> float | None:
    return _penalized(ground, float(np.log(ground.n)))


def _sabic(ground: Ground) -> float | None:
    return _penalized(ground, float(np.log((ground.n + 2) / 24)))


def _ecvi(ground: Ground) -> float | None:
    return (ground.chi_square + 2 * ground.n_parameters) / ground.multiplier


FIGURES = (
    Criterion(
        "chi_square",
        "χ²",
        "The discrepancy between the sample and the implied covariances times the sample size. A small p says that the model does not hold exactly; with many cases almost none does.",
        "T = N·F",
        "Jöreskog (1967)",
        "fit",
        form="plain",
        decimals=1,
        of_same_data=True,
        lists=READOUT | {"note", "beside", "trail"},
        printed_as=(
            "χ²",
            "chi-square",
            "chi square",
            "chisq",
            "chi2",
            "x2",
            "χ2",
        ),
        of=_chi_square,
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
        form="plain",
        decimals=2,
        lists=READOUT | {"note", "table", "trail"},
        printed_as=(
            "χ²/df",
            "chi-square/df",
            "chi2/df",
            "χ2/df",
        ),
        of=_chi_square_per_df,
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
        lists=EVERYWHERE,
        printed_as=("CFI",),
        of=_cfi,
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
        lists=EVERYWHERE - {"brief", "what_if"},
        printed_as=(
            "TLI",
            "NNFI",
        ),
        of=_tli,
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
        lists=EVERYWHERE,
        printed_as=("RMSEA",),
        of=_rmsea,
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
        lists=EVERYWHERE,
        printed_as=("SRMR",),
        of=_srmr,
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
        lists=READOUT | {"table"},
        printed_as=("GFI",),
        of=_gfi,
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
        lists=READOUT | {"table"},
        printed_as=("AGFI",),
        of=_agfi,
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
        lists=READOUT | {"table"},
        printed_as=("NFI",),
        of=_nfi,
    ),
    Criterion(
        "rfi",
        "RFI",
        "NFI with both χ² divided by their degrees of freedom.",
        "(T₀/df₀ − T/df) / (T₀/df₀)",
        "Bollen (1986)",
        "further fit",
        printed_as=("RFI",),
        of=_rfi,
    ),
    Criterion(
        "ifi",
        "IFI",
        "NFI corrected for the degrees of freedom of the model.",
        "(T₀ − T) / (T₀ − df)",
        "Bollen (1989)",
        "further fit",
        lists=READOUT,
        printed_as=("IFI",),
        of=_ifi,
    ),
    Criterion(
        "close_fit_p",
        "close fit, p",
        "The probability of an RMSEA at least this large if the population's were .05.",
        "upper tail of the non-central χ² at .05²·df·m",
        "Browne & Cudeck (1992)",
        "further fit",
        form="p",
        of=_close_fit,
    ),
    Criterion(
        "critical_n",
        "critical n",
        "The sample size at which this discrepancy would just be significant, at the level of the intervals.",
        "critical χ² / F, plus 1 where the multiplier is n − 1; with the exact critical χ²",
        "Hoelter (1983); with the exact critical χ² Bollen & Liang (1988)",
        "further fit",
        form="plain",
        decimals=0,
        lists=frozenset({"table"}),
    ),
    Criterion(
        "aic",
        "AIC",
        "Misfit and number of parameters together, to compare models on the same data; less is better.",
        "−2 logL + 2q",
        "Akaike (1974)",
        "further fit",
        form="plain",
        decimals=1,
        of_same_data=True,
        lists=READOUT | {"note", "table", "trail", "models"},
        printed_as=("AIC",),
        of=_aic,
    ),
    Criterion(
        "bic",
        "BIC",
        "The same with a penalty that grows with the sample.",
        "−2 logL + q·ln n",
        "Schwarz (1978)",
        "further fit",
        form="plain",
        decimals=1,
        of_same_data=True,
        lists=READOUT | {"note", "table", "trail", "models"},
        printed_as=("BIC",),
        of=_bic,
    ),
    Criterion(
        "sabic",
        "sample-size adjusted BIC",
        "BIC with a milder penalty.",
        "−2 logL + q·ln((n+2)/24)",
        "Sclove (1987)",
        "further fit",
        form="plain",
        decimals=1,
        of_same_data=True,
        of=_sabic,
    ),
    Criterion(
        "ecvi",
        "ECVI",
        "The discrepancy to be expected in another sample of this size.",
        "(T + 2q) / m",
        "Browne & Cudeck (1989)",
        "further fit",
        form="plain",
        decimals=3,
        printed_as=("ECVI",),
        of=_ecvi,
    ),
    Criterion(
        "scaled",
        "scaled χ²",
        "χ² divided by what non-normality has made of it: the mean-scaled test.",
        "T / c",
        "Satorra & Bentler (1994); Yuan & Bentler (2000)",
        "further fit",
        form="plain",
        decimals=1,
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
)
