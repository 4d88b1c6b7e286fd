"""Global fit of a covariance structure: what follows from its test, and further tests. Sources are in docs/methods and in the registry
of statistics.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import chndtr, chndtrinc

from dusk_arrow.core.assessment.criteria import SHEET
from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.criteria.fit import chi_square_p, critical_n
from dusk_arrow.core.linear_algebra import Array

__all__ = ["DistanceFit", "Fit", "FitTest", "assess_fit", "chi_square_p", "critical_n", "scaled_test", "srmr"]
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
class FitTest:
    """One test of a model: its statistic with df and p, the factor that it was divided by and the shift that was added, what follows
    from it and from its baseline, and robust statistics that estimate what the plain ones would be in normal data."""

    kind: TestKind
    chi_square: float
    df: float
    p_value: float
    scaling_factor: float
    shift: float
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


def scaled_test(ground: Ground, factor: float, baseline_factor: float) -> FitTest:
    """The mean-scaled test of a model with df > 0, with robust RMSEA (Brosseau-Liard, Savalei & Li 2012), CFI and TLI
    (Brosseau-Liard & Savalei 2014)."""
    t, df, base_df = ground.chi_square / factor, ground.df, ground.baseline_df
    cfi, tli = _relative(t, df, ground.baseline / baseline_factor, base_df)
    excess = ground.chi_square - factor * df
    base_excess = ground.baseline - baseline_factor * base_df
    robust_cfi = 1 - max(excess, 0.0) / max(base_excess, excess, 1e-300) if max(base_excess, excess) > 0 else 1.0
    robust_tli = 1 - excess * base_df / (base_excess * df) if base_excess != 0 else None
    per_df = df * ground.multiplier / ground.groups
    return FitTest(
        kind="mean-scaled",
        chi_square=t,
        df=df,
        p_value=chi_square_p(t, df),
        scaling_factor=factor,
        shift=0.0,
        cfi=cfi,
        tli=tli,
        rmsea=float(np.sqrt(max(t - df, 0.0) / per_df)),
        robust_cfi=robust_cfi,
        robust_tli=robust_tli,
        robust_rmsea=float(np.sqrt(max(excess, 0.0) / per_df)),
    )
