"""Tracked quantities: expressions of named parameters, or products along a route."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.effects.values import along
from dusk_arrow.core.specification.statements import Binary, Expression, Negative, Number, Reference

Numbers = NDArray[Any]
Quantity = tuple[str, ...] | Expression


def tracked_values(
    tracked: Mapping[str, Quantity], named: Mapping[str, Numbers], names: Sequence[str], paths: Numbers
) -> Numbers:
    """Tracked quantities (…, t) from the values (…) of named parameters and coefficients of paths (…, m, m); a quantity may
    use those before it."""
    known = dict(named)
    at = {name: i for i, name in enumerate(names)}
    lead = paths.shape[:-2]
    result = np.zeros((*lead, len(tracked)), dtype=paths.dtype)
    for column, (name, quantity) in enumerate(tracked.items()):
        found = along(quantity, at, paths) if isinstance(quantity, tuple) else _evaluate(quantity, known)
        result[..., column] = known[name] = np.broadcast_to(found, lead)
    return result


def _evaluate(expression: Expression, known: Mapping[str, Numbers]) -> Numbers:
    match expression:
        case Number(value):
            return np.asarray(value)
        case Reference(name):
            return known[name]
        case Negative(operand):
            return -_evaluate(operand, known)
        case Binary(operator, left, right):
            a, b = _evaluate(left, known), _evaluate(right, known)
            if operator == "+":
                return a + b
            if operator == "-":
                return a - b
            if operator == "*":
                return a * b
            with np.errstate(divide="ignore", invalid="ignore"):
                result: Numbers = a / b
            return np.where(np.isfinite(result), result, np.nan)
