"""Statistics by name: a batch of them is one array whose columns are found by key, whatever they are about.

The same keys serve the full sample (a batch of one), its errors, and its resamples, so that whatever can be reported can
be bootstrapped without further code. A family says of each statistic what there is of it and how it is computed in one
place (`Formula`), so that names and values cannot be out of step.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Any, Generic, Literal, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.criteria import BY_KEY
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.linear_algebra import Array, beside
from dusk_arrow.core.parameter_key import ParameterKey

Numbers = NDArray[Any]
StatisticName = Literal[
    "estimate",
    "standardized",
    "effect",
    "standardized_effect",
    "tracked",
    "r_squared",
    "composite_reliability",
    "ave",
    "alpha",
    "htmt",
    "vif_antecedents",
    "f_squared",
    "rho_a",
    "r_squared_adjusted",
    "htmt_signed",
    "htmt2",
    "vif_full",
    "vif_indicators",
]
About = ParameterKey | Effect | tuple[str, ...]


@dataclass(frozen=True)
class StatisticKey:
    """One statistic: which, of what (a parameter, an effect, or names: of a construct, a pair, an outcome and its antecedent), and
    in which group, None where there are no groups."""

    statistic: StatisticName
    about: About
    group: str | None = None


@dataclass(frozen=True)
class Statistics:
    """Statistics (…, f) under their keys (f,); nan where one does not apply."""

    keys: tuple[StatisticKey, ...]
    values: Numbers

    @cached_property
    def place(self) -> dict[StatisticKey, int]:
        """The column of every key."""
        return {key: at for at, key in enumerate(self.keys)}

    @cached_property
    def columns(self) -> dict[StatisticName, list[int]]:
        """The columns of every statistic."""
        found: dict[StatisticName, list[int]] = {}
        for at, key in enumerate(self.keys):
            found.setdefault(key.statistic, []).append(at)
        return found

    def of(self, statistic: StatisticName) -> Numbers:
        """All columns of one statistic (…, k), in order."""
        found: Numbers = self.values[..., self.columns.get(statistic, [])]
        return found

    def about(self, statistic: StatisticName) -> list[StatisticKey]:
        """What there is of one statistic, in order."""
        return [self.keys[at] for at in self.columns.get(statistic, [])]

    def value(self, statistic: StatisticName, *about: str | ParameterKey | Effect, group: str | None = None) -> float:
        """One statistic of a single sample; nan where there is none. A parameter says itself in which group it is."""
        first = about[0] if about and not isinstance(about[0], str) else about
        own = first.group if isinstance(first, ParameterKey) else group
        at = self.place.get(StatisticKey(statistic, first, own))  # type: ignore[arg-type]
        return float("nan") if at is None else float(self.values[at])


class Asks(Protocol):
    """What is asked of one group's model."""

    @property
    def group(self) -> str | None:
        """The group, None where there are no groups."""


A = TypeVar("A", bound=Asks)
B = TypeVar("B")


@dataclass(frozen=True)
class Formula(Generic[A, B]):
    """How a family computes one statistic: what there is of it in a model that is asked about (k of them), and their values
    (…, k) in a batch."""

    statistic: StatisticName
    about: Callable[[A], Sequence[About]]
    values: Callable[[B], Numbers]


def keys_of(formulas: Sequence[Formula[A, B]], asked: A) -> tuple[StatisticKey, ...]:
    """The keys of all statistics of one group, in the order of the formulas."""
    return tuple(StatisticKey(one.statistic, about, asked.group) for one in formulas for about in one.about(asked))


def computed(formulas: Sequence[Formula[A, B]], asked: A, batch: B, lead: tuple[int, ...]) -> Statistics:
    """All statistics of one group in a batch of shape `lead`. Raises ValueError where a formula's values are not as many as what
    there is of it."""
    keys, columns = [], []
    for one in formulas:
        about = one.about(asked)
        if not about:
            continue
        values = one.values(batch)
        if values.shape[-1] != len(about):
            raise ValueError(f"{one.statistic}: {values.shape[-1]} values of {len(about)}")
        keys += [StatisticKey(one.statistic, what, asked.group) for what in about]
        columns.append(np.broadcast_to(values, (*lead, values.shape[-1])))
    return Statistics(tuple(keys), beside(columns) if columns else np.zeros((*lead, 0)))


def side_by_side(parts: Sequence[Statistics]) -> Statistics:
    """Several sets of statistics as one, with the leading shape of the widest."""
    if len(parts) == 1:
        return parts[0]
    lead = np.broadcast_shapes(*(part.values.shape[:-1] for part in parts))
    values = [np.broadcast_to(part.values, (*lead, part.values.shape[-1])) for part in parts]
    return Statistics(tuple(key for part in parts for key in part.keys), beside(values))


def alone(names: Iterable[str]) -> list[tuple[str]]:
    """Statistics that are about one name each."""
    return [(name,) for name in names]


def pairs_of(names: Iterable[str]) -> tuple[tuple[str, ...], ...]:
    """Any two names."""
    return tuple(combinations(names, 2))


def outcomes_with(antecedents: Iterable[tuple[str, Iterable[str]]]) -> tuple[tuple[str, ...], ...]:
    """Every outcome with each of its antecedents."""
    return tuple((outcome, name) for outcome, names in antecedents for name in names)


def of_antecedents(
    statistic: Callable[[Array, int, list[int]], Array],
    covariance: Array,
    antecedents: Iterable[tuple[str, Iterable[str]]],
    at: Mapping[str, int],
) -> Array:
    """A statistic of each outcome's antecedents from covariances (…, m, m), side by side in the order of `outcomes_with`."""
    found = [statistic(covariance, at[outcome], [at[name] for name in names]) for outcome, names in antecedents]
    return np.concatenate(found, axis=-1)


def against_zero(keys: tuple[StatisticKey, ...]) -> Array:
    """For which statistics zero is a hypothesis (f,)."""
    return np.array([BY_KEY[key.statistic].zero for key in keys], dtype=bool)
