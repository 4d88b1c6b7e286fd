"""Figures by name: a batch of them is one array whose columns are found by key, whatever they are about.

The same keys serve the full sample (a batch of one), its errors, and its resamples, so that whatever can be reported can
be bootstrapped without further code.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.criteria import BY_KEY
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.linear_algebra import Array, beside
from dusk_arrow.core.parameter_key import ParameterKey

Numbers = NDArray[Any]
FigureName = Literal[
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


@dataclass(frozen=True)
class FigureKey:
    """One figure: which, and of what (a parameter, an effect, or names: of a construct, a pair, an outcome and its
    antecedent)."""

    figure: FigureName
    about: ParameterKey | Effect | tuple[str, ...]


@dataclass(frozen=True)
class Figures:
    """Figures (…, f) under their keys (f,); nan where one does not apply."""

    keys: tuple[FigureKey, ...]
    values: Numbers

    @cached_property
    def place(self) -> dict[FigureKey, int]:
        """The column of every key."""
        return {key: at for at, key in enumerate(self.keys)}

    @cached_property
    def columns(self) -> dict[FigureName, list[int]]:
        """The columns of every figure."""
        found: dict[FigureName, list[int]] = {}
        for at, key in enumerate(self.keys):
            found.setdefault(key.figure, []).append(at)
        return found

    def of(self, figure: FigureName) -> Numbers:
        """All columns of one figure (…, k), in order."""
        found: Numbers = self.values[..., self.columns.get(figure, [])]
        return found

    def value(self, figure: FigureName, *about: str | ParameterKey | Effect) -> float:
        """One figure of a single sample; nan where there is none."""
        first = about[0] if about and not isinstance(about[0], str) else about
        at = self.place.get(FigureKey(figure, first))  # type: ignore[arg-type]
        return float("nan") if at is None else float(self.values[at])


def side_by_side(parts: list[Figures]) -> Figures:
    """Several sets of figures as one, with the leading shape of the widest."""
    lead = np.broadcast_shapes(*(part.values.shape[:-1] for part in parts))
    values = [np.broadcast_to(part.values, (*lead, part.values.shape[-1])) for part in parts]
    return Figures(tuple(key for part in parts for key in part.keys), beside(values))


def against_zero(keys: tuple[FigureKey, ...]) -> Array:
    """For which figures zero is a hypothesis (f,)."""
    return np.array([BY_KEY[key.figure].zero for key in keys], dtype=bool)
