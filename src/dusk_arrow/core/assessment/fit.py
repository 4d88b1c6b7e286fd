"""Global fit of a covariance structure: what follows from its test, and further tests. Sources are in docs/methods and in the registry
of statistics.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import chndtr, chndtrinc

from dusk_arrow.core.assessment.criteria import SHEET
from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.criteria.fit import chi_square_p, critical_n
from dusk_arrow.core.linear_algebra import Array

__all__ = [
    "DistanceFit",
    "Fit",
    "FitTest",
    "RobustFit",
    "Traces",
    "adjusted_test",
    "assess_fit",
    "chi_square_p",
    "critical_n",
    "own_test",
    "robust_fit",
    "srmr",
]
OF_FIT = {criterion.key: criterion.of for criterion in SHEET if criterion.of is not None}


@dataclass(frozen=True)
class Fit:
    """The fit of one model: its test, what it is assessed by, and every statistic of the registry that follows from that, by key;
    None where one does not apply (a saturated model has nothing to test)."""

    ground: Ground
    values: dict[str, float | None]
    p_value: float | None
    rmsea_interval: tuple[float, float] | None
    critical_n_05: float | None
    critical_n_01: float | None

    def __getitem__(self, key: str) -> float | None:
        """A statistic by its key."""
        return self.values[key]

    @property
    def chi_square(self) -> float:
        """The test statistic."""
        return self.ground.chi_square

    @property
    def df(self) -> int:
        """Its degrees of freedom."""
        return self.ground.df


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


def assess_fit(ground: Ground) -> Fit:
    """Everything that follows from the test of a model and of its baseline."""
    t, df, n, multiplier = ground.chi_square, ground.df, ground.n, ground.multiplier
    tested = ground.tested
    return Fit(
        ground,
        {key: of(ground) for key, of in OF_FIT.items()},
        chi_square_p(t, df) if tested else None,
        rmsea_interval(t, df, multiplier / ground.groups) if tested else None,
        critical_n(0.05, t, df, n, multiplier) if tested else None,
        critical_n(0.01, t, df, n, multiplier) if tested else None,
    )


TestKind = Literal["plain", "mean-scaled", "mean-and-variance-adjusted", "scaled-shifted", "residual-based"]


@dataclass(frozen=True)
class RobustFit:
    """What CFI, TLI and RMSEA would be in normal data, from the scaling factors of model and baseline: RMSEA after Brosseau-Liard,
    Savalei & Li (2012), CFI and TLI after Brosseau-Liard & Savalei (2014)."""

    cfi: float
    tli: float | None
    rmsea: float


@dataclass(frozen=True)
class FitTest:
    """One test of a model: its statistic with df (which need not be whole) and p, the factor that it was divided by and the shift that was
    added, what follows from it and from its baseline, and, beside a mean-scaled one, what would be in normal data. `cfi` to `rmsea` are None
    where there is nothing to test."""

    kind: TestKind
    chi_square: float
    df: float
    p_value: float | None
    scaling_factor: float
    shift: float
    cfi: float | None
    tli: float | None
    rmsea: float | None
    robust: RobustFit | None = None


@dataclass(frozen=True)
class Traces:
    """What scales the test of one model (or of its baseline): t₁ = tr UΓ, and t₂ = tr[(UΓ)²] where it is known."""

    once: float
    squared: float | None = None


@dataclass(frozen=True)
class Adjustment:
    """How a statistic T with df is turned into another: T / factor + shift on other degrees of freedom."""

    factor: float
    shift: float
    df: float

    def of(self, statistic: float) -> float:
        """The statistic that T is turned into."""
        return statistic / self.factor + self.shift


def _mean_scaled(traces: Traces, df: int) -> Adjustment | None:
    """The right mean (Satorra & Bentler 1994; Yuan & Bentler 2000)."""
    return Adjustment(traces.once / df, 0.0, df)


def _mean_and_variance_adjusted(traces: Traces, df: int) -> Adjustment | None:
    """The right mean and variance by other degrees of freedom, t₁² / t₂ (Satorra & Bentler 1994)."""
    if traces.squared is None:
        return None
    return Adjustment(traces.squared / traces.once, 0.0, traces.once**2 / traces.squared)


def _scaled_shifted(traces: Traces, df: int) -> Adjustment | None:
    """The right mean and variance at the model's own degrees of freedom: aT + df − a·t₁ with a = √(df / t₂) (Asparouhov & Muthén 2010)."""
    if traces.squared is None:
        return None
    a = float(np.sqrt(df / traces.squared))
    return Adjustment(1 / a, df - a * traces.once, df)


ADJUSTMENTS: dict[TestKind, Callable[[Traces, int], Adjustment | None]] = {
    "mean-scaled": _mean_scaled,
    "mean-and-variance-adjusted": _mean_and_variance_adjusted,
    "scaled-shifted": _scaled_shifted,
}


def _relative(t: float, df: float, base: float, base_df: float) -> tuple[float | None, float | None]:
    """CFI (0–1) and TLI from statistics and what they should be (their df, or df times their scaling factor)."""
    excess, base_excess = max(t - df, 0.0), max(base - base_df, t - df, 0.0)
    cfi = 1 - excess / base_excess if base_excess > 0 else 1.0
    tli = 1 - (t - df) / df * base_df / (base - base_df) if base != base_df else None
    return cfi, tli


def adjusted_test(kind: TestKind, ground: Ground, model: Traces, baseline: Traces) -> FitTest | None:
    """A test of a model with df > 0 from the traces of model and baseline, which is adjusted in the same way; None where a trace that it
    needs is not known."""
    adjust = ADJUSTMENTS[kind]
    own, base = adjust(model, ground.df), adjust(baseline, ground.baseline_df)
    if own is None or base is None:
        return None
    t = own.of(ground.chi_square)
    per_df = own.df * ground.multiplier / ground.groups
    cfi, tli = _relative(t, own.df, base.of(ground.baseline), base.df)
    return FitTest(
        kind=kind,
        chi_square=t,
        df=own.df,
        p_value=chi_square_p(t, own.df),
        scaling_factor=own.factor,
        shift=own.shift,
        cfi=cfi,
        tli=tli,
        rmsea=float(np.sqrt(max(t - own.df, 0.0) / per_df)),
        robust=robust_fit(ground, model, baseline) if kind == "mean-scaled" else None,
    )


def own_test(kind: TestKind, fit: Fit) -> FitTest:
    """The estimator's own test, which is not adjusted."""
    return FitTest(kind, fit.chi_square, fit.df, fit.p_value, 1.0, 0.0, fit["cfi"], fit["tli"], fit["rmsea"])


def robust_fit(ground: Ground, model: Traces, baseline: Traces) -> RobustFit:
    """The statistics that estimate what the plain ones would be in normal data, from how much χ² exceeds what non-normality makes of
    it."""
    excess, base_excess = ground.chi_square - model.once, ground.baseline - baseline.once
    largest = max(base_excess, excess)
    return RobustFit(
        cfi=1 - max(excess, 0.0) / max(largest, 1e-300) if largest > 0 else 1.0,
        tli=1 - excess * ground.baseline_df / (base_excess * ground.df) if base_excess != 0 else None,
        rmsea=float(np.sqrt(max(excess, 0.0) / (ground.df * ground.multiplier / ground.groups))),
    )
