"""Every way to estimate that the families declare: family, estimator and what is done about missing answers. A new family, estimator or
way with missing answers is among them by being declared."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from itertools import product
from typing import NamedTuple

import numpy as np

from dusk_arrow.core.family import Fitted
from dusk_arrow.core.family_options import FAMILY_OPTIONS
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.statistics import StatisticKey
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import THREE, cases, with_gaps

MODEL = THREE
UNIT_FREE = ("standardized", "standardized_effect", "r_squared", "composite_reliability", "ave", "htmt", "rho_a")


class Way(NamedTuple):
    """One way to estimate."""

    family: str
    estimator: str
    missing: str

    @property
    def words(self) -> str:
        return f"{self.family} {self.estimator} {self.missing}"

    def settings(self, **more: object) -> Settings:
        return Settings.model_validate({**self._asdict(), **more})

    @property
    def data(self) -> DataSet:
        return cases() if self.missing == "listwise" else with_gaps()


def _values(family: int, name: str) -> list[str]:
    option = FAMILY_OPTIONS[family].option(name)
    return [choice.value for choice in option.choices] if option else [""]


DECLARED = [
    Way(FAMILY_OPTIONS[i].key, *values)
    for i in range(len(FAMILY_OPTIONS))
    for values in product(_values(i, "estimator"), _values(i, "missing"))
]


def analysis(way: Way, data: DataSet | None = None, text: str = MODEL, **more: object) -> Analysis:
    """An analysis in one of the ways."""
    return analyse(parse(text), way.data if data is None else data, way.settings(**more))


@cache
def usual(way: Way) -> Analysis:
    """The analysis as it is, with a task of resamples that was not worked off beyond a few."""
    return analysis(way, bootstrap=4)


WAYS = [way for way in DECLARED if usual(way).outcome == "estimated"]
REFUSED = [way for way in DECLARED if usual(way).outcome != "estimated"]


def statistics(found: Analysis, chosen: tuple[str, ...] = ()) -> dict[StatisticKey, float]:
    """Its statistics by key, of some kinds or all."""
    fitted = fitted_of(found)
    pairs = zip(fitted.statistics.keys, fitted.statistics.values.tolist(), strict=True)
    return {key: value for key, value in pairs if not chosen or key.statistic in chosen}


def fitted_of(found: Analysis) -> Fitted:
    """What was estimated."""
    assert found.fitted is not None, found.problems
    return found.fitted


def with_rows(data: DataSet, rows: np.ndarray) -> DataSet:
    """Some cases, some of them several times."""
    columns = (c if c.numbers is None else replace(c, numbers=c.numbers[rows]) for c in data.columns)
    return replace(data, columns=tuple(columns))


def same(one: dict[StatisticKey, float], other: dict[StatisticKey, float], tolerance: float) -> None:
    """The same statistics with the same values."""
    assert set(one) == set(other)
    keys = list(one)
    np.testing.assert_allclose(
        [other[key] for key in keys], [one[key] for key in keys], rtol=tolerance, atol=tolerance, equal_nan=True
    )
