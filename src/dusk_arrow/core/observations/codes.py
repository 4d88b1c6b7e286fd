"""Numbers that stand for no answer, and what kind of answers a column of numbers holds."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.core.observations.steps import TreatAsMissing
from dusk_arrow.core.problems import Problem, Repair, listed

USUAL_CODES = (9999.0, 999.0, 998.0, 888.0, -99.0, 99.0, 98.0, 88.0, -9.0, 9.0, -8.0, -7.0, -1.0)  # farthest first


def number_level(values: Array) -> Level:
    """What a column of numbers (n,), nan where missing, seems to hold: answers on a scale, running numbers, or measurements."""
    present = values[~np.isnan(values)]
    whole = present.size > 0 and bool(np.all(present == np.round(present)))
    distinct = len(np.unique(present))
    if whole and distinct == present.size > 20 and bool(np.all(np.diff(values) == 1)):
        return "identifier"
    ordered = whole and 2 < distinct <= 11 and float(np.ptp(present)) <= 10
    return "ordered" if ordered else "number"


def proposed_codes(column: Column) -> list[float]:
    """Values that look like codes for missing: usual codes that stand apart from all other values of the column."""
    if column.numbers is None:
        return []
    values = np.unique(column.numbers[~np.isnan(column.numbers)])
    whole = bool(np.all(values == np.round(values)))
    if not whole or values.size < 3:
        return []
    found: list[float] = []
    for code in USUAL_CODES:
        if code not in values:
            continue
        others = values[~np.isin(values, [*found, code])]
        if others.size < 2:
            continue
        span = float(others[-1] - others[0])
        gap = float(code - others[-1]) if code > others[-1] else float(others[0] - code) if code < others[0] else 0.0
        if gap > 1 and (gap > span or (abs(code) in (9.0, 99.0, 999.0) and span <= 10 and gap >= 2)):
            found.append(code)
    return sorted(found)


def suspected_codes(data: DataSet) -> list[Problem]:
    """One problem for all columns in which the same values look like codes for missing, with one repair."""
    found: dict[tuple[float, ...], list[str]] = {}
    for column in data.columns:
        codes = tuple(proposed_codes(column))
        if codes:
            found.setdefault(codes, []).append(column.name)
    problems = []
    for codes, names in found.items():
        texts = tuple(f"{code:g}" for code in codes)
        where = names[0] if len(names) == 1 else f"{len(names)} columns"
        named = f" ({listed(names, 8)})" if len(names) > 1 else ""
        looks = "looks" if len(texts) == 1 else "look"
        message = f"{listed(texts)} in {where}{named} {looks} like missing: far from all other answers."
        words = f"Treat {listed(texts)} as missing" + (f" in all {len(names)} columns" if len(names) > 1 else "")
        repair = Repair(words, TreatAsMissing(tuple(names), texts))
        problems.append(Problem("missing_code_suspected", "warning", message, tuple(names), (repair,)))
    return problems
