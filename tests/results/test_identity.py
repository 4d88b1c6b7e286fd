"""One identity of an analysis: whatever a document reads is in it, so that no analysis is shown with another's numbers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.identity import digest_of
from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.observations.evidence import identity
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.results import identity as identities
from dusk_arrow.results.chosen import OF_RUN
from dusk_arrow.results.identity import identity_of
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data

RNG = np.random.default_rng(4)
TEXTS = np.array(["hill", "shore", None, "hill"], dtype=object)
DATA = DataSet(
    "survey",
    (
        Column("a", "number", RNG.normal(size=4), None, "first", {"1": "no"}),
        Column("b", "ordered", RNG.normal(size=4)),
        Column("t", "category", None, TEXTS),
    ),
    (1, 2, 4, 5),
    None,
    {"b": 8.0},
)
MATRIX = Moments("paper", ("a", "b"), np.array([[2.0, 0.5], [0.5, 1.0]]), 90, 1, np.array([3.0, 4.0]))
TEXT = "a leads to b"


def of(source: Source = DATA, text: str = TEXT, **settings: Any) -> str:
    return identity_of(source.name, source.fingerprint(), text, Settings(**settings))


def column(at: int, **values: Any) -> DataSet:
    """The data with one field of one column changed."""
    columns = list(DATA.columns)
    columns[at] = replace(columns[at], **values)
    return replace(DATA, columns=tuple(columns))


COLUMN: dict[str, DataSet] = {
    "name": column(0, name="c"),
    "level": column(1, level="number"),
    "numbers": column(0, numbers=DATA.columns[0].numbers + 1e-12),
    "texts": column(2, texts=np.array(["hill", "shore", "hill", None], dtype=object)),
    "label": column(0, label="another"),
    "value_labels": column(0, value_labels={"1": "yes"}),
}
SET: dict[str, DataSet] = {
    "name": replace(DATA, name="another"),
    "columns": replace(DATA, columns=DATA.columns[:2]),
    "cases": replace(DATA, cases=(1, 2, 3, 4)),
    "weight": replace(DATA, weight="a"),
    "turned": replace(DATA, turned={"b": 7.0}),
}
MATRICES: dict[str, Moments] = {
    "name": replace(MATRIX, name="another"),
    "names": replace(MATRIX, names=("b", "a")),
    "covariance": replace(MATRIX, covariance=MATRIX.covariance + 1e-12),
    "n": replace(MATRIX, n=91),
    "divisor_offset": replace(MATRIX, divisor_offset=0),
    "means": replace(MATRIX, means=np.array([3.0, 4.1])),
    "correlations": replace(MATRIX, correlations=True),
}
SETTINGS: dict[str, Any] = {
    "family": "composite", "part": "measurement", "estimator": "gls", "scaling": "unit-variance", "divisor": "n-1", "errors": "sandwich",
    "missing": "mean", "scheme": "centroid", "second_order": "repeated", "signs": "full-sample", "means": True, "global_items": {"A": "b"},
    "bootstrap": 500, "seed": 2, "interval": "bca", "bollen_stine": True, "level": 0.9,
}  # fmt: skip


def test_every_field_has_a_case() -> None:
    """Whoever adds a field to data or settings is asked here what another value of it is."""
    for kind, cases in ((Column, COLUMN), (DataSet, SET), (Moments, MATRICES)):
        assert {field.name for field in fields(kind)} == set(cases)
    assert set(Settings.model_fields) == set(SETTINGS)


@pytest.mark.parametrize("changed", [*COLUMN.values(), *SET.values()], ids=[*COLUMN, *(f"set {name}" for name in SET)])
def test_another_identity_for_other_data(changed: DataSet) -> None:
    """A changed label, level, case number or answer is another analysis: its performance or its wordings would be old."""
    assert of(changed) != of()


@pytest.mark.parametrize("changed", MATRICES.values(), ids=MATRICES)
def test_another_identity_for_another_matrix(changed: Moments) -> None:
    """Two projects with one matrix and other means have other intercepts."""
    assert of(changed) != of(MATRIX)


@pytest.mark.parametrize("name", SETTINGS)
def test_another_identity_for_other_settings(name: str) -> None:
    """A setting that is not in the identity shows yesterday's numbers after it was changed."""
    assert of(**{name: SETTINGS[name]}) != of()
    kept = Settings(**{name: SETTINGS[name]}).of_estimation() == Settings().of_estimation()
    assert kept == (name in OF_RUN), "a run answers for every setting but those of its resamples"


