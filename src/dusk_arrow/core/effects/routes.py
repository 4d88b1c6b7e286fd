"""Directed routes between variables, and the effects along them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

EffectKind = Literal["direct", "specific indirect", "total indirect", "total"]
MOST_ROUTES = 2000
MOST_STEPS = 50_000


@dataclass(frozen=True)
class Effect:
    """One effect: of a pair, along one route (`via` its stations between) or in total (`via` None)."""

    source: str
    target: str
    kind: EffectKind
    via: tuple[str, ...] | None

    @property
    def route(self) -> tuple[str, ...]:
        """All stations from source to target, for effects along one route."""
        return (self.source, *(self.via or ()), self.target)


def routes(
    paths: tuple[tuple[str, str], ...], source: str, target: str, most: int = MOST_ROUTES
) -> list[tuple[str, ...]]:
    """Every directed route without repeated stations, the direct one first, then shorter before longer."""
    onward: dict[str, list[str]] = {}
    for start, end in paths:
        onward.setdefault(start, []).append(end)
    found: list[tuple[str, ...]] = []
    leads = leading_to(paths, target)
    open_routes: list[tuple[str, ...]] = [(source,)]
    for _ in range(MOST_STEPS):
        if not open_routes or len(found) >= most:
            break
        route = open_routes.pop()
        for station in reversed(onward.get(route[-1], [])):
            if station == target:
                found.append((*route, station))
            elif station in leads and station not in route:
                open_routes.append((*route, station))
    return sorted(found, key=len)


def leading_to(paths: tuple[tuple[str, str], ...], target: str) -> set[str]:
    """Everything from which the target can be reached; a route through anything else would lead nowhere."""
    back: dict[str, list[str]] = {}
    for start, end in paths:
        back.setdefault(end, []).append(start)
    found: set[str] = set()
    open_ = [target]
    while open_:
        for station in back.get(open_.pop(), []):
            if station not in found:
                found.add(station)
                open_.append(station)
    return found


def list_effects(paths: tuple[tuple[str, str], ...], names: tuple[str, ...]) -> tuple[list[Effect], bool]:
    """Every effect of every ordered pair that a route connects, and whether all routes are listed.

    A pair has a direct effect where there is a path, one specific indirect effect per route through others,
    a total indirect effect where there is such a route, and a total effect. Beyond 2,000 specific indirect
    effects in all, further pairs keep their totals only.
    """
    effects: list[Effect] = []
    complete, counted = True, 0
    for source in names:
        for target in names:
            if source == target:
                continue
            left = max(MOST_ROUTES - counted, 1)
            found = routes(paths, source, target, left + 1)
            if not found:
                continue
            if (source, target) in paths:
                effects.append(Effect(source, target, "direct", ()))
            indirect = [route for route in found if len(route) > 2]
            if indirect and (len(indirect) > left or counted >= MOST_ROUTES):
                complete = False
            else:
                counted += len(indirect)
                effects += [Effect(source, target, "specific indirect", route[1:-1]) for route in indirect]
            if indirect:
                effects.append(Effect(source, target, "total indirect", None))
            effects.append(Effect(source, target, "total", None))
    return effects, complete
