"""A statistic: what it is, how it is computed, where it comes from, and where its cut-offs do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

Verdict = Literal["meets", "borderline", "misses", "none"]
Page = Literal["fit", "further fit", "quality", "composites", "estimates"]
About = Literal["model", "parameter", "effect", "quantity", "variable", "construct", "pair", "antecedent", "indicator"]
Form = Literal["share", "plain", "count", "p"]
Listing = Literal["readout", "trail", "note", "table", "beside", "models", "words", "brief", "what_if"]
"""Where a statistic of the whole model may stand: among the readout's, on the trail, in a figure's note, in the report's table of fit,
in columns that set halves, or models of the same data, beside each other, in the report's sentences, and among the few that everybody looks at."""


@dataclass(frozen=True)
class Ground:
    """What the fit of a whole model is assessed by: the statistic T with its df and that of the baseline, q parameters, n cases, the
    multiplier by which T is F, how many groups, moments of second order and logL of the model and of the saturated model (None
    without a likelihood), and the alpha that was chosen for critical n. SRMR and GFI are None where they do not apply."""

    chi_square: float
    df: int
    baseline: float
    baseline_df: int
    n_parameters: int
    n: int
    multiplier: float
    srmr: float | None
    gfi: float | None
    n_second_order: int
    likelihoods: tuple[float, float] | None
    groups: int = 1

    @property
    def tested(self) -> bool:
        """Whether there is anything to test."""
        return self.df > 0


@dataclass(frozen=True)
class Criterion:
    """A statistic: what it is, how it is computed, which way is better, and where good and tolerable begin.

    `about` says of what there is one; `zero` whether zero is a hypothesis about it, so that a bootstrap has a p-value.
    `good` and `tolerable` are bounds; `better` says on which side of them a value must lie, on them too unless `strict`.
    Statistics without a verdict have None for both. Of an AVE what is tolerable may hang on the composite reliability beside it: it
    has to lie above `if_reliable`. `source` is of the statistic, `cut_off_source` of its cut-offs.
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
    about: About = "model"
    zero: bool = False
    if_reliable: float | None = None
    form: Form = "share"
    decimals: int = 3
    lists: frozenset[Listing] = frozenset()
    printed_as: tuple[str, ...] = ()
    of_same_data: bool = False
    of: Callable[[Ground], float | None] | None = None

    def judge(self, value: float | None, reliability: float | None = None) -> Verdict:
        """The verdict on an unrounded value, with the composite reliability beside it where that matters."""
        if value is None or self.good is None or self.better == "none":
            return "none"
        if self._within(value, self.good):
            return "meets"
        allowed = self.if_reliable is None or (reliability is not None and reliability > self.if_reliable)
        if allowed and self.tolerable is not None and self._within(value, self.tolerable):
            return "borderline"
        return "misses"

    def _within(self, value: float, bound: float) -> bool:
        sign = 1 if self.better == "higher" else -1
        return sign * value > sign * bound or (value == bound and not self.strict)