def test_another_identity_for_other_sentences_and_numbers(monkeypatch: pytest.MonkeyPatch) -> None:
    """What was said, and by which version it was computed, counts as well."""
    before = of()
    assert of(text=TEXT + "  # why") != before
    monkeypatch.setattr(identities, "NUMBERS", identities.NUMBERS + 1)
    assert of() != before


def test_the_same_is_the_same() -> None:
    """What is equal is answered from the record: −0 is 0, a gap is a gap, the order of labels says nothing."""
    again = column(1, value_labels={"1": "no", "2": "yes"})
    assert of(column(1, value_labels={"2": "yes", "1": "no"})) == of(again)
    zero = column(0, numbers=np.array([0.0, np.nan, 1.0, 2.0]))
    minus = column(0, numbers=np.array([-0.0, -np.nan, 1.0, 2.0]))
    assert of(zero) == of(minus)
    assert of(global_items={"A": "x", "B": "y"}) == of(global_items={"B": "y", "A": "x"})


VALUES = st.recursive(
    st.none() | st.booleans() | st.text(max_size=4) | st.floats(allow_nan=False),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=8,
)


@given(VALUES, VALUES)
def test_different_values_never_spell_alike(one: Any, other: Any) -> None:
    """Names are chosen by users: no name may be read as another name with a value behind it."""
    same = repr(one) == repr(other) or (one == other and isinstance(one, float) and isinstance(other, float))
    if digest_of(one) == digest_of(other):
        assert one == other
    if same:
        assert digest_of(one) == digest_of(other)
    assert digest_of(one, other) != digest_of([one, other])
    with pytest.raises(TypeError):
        digest_of({"what": {1, 2}})


@pytest.mark.parametrize(
    ("one", "other"),
    [
        (lambda: gather(MATRIX, ("a", "b")), lambda: gather(replace(MATRIX, n=91, divisor_offset=0), ("a", "b"))),
        (lambda: gather(MATRIX, ("a", "b")), lambda: gather(MATRICES["means"], ("a", "b"))),
        (lambda: gather(MATRIX, ("a", "b")), lambda: gather(replace(MATRIX, means=None), ("a", "b"))),
        (lambda: gather(DATA, ("a", "b")), lambda: gather(COLUMN["numbers"], ("a", "b"))),
    ],
)
def test_other_cases_are_other_cases(one: Callable[[], Any], other: Callable[[], Any]) -> None:
    """A χ² difference is never tested, and never shown without *other data*, between two samples."""
    assert identity(one(), ("a", "b")) != identity(other(), ("a", "b"))


def test_n_alone_makes_other_cases() -> None:
    """The same covariances behind another n give another χ²; the matrix alone would call them one."""
    alone = replace(gather(MATRIX, ("a", "b")), n=500)
    assert identity(alone, ("a", "b")) != identity(gather(MATRIX, ("a", "b")), ("a", "b"))


def test_the_order_of_columns_and_labels_do_not_make_other_cases() -> None:
    """Describing a column between two models must not forbid their test."""
    data = demo_data("night_ferry")
    names = data.names[1:4]
    described = replace(data, columns=tuple(replace(c, label="said later") for c in data.columns))
    turned = tuple(reversed(names))
    assert identity(gather(data, names), names) == identity(gather(described, turned), turned)
