"""Global fit of a covariance structure. Sources are in docs/methods and in the registry of figures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import chdtrc, chdtri, chndtr, chndtrinc

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Fit:
    """Fit figures of one model; None where one does not apply (a saturated model has nothing to test)."""

    chi_square: float
    df: int
    p_value: float | None
    chi_square_per_df: float | None
    cfi: float | None
    tli: float | None
    nfi: float | None
    rfi: float | None
    ifi: float | None
    gfi: float | None
    agfi: float | None
    rmsea: float | None
    rmsea_interval: tuple[float, float] | None
    close_fit_p: float | None
    srmr: float | None
    log_likelihood: float | None
    log_likelihood_saturated: float | None
    aic: float | None
    bic: float | None
    sabic: float | None
    ecvi: float
    n_parameters: int
    critical_n_05: float | None
    critical_n_01: float | None
    baseline_chi_square: float
    baseline_df: int


@dataclass(frozen=True)
class DistanceFit:
    """How far implied correlations are from the sample's, of models without a χ²: the whole (None where it has none of its
    own) and its measurement part, each SRMR, d_ULS and d_G; d_G is nan where a matrix is not positive definite."""

    whole: tuple[float, float, float] | None
    measurement: tuple[float, float, float]
    within: Literal["common factor", "composite"]

    @property
    def srmr(self) -> float | None:
        """SRMR of the whole."""
        return None if self.whole is None else self.whole[0]


def chi_square_p(chi_square: float, df: int) -> float:
    """Upper tail of the χ² distribution."""
    return float(chdtrc(df, max(chi_square, 0.0)))


def rmsea_interval(chi_square: float, df: int, multiplier: float, level: float = 0.90) -> tuple[float, float]:
    """Interval of RMSEA from the non-central χ² (Steiger & Lind 1980; Browne & Cudeck 1992)."""

    def bound(probability: float) -> float:
        if chndtr(chi_square, df, 0.0) <= probability:
            return 0.0
        return float(np.sqrt(chndtrinc(chi_square, df, probability) / (df * multiplier)))

    tail = (1 - level) / 2
    return bound(1 - tail), bound(tail)


def srmr(sample: Array, implied: Array) -> Array:
    """Root mean square of (s−σ)/√(s_ii s_jj) over i ≥ j (Hu & Bentler 1998), batched: (…, p, p) → (…)."""
    sd = np.sqrt(np.diagonal(sample, axis1=-2, axis2=-1))
    rows, columns = np.tril_indices(sample.shape[-1])
    residual = (sample - implied) / (sd[..., :, None] * sd[..., None, :])
    result: Array = np.sqrt((residual[..., rows, columns] ** 2).mean(axis=-1))
    return result


def srmr_with_means(sample: Array, implied: Array, means: Array, implied_means: Array) -> float:
    """SRMR over covariances and means, a mean's residual in the sample's standard deviations."""
    p = sample.shape[-1]
    count = p * (p + 1) / 2
    shift = (means - implied_means) / np.sqrt(np.diag(sample))
    return float(np.sqrt((srmr(sample, implied) ** 2 * count + (shift**2).sum()) / (count + p)))


def assess_fit(
    statistic: float,
    df: int,
    baseline: float,
    baseline_df: int,
    *,
    n_parameters: int,
    n: int,
    multiplier: float,
    srmr: float | None,
    gfi: float | None,
    n_second_order: int,
    likelihoods: tuple[float, float] | None,
    groups: int = 1,
) -> Fit:
    """All fit figures that follow from the statistics T of a model and of its baseline.

    `multiplier` is N or N−1 as T = multiplier·F, `n_second_order` how many
    variances and covariances there are (GFI and AGFI are of those alone, whether means are modelled or not), `likelihoods` logL of the
    model and of the saturated model, None for estimators without one. In several `groups` an RMSEA is multiplied by √G
    (Steiger 1998).
    """
    t = max(statistic, 0.0)
    base = baseline
    tested = df > 0
    excess, base_excess = max(t - df, 0.0), max(base - baseline_df, t - df, 0.0)
    ratio = (base / baseline_df - t / df) if tested and baseline_df else 0.0
    own, saturated = likelihoods if likelihoods is not None else (None, None)
    deviance = None if own is None else -2 * own
    return Fit(
        chi_square=t,
        df=df,
        p_value=chi_square_p(t, df) if tested else None,
        chi_square_per_df=t / df if tested else None,
        cfi=1 - excess / base_excess if base_excess > 0 and tested else 1.0,
        tli=ratio / (base / baseline_df - 1) if tested and baseline_df and base != baseline_df else None,
        nfi=1 - t / base if base > 0 else None,
        rfi=ratio / (base / baseline_df) if tested and base > 0 else None,
        ifi=(base - t) / (base - df) if base != df else None,
        gfi=gfi,
        agfi=1 - n_second_order / df * (1 - gfi) if tested and gfi is not None else None,
        rmsea=float(np.sqrt(excess / (df * multiplier / groups))) if tested else None,
        rmsea_interval=rmsea_interval(t, df, multiplier / groups) if tested else None,
        close_fit_p=float(1 - chndtr(t, df, 0.05**2 * df * multiplier / groups)) if tested else None,
        srmr=srmr,
        log_likelihood=own,
        log_likelihood_saturated=saturated,
        aic=None if deviance is None else deviance + 2 * n_parameters,
        bic=None if deviance is None else deviance + n_parameters * float(np.log(n)),
        sabic=None if deviance is None else deviance + n_parameters * float(np.log((n + 2) / 24)),
        ecvi=(t + 2 * n_parameters) / multiplier,
        n_parameters=n_parameters,
        critical_n_05=critical_n(0.05, t, df, n, multiplier) if tested else None,
        critical_n_01=critical_n(0.01, t, df, n, multiplier) if tested else None,
        baseline_chi_square=base,
        baseline_df=baseline_df,
    )


@dataclass(frozen=True)
class ScaledFit:
    """Fit by a mean-scaled statistic, and robust figures that estimate what the unscaled ones would be in normal data."""

    chi_square: float
    scaling_factor: float
    p_value: float
    cfi: float | None
    tli: float | None
    rmsea: float
    robust_cfi: float | None
    robust_tli: float | None
    robust_rmsea: float


def _relative(t: float, df: float, base: float, base_df: float) -> tuple[float | None, float | None]:
    """CFI (0–1) and TLI from statistics and what they should be (their df, or df times their scaling factor)."""
    excess, base_excess = max(t - df, 0.0), max(base - base_df, t - df, 0.0)
    cfi = 1 - excess / base_excess if base_excess > 0 else 1.0
    tli = 1 - (t - df) / df * base_df / (base - base_df) if base != base_df else None
    return cfi, tli


def scale_fit(fit: Fit, factor: float, baseline_factor: float, multiplier: float) -> ScaledFit:
    """Scaled and robust figures (RMSEA: Brosseau-Liard, Savalei & Li 2012; CFI and TLI: Brosseau-Liard & Savalei 2014) of a model with df > 0."""
    t, base = fit.chi_square / factor, fit.baseline_chi_square / baseline_factor
    cfi, tli = _relative(t, fit.df, base, fit.baseline_df)
    due, base_due = factor * fit.df, baseline_factor * fit.baseline_df
    excess = fit.chi_square - due
    base_excess = fit.baseline_chi_square - base_due
    robust_cfi = 1 - max(excess, 0.0) / max(base_excess, excess, 1e-300) if max(base_excess, excess) > 0 else 1.0
    robust_tli = 1 - excess * fit.baseline_df / (base_excess * fit.df) if base_excess != 0 else None
    return ScaledFit(
        chi_square=t,
        scaling_factor=factor,
        p_value=chi_square_p(t, fit.df),
        cfi=cfi,
        tli=tli,
        rmsea=float(np.sqrt(max(t - fit.df, 0.0) / (fit.df * multiplier))),
        robust_cfi=robust_cfi,
        robust_tli=robust_tli,
        robust_rmsea=float(np.sqrt(max(excess, 0.0) / (fit.df * multiplier))),
    )


def critical_n(alpha: float, chi_square: float, df: int, n: int, multiplier: float) -> float | None:
    """The sample size at which this discrepancy would just be significant (Hoelter 1983; Bollen & Liang 1988): what the multiplier would have to
    be, and one more where that is N−1."""
    discrepancy = chi_square / multiplier
    return float(chdtri(df, alpha) / discrepancy + n - multiplier) if discrepancy > 1e-12 else None
