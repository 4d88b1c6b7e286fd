"""What kind of mediation a direct and a total indirect effect make together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from dusk_arrow.core.problems import listed

MediationKind = Literal["complementary", "competitive", "indirect-only", "direct-only", "none"]
Bounds = tuple[float, float]


class Single(NamedTuple):
    """One route: the names of what it leads through, and its interval."""

    through: tuple[str, ...]
    interval: Bounds


@dataclass(frozen=True)
class Mediation:
    """The kind after Zhao, Lynch & Chen (2010) (None where the direct effect was not tested, which their rule asks for), the
    reason in words, and the share mediated where it has a meaning."""

    kind: MediationKind | None
    reason: str
    share_mediated: float | None


def excludes_zero(interval: Bounds) -> bool:
    """Whether an interval lies wholly on one side of zero."""
    return interval[0] > 0 or interval[1] < 0


def _routes(singles: Sequence[Single]) -> str:
    """What is said of single routes that exclude zero where the total indirect effect does not."""
    clear = [one for one in singles if excludes_zero(one.interval)]
    if not clear:
        return ""
    words = listed([f"the route through {listed(list(one.through))}" for one in clear])
    sides = {one.interval[0] > 0 for one in clear}
    if len(sides) > 1:
        return f"; {words} exclude zero each, but point opposite ways and cancel out"
    return f"; yet {words} {'excludes zero' if len(clear) == 1 else 'exclude zero each'}"


def classify(
    direct: float,
    direct_interval: Bounds | None,
    indirect: float,
    indirect_interval: Bounds,
    total_interval: Bounds | None,
    singles: Sequence[Single] = (),
) -> Mediation:
    """The kind of mediation, by the direct and the total indirect effect; where the direct effect was not tested, because it is not
    in the model or held (`direct_interval` None), there is no kind. A share has a meaning where there is mediation, direct and
    indirect effect point the same way and the total's interval excludes zero. `singles` are the routes, where there are several."""
    through = excludes_zero(indirect_interval)
    which = "the total indirect effect" if len(singles) > 1 else "the indirect effect"
    routes = "" if through else _routes(singles)
    if direct_interval is None:
        return Mediation(
            None, f"{which} {'excludes' if through else 'includes'} zero; direct effect not tested{routes}", None
        )
    straight = excludes_zero(direct_interval)
    whole = total_interval is not None and excludes_zero(total_interval)
    share = indirect / (direct + indirect) if through and direct * indirect > 0 and whole else None
    if through and straight:
        if direct * indirect > 0:
            return Mediation(
                "complementary", f"the direct effect and {which} both exclude zero and point the same way", share
            )
        return Mediation(
            "competitive", f"the direct effect and {which} both exclude zero and point opposite ways", None
        )
    if through:
        return Mediation("indirect-only", f"{which} excludes zero; the direct effect includes zero", share)
    if straight:
        return Mediation("direct-only", f"the direct effect excludes zero; {which} includes zero{routes}", None)
    return Mediation("none", f"the direct effect and {which} both include zero{routes}", None)
