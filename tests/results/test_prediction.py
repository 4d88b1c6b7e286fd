"""Prediction out of sample, importance and performance, against plain loops over cases."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.composite.importance import scale_ends
from dusk_arrow.core.composite.prediction import FOLDS, REPEATS, split
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import cases

CHAIN = "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nA leads to B\nx leads to B\nB leads to C"
INPUTS = ("a1", "a2", "a3", "x")
OUTPUTS = ("b1", "b2", "b3", "c1", "c2", "c3")


def document(text: str, source: Any, **settings: Any) -> Results:
    how = {"family": "composite", **settings}
    return assemble(analyse(parse(text), source, Settings(**how), depth="thorough"))


def some(data: DataSet, rows: np.ndarray) -> DataSet:
    columns = [c if c.numbers is None else replace(c, numbers=c.numbers[rows]) for c in data.columns]
    return replace(data, columns=tuple(columns))


def predicted(
    train: Results, values: dict[str, np.ndarray], centre: dict[str, float], sd: dict[str, float]
) -> dict[str, np.ndarray]:
    """Predictions of held-out cases, item by item, from a document of the training cases."""
    kinds: dict[str, dict[tuple[str, str], float]] = {}
    for p in train.parameters:
        kinds.setdefault(p.kind, {})[p.from_, p.to] = p.estimate
    z = {name: (values[name] - centre[name]) / sd[name] for name in INPUTS}
    a = sum(kinds["weight"][f"a{i}", "A"] * z[f"a{i}"] for i in (1, 2, 3))
    b = kinds["path"]["A", "B"] * a + kinds["path"]["x", "B"] * z["x"]
    c = kinds["path"]["B", "C"] * b
    return {
        name: centre[name] + sd[name] * kinds["loading"][name[0].upper(), name] * (b if name[0] == "b" else c)
        for name in OUTPUTS
    }


@pytest.mark.parametrize("estimator", ["pls", "plsc"])
def test_held_out_cases_are_predicted_from_the_others(estimator: str) -> None:
    """Every fold by hand: training means, SDs, weights, paths and loadings; scores are never corrected."""
    data = cases()
    found = document(CHAIN, data, estimator=estimator).prediction
    assert found is not None
    assert (found.folds, found.repeats) == (FOLDS, REPEATS)
    values = {name: data.matrix((name,))[:, 0] for name in (*INPUTS, *OUTPUTS)}
    squares = np.zeros((2, 3, len(OUTPUTS)))
    sizes = np.zeros((2, 3, len(OUTPUTS)))
    plan = split(data.n, found.seed)
    for repeat in (0, 1):
        for fold in plan[repeat]:
            rest = np.setdiff1d(np.arange(data.n), fold)
            train = document(CHAIN, some(data, rest), estimator="pls")
            centre = {name: float(v[rest].mean()) for name, v in values.items()}
            sd = {name: float(v[rest].std(ddof=1)) for name, v in values.items()}
            own = predicted(train, {name: v[fold] for name, v in values.items()}, centre, sd)
            design = np.column_stack([np.ones(rest.size), *(values[name][rest] for name in INPUTS)])
            fresh = np.column_stack([np.ones(fold.size), *(values[name][fold] for name in INPUTS)])
            for i, name in enumerate(OUTPUTS):
                slopes, *_ = np.linalg.lstsq(design, values[name][rest], rcond=None)
                for which, guess in enumerate((own[name], centre[name], fresh @ slopes)):
                    error = values[name][fold] - guess
                    squares[repeat, which, i] += (error**2).sum()
                    sizes[repeat, which, i] += np.abs(error).sum()
    assert [line.indicator for line in found.indicators] == list(OUTPUTS)
    # Two of the ten repeats were done by hand; the rest have the same expectation, so the means are close, not equal.
    for i, line in enumerate(found.indicators):
        assert line.q2_predict == pytest.approx((1 - squares[:, 0, i] / squares[:, 1, i]).mean(), abs=0.03)
        assert line.rmse == pytest.approx(np.sqrt(squares[:, 0, i] / data.n).mean(), rel=0.02)
        assert line.rmse_linear == pytest.approx(np.sqrt(squares[:, 2, i] / data.n).mean(), rel=0.02)
        assert line.mae_mean == pytest.approx((sizes[:, 1, i] / data.n).mean(), rel=0.02)


def test_one_repeat_is_exact(monkeypatch: pytest.MonkeyPatch) -> None:
    """With one repeat the figures are those of the loop, to the last digit that counts."""
    monkeypatch.setattr("dusk_arrow.core.composite.prediction.REPEATS", 1)
    monkeypatch.setattr(split, "__defaults__", (FOLDS, 1))
    data = cases()
    found = document(CHAIN, data).prediction
    assert found is not None
    values = {name: data.matrix((name,))[:, 0] for name in (*INPUTS, *OUTPUTS)}
    squares = np.zeros((2, len(OUTPUTS)))
    for fold in split(data.n, found.seed, FOLDS, 1)[0]:
        rest = np.setdiff1d(np.arange(data.n), fold)
        train = document(CHAIN, some(data, rest), estimator="pls")
        centre = {name: float(v[rest].mean()) for name, v in values.items()}
        sd = {name: float(v[rest].std(ddof=1)) for name, v in values.items()}
        own = predicted(train, {name: v[fold] for name, v in values.items()}, centre, sd)
        for i, name in enumerate(OUTPUTS):
            squares[0, i] += ((values[name][fold] - own[name]) ** 2).sum()
            squares[1, i] += ((values[name][fold] - centre[name]) ** 2).sum()
    for i, line in enumerate(found.indicators):
        assert line.q2_predict == pytest.approx(1 - squares[0, i] / squares[1, i], abs=1e-7)
        assert line.rmse == pytest.approx(np.sqrt(squares[0, i] / data.n), rel=1e-7)


def test_noise_is_not_predicted() -> None:
    """Q²predict of what nothing leads to in truth is about zero, or below."""
    rng = np.random.default_rng(4)
    values = rng.normal(size=(300, 6))
    names = ("a1", "a2", "a3", "b1", "b2", "b3")
    data = DataSet("noise", tuple(Column(n, "number", values[:, i]) for i, n in enumerate(names)))
    found = document("A shows in a1..a3\nB shows in b1..b3\nA leads to B", data, estimator="pls").prediction
    if found is not None:
        assert max(line.q2_predict or 0 for line in found.indicators) < 0.02


def test_folds_part_the_cases() -> None:
    """Every case is held out once in each repeat, by the seed alone."""
    plan = split(103, 5)
    assert len(plan) == REPEATS
    for repeat in plan:
        assert sorted(np.concatenate(repeat).tolist()) == list(range(103))
        assert max(len(f) for f in repeat) - min(len(f) for f in repeat) <= 1
    assert [f.tolist() for f in split(103, 5)[3]] == [f.tolist() for f in plan[3]]
    assert [f.tolist() for f in split(103, 6)[3]] != [f.tolist() for f in plan[3]]


def test_prediction_needs_cases_and_outcomes() -> None:
    """A matrix has no cases to hold out, a measurement part nothing to predict; common factors do not predict here."""
    data = cases()
    assert document(CHAIN, data, part="measurement").prediction is None
    assert document(CHAIN, data, family="covariance", estimator="ml").prediction is None
    assert assemble(analyse(parse(CHAIN), data, Settings(family="composite"))).prediction is None


def test_importance_is_an_effect_among_scores_of_a_hundred() -> None:
    """Scores of 0–100 case by case, unstandardized regressions among them, products along the way."""
    data = cases()
    found = document(CHAIN, data, estimator="pls")
    weights: dict[str, dict[str, float]] = {}
    for p in found.parameters:
        if p.kind == "weight":
            weights.setdefault(p.to, {})[p.from_] = p.estimate
    weights["x"] = {"x": 1.0}
    scores = {}
    for construct, own in weights.items():
        values = data.matrix(tuple(own))
        points = 100 * (values - values.min(axis=0)) / (values.max(axis=0) - values.min(axis=0))
        raw = np.array(list(own.values())) / points.std(axis=0, ddof=1)
        scores[construct] = points @ (raw / raw.sum())
    design = np.column_stack([np.ones(data.n), scores["A"], scores["x"]])
    first, *_ = np.linalg.lstsq(design, scores["B"], rcond=None)
    second, *_ = np.linalg.lstsq(np.column_stack([np.ones(data.n), scores["B"]]), scores["C"], rcond=None)
    known = {(i.outcome, i.construct_): i for i in found.importance}
    assert known["B", "A"].importance == pytest.approx(first[1])
    assert known["C", "A"].importance == pytest.approx(first[1] * second[1])
    assert known["C", "x"].importance == pytest.approx(first[2] * second[1])
    assert known["C", "B"].performance == pytest.approx(scores["B"].mean())
    assert not any(i.recorded_ends for i in found.importance)


def test_recorded_ends_count_before_observed_ones() -> None:
    """Nobody ticked 7, but the scale went to 7: 100 stays what it was meant to be."""
    numbers = np.array([1.0, 2, 3, 4, 5] * 20)
    labelled = Column("q", "ordered", numbers, value_labels={"1": "never", "7": "always"})
    other = Column("r", "ordered", numbers)
    odd = Column("s", "ordered", numbers, value_labels={"yes": "yes", "2": "two"})
    data = DataSet("ends", (labelled, other, odd))
    ends, recorded = scale_ends(data, ("q", "r", "s"), data.matrix(("q", "r", "s")))
    assert ends.tolist() == [[1, 7], [1, 5], [1, 5]]
    assert recorded == [True, False, False]


def test_a_negative_weight_has_no_importance() -> None:
    """The item is named instead of a number that means nothing."""
    data = cases()
    turned = replace(
        data,
        columns=tuple(
            replace(c, numbers=-c.numbers) if c.name == "a2" and c.numbers is not None else c for c in data.columns
        ),
    )
    found = document(CHAIN, turned, estimator="pls")
    line = next(i for i in found.importance if (i.outcome, i.construct_) == ("C", "A"))
    assert (line.importance, line.performance, line.against) == (None, None, "a2")
    other = next(i for i in found.importance if (i.outcome, i.construct_) == ("C", "B"))
    assert other.importance is not None
