"""What follows from several effects of one pair: routes against each other, and the share that is mediated."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from dusk_arrow.core.effects.routes import Effect

MOST_ROUTES = 8


def contrasts(effects: Sequence[Effect]) -> list[tuple[int, int]]:
    """The positions of any two routes (the direct one among them) of one pair; of pairs with more than eight routes none."""
    by_pair: dict[tuple[str, str], list[int]] = {}
    for at, effect in enumerate(effects):
        if effect.via is not None:
            by_pair.setdefault((effect.source, effect.target), []).append(at)
    return [pair for own in by_pair.values() if len(own) <= MOST_ROUTES for pair in combinations(own, 2)]


def mediated_shares(effects: Sequence[Effect]) -> list[tuple[int, int]]:
    """The positions of the total indirect and the total effect of every pair that has a direct one beside them."""
    at = {(e.source, e.target, e.kind): i for i, e in enumerate(effects) if e.kind != "specific indirect"}
    return [
        (i, at[source, target, "total"])
        for (source, target, kind), i in at.items()
        if kind == "total indirect" and (source, target, "direct") in at
    ]
