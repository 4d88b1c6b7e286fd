"""A figure: what it is, how it is computed, where it comes from, and where its cut-offs do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Verdict = Literal["meets", "borderline", "misses", "none"]
Page = Literal["fit", "further fit", "quality", "composites", "estimates"]
About = Literal["model", "parameter", "effect", "quantity", "variable", "construct", "pair", "antecedent", "indicator"]


@dataclass(frozen=True)
class Criterion:
    """A figure: what it is, how it is computed, which way is better, and where good and tolerable begin.

    `about` says of what there is one; `zero` whether zero is a hypothesis about it, so that a bootstrap has a p-value.
    `good` and `tolerable` are bounds; `better` says on which side of them a value must lie, on them too unless `strict`.
    Figures without a verdict have None for both. Of an AVE what is tolerable may hang on the composite reliability beside it: it
    has to lie above `if_reliable`. `source` is of the figure, `cut_off_source` of its cut-offs.
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

    def judge(self, value: float | None, reliability: float | None = None) -> Verdict:
        """The verdict on an unrounded figure, with the composite reliability beside it where that matters."""
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
