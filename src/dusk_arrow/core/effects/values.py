"""The values of effects: products of coefficients along routes, and sums over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.linear_algebra import resolvent, steps_of

Numbers = NDArray[Any]


class Walk(NamedTuple):
    """Effects of one kind: their columns (r,), the positions of the stations of their routes (r, l), and for effects along
    all routes whether the direct one is left out (r,)."""

    columns: list[int]
    stations: NDArray[np.intp]
    less_direct: NDArray[np.bool_] | None


def plan_walks(effects: Sequence[Effect], names: Sequence[str]) -> list[Walk]:
    """Effects sorted by the length of their routes, so that those of one length are computed at once."""
    at = {name: i for i, name in enumerate(names)}
    by_length: dict[int, list[int]] = {}  # −1 for all routes together
    for column, effect in enumerate(effects):
        by_length.setdefault(-1 if effect.via is None else len(effect.via), []).append(column)
    walks = []
    for length, columns in by_length.items():
        stations = np.array([[at[name] for name in effects[column].route] for column in columns], dtype=np.intp)
        direct = np.array([effects[column].kind == "total indirect" for column in columns]) if length < 0 else None
        walks.append(Walk(columns, stations, direct))
    return walks


def effect_values(walks: Sequence[Walk], paths: Numbers) -> Numbers:
    """Effects (…, e) from the coefficients of paths between variables (…, m, m), rows being outcomes; totals from (I−B)⁻¹
    (Bollen 1987)."""
    if not walks:
        return np.zeros((*paths.shape[:-2], 0), dtype=paths.dtype)
    whole = resolvent(paths, steps_of((paths != 0).reshape(-1, *paths.shape[-2:]).any(axis=0)))
    result = np.zeros((*paths.shape[:-2], sum(len(walk.columns) for walk in walks)), dtype=paths.dtype)
    for columns, stations, less_direct in walks:
        if less_direct is None:
            result[..., columns] = _products(stations, paths)
        else:
            sources, targets = stations[:, 0], stations[:, -1]
            result[..., columns] = whole[..., targets, sources] - less_direct * paths[..., targets, sources]
    return result


def _products(stations: NDArray[np.intp], paths: Numbers) -> Numbers:
    """Products (…, r) along routes of one length, given by the positions of their stations (r, l)."""
    product = np.ones((*paths.shape[:-2], stations.shape[0]), dtype=paths.dtype)
    for step in range(stations.shape[1] - 1):
        product *= paths[..., stations[:, step + 1], stations[:, step]]
    return product


def along(route: Sequence[str], at: dict[str, int], paths: Numbers) -> Numbers:
    """The product (…) of the coefficients along a route."""
    return _products(np.array([[at[name] for name in route]], dtype=np.intp), paths)[..., 0]
