"""The picture of one mediation: what lies between a source and an outcome, with what the routes come to."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

from dusk_arrow.core.specification.model import Construct, Model
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.results.document import EffectPart, Results

MOST_SAID = 6


def between(model: Model, results: Results, pair: tuple[str, str]) -> Model:
    """The part of a model that lies on the routes of a pair, without indicators. Raises ValueError where there is no route."""
    own = _effects(results, pair)
    routes = [[effect.from_, *effect.via, effect.to] for effect in own if effect.via is not None]
    links = {link for route in routes for link in pairwise(route)}
    if not links:
        links = _reached(model, pair) if own else set()  # paths in a circle: there are totals alone
    if not links:
        raise ValueError(f"no route leads from {pair[0]} to {pair[1]}")
    names = {name for link in links for name in link}
    constructs = tuple(Construct(c.name, c.mode, ()) for c in model.constructs if c.name in names)
    paths = tuple(path for path in model.paths if path in links)
    return replace(model, constructs=constructs, paths=paths, covariances=(), no_covariances=())


def _reached(model: Model, pair: tuple[str, str]) -> set[tuple[str, str]]:
    """The paths that can be on the way from one variable of a pair to the other."""

    def spread(start: str, links: list[tuple[str, str]]) -> set[str]:
        found, grown = {start}, True
        while grown:
            more = {b for a, b in links if a in found} - found
            found, grown = found | more, bool(more)
        return found

    after = spread(pair[0], list(model.paths))
    before = spread(pair[1], [(b, a) for a, b in model.paths])
    return {(a, b) for a, b in model.paths if a in after and b in before}


def words(model: Model, part: Model, results: Results, pair: tuple[str, str], options: FigureOptions) -> str:
    """The effects of a pair in a sentence: direct, by route, all indirect and in total, with their intervals; and
    which predictors of what is drawn are in the model but not in this part of it."""
    said = []
    own = _effects(results, pair)
    all_pairs = {(effect.from_, effect.to) for effect in results.effects}
    circular = any((target, source) in all_pairs for source, target in all_pairs)  # then an effect takes no one route
    many = sum(effect.kind == "specific indirect" for effect in own) > MOST_SAID
    for effect in own:
        if effect.kind == "specific indirect" and (many or circular):
            continue
        name = {"direct": "direct", "total indirect": "all indirect", "total": "in total"}.get(effect.kind)
        name = name or f"through {' and '.join(effect.via or [])}"
        read_as = options.reading(effect)
        said.append(f"{name} {options.number(read_as.value)} {options.range(read_as.bounds)}".rstrip())
    inside = {name for path in part.paths for name in path}
    held = [a for a, b in model.paths if b in inside and a not in inside]
    also = f" Held constant and not drawn: {', '.join(dict.fromkeys(held))}." if held else ""
    return f"{pair[0]} on {pair[1]}: {'; '.join(said)}.{also}"


def _effects(results: Results, pair: tuple[str, str]) -> list[EffectPart]:
    return [effect for effect in results.effects if (effect.from_, effect.to) == pair]
