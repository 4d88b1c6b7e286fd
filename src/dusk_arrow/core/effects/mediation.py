"""What kind of mediation a direct and a total indirect effect make together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

MediationKind = Literal["complementary", "competitive", "indirect-only", "direct-only", "none"]


@dataclass(frozen=True)
class Mediation:
    """The kind after Zhao, Lynch & Chen (2010), the reason in words, and the share mediated where it has a meaning."""

    kind: MediationKind
    reason: str
    share_mediated: float | None


def excludes_zero(interval: tuple[float, float]) -> bool:
    """Whether an interval lies wholly on one side of zero."""
    return interval[0] > 0 or interval[1] < 0


def classify(
    direct: float,
    direct_interval: tuple[float, float] | None,
    indirect: float,
    indirect_interval: tuple[float, float],
    total_interval: tuple[float, float] | None,
) -> Mediation:
    """The kind of mediation; without a direct path in the model (`direct_interval` None) there is no direct effect. A share
    has a meaning where direct and indirect effect point the same way and the total's interval excludes zero."""
    through = excludes_zero(indirect_interval)
    straight = direct_interval is not None and excludes_zero(direct_interval)
    whole = total_interval is not None and excludes_zero(total_interval)
    share = indirect / (direct + indirect) if direct_interval is not None and direct * indirect > 0 and whole else None
    if through and straight:
        if direct * indirect > 0:
            return Mediation(
                "complementary", "direct and indirect effect both exclude zero and point the same way", share
            )
        return Mediation("competitive", "direct and indirect effect both exclude zero and point opposite ways", None)
    if through:
        why = "includes zero" if direct_interval is not None else "is not in the model"
        return Mediation("indirect-only", f"the indirect effect excludes zero; the direct effect {why}", share)
    if straight:
        return Mediation("direct-only", "the direct effect excludes zero; the indirect effect includes zero", share)
    why = "both include zero" if direct_interval is not None else "the indirect effect includes zero"
    return Mediation("none", f"{'direct and indirect effect ' if direct_interval else ''}{why}", share)
