"""The values of effects: products of coefficients along routes, and sums over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.effects.routes import Effect

Numbers = NDArray[Any]


def effect_values(effects: Sequence[Effect], names: Sequence[str], paths: Numbers) -> Numbers:
    """Effects (…, e) from the coefficients of paths between named variables (…, m, m), rows being outcomes; totals from
    (I−B)⁻¹ (Bollen 1987)."""
    at = {name: i for i, name in enumerate(names)}
    total = np.linalg.inv(np.eye(paths.shape[-1]) - paths)
    result = np.zeros((*paths.shape[:-2], len(effects)), dtype=paths.dtype)
    for column, effect in enumerate(effects):
        row, source = at[effect.target], at[effect.source]
        if effect.via is None:
            result[..., column] = total[..., row, source]
            if effect.kind == "total indirect":
                result[..., column] = result[..., column] - paths[..., row, source]
        else:
            result[..., column] = along(effect.route, at, paths)
    return result


def along(route: Sequence[str], at: dict[str, int], paths: Numbers) -> Numbers:
    """The product (…) of the coefficients along a route."""
    product: Numbers = np.ones(paths.shape[:-2], dtype=paths.dtype)
    for start, end in pairwise(route):
        product = product * paths[..., at[end], at[start]]
    return product
