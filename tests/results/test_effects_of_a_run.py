"""Differences of routes, distributions and hypotheses: by the same draws, counted and computed plainly."""

from __future__ import annotations

from typing import Any, get_args

import numpy as np
import pytest

from dusk_arrow.core.effects.contrasts import MOST_ROUTES, contrasts
from dusk_arrow.core.effects.hypotheses import Answer, answer
from dusk_arrow.core.effects.routes import Effect, list_effects
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.resampling.draws import chunks_of
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.statistics import StatisticKey
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.hypotheses import answering, same_but_expectations
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import cases

TEXT = """A shows in a1..a3
B shows in b1..b3
C shows in c1..c3
x leads to A, B, C
A leads to C
B leads to C
expect x > A > C positive as H1
expect x > C negative
expect A > C nonzero as H3
"""


def analysed(text: str = TEXT, **settings: Any) -> Analysis:
    return analyse(parse(text), cases(), Settings(**settings))


@pytest.mark.parametrize(
    ("sign", "interval", "expected"),
    [
        ("positive", (0.1, 0.4), "supported"),
        ("positive", (-0.1, 0.4), "not supported"),
        ("positive", (-0.4, -0.1), "opposite"),
        ("negative", (-0.4, -0.1), "supported"),
        ("negative", (0.1, 0.4), "opposite"),
        ("nonzero", (-0.4, -0.1), "supported"),
        ("nonzero", (0.1, 0.4), "supported"),
        ("nonzero", (-0.1, 0.1), "not supported"),
        ("positive", (0.0, 0.4), "not supported"),
    ],
)
def test_an_interval_answers(sign: Any, interval: tuple[float, float], expected: str) -> None:
    """The side of zero decides; an interval that touches zero decides nothing."""
    assert answer(sign, interval) == expected
    assert expected in get_args(Answer)


def test_routes_of_one_pair_are_set_against_each_other() -> None:
    """Any two of a pair, none of two pairs, and none where there would be hundreds."""
    effects, _ = list_effects((("x", "a"), ("x", "b"), ("a", "y"), ("b", "y"), ("x", "y")), ("x", "a", "b", "y"))
    pairs = [(effects[i].route, effects[j].route) for i, j in contrasts(effects)]
    assert pairs == [
        (("x", "y"), ("x", "a", "y")), (("x", "y"), ("x", "b", "y")), (("x", "a", "y"), ("x", "b", "y")),
    ]  # fmt: skip
    many = [Effect("x", "y", "specific indirect", (f"m{i}",)) for i in range(MOST_ROUTES + 1)]
    assert contrasts(many) == []


@pytest.mark.parametrize("settings", [{}, {"family": "composite"}, {"interval": "bca"}])
def test_differences_and_distributions_are_those_of_the_draws(settings: dict[str, Any]) -> None:
    """Intervals of a difference are not the difference of intervals; only the draws know."""
    run = analysed(bootstrap=300, seed=5, **settings)
    assert run.fitted is not None
    assert run.fitted.task is not None
    family = FAMILIES[run.settings.family]
    prepared = family.prepare(run.fitted.task)
    draws = np.concatenate([family.run_chunk(prepared, chunk).statistics for chunk in chunks_of(300, 5)])
    results = assemble(run)
    place = run.fitted.statistics.place
    by_route = {effect.route: effect for effect in run.fitted.effects if effect.via is not None}
    assert len(results.differences) == 3
    for found in results.differences:
        for figure, estimate, boot in (
            ("effect", found.estimate, found.bootstrap),
            ("standardized_effect", found.standardized, found.standardized_bootstrap),
        ):
            first, second = (place[StatisticKey(figure, by_route[tuple(r)])] for r in (found.a, found.b))  # type: ignore[arg-type]
            apart = draws[:, first] - draws[:, second]
            assert boot is not None
            assert estimate == pytest.approx(run.fitted.statistics.values[first] - run.fitted.statistics.values[second])
            np.testing.assert_allclose(boot.percentile, np.quantile(apart, [0.025, 0.975]), rtol=1e-9)
            assert boot.se == pytest.approx(apart.std(ddof=1))
            assert (boot.bca is not None) == (settings.get("interval") == "bca")
    for effect in results.effects:
        column = draws[:, place[StatisticKey("effect", next(e for e in run.fitted.effects if (e.source, e.target, e.kind, e.via) == (effect.from_, effect.to, effect.kind, None if effect.via is None else tuple(effect.via))))]]  # fmt: skip
        drawn = effect.distribution
        assert drawn is not None
        assert (drawn.low, drawn.high) == (column.min(), column.max())
        assert sum(drawn.counts) == 300
        assert drawn.counts[0] == (column < drawn.low + (drawn.high - drawn.low) / len(drawn.counts)).sum()


def test_hypotheses_are_answered_by_the_interval_that_decides() -> None:
    """A path has an answer by its standard error; a route waits for a bootstrap, and says so."""
    before, after = assemble(analysed()), assemble(analysed(bootstrap=400))
    assert [h.answer is None for h in before.hypotheses] == [True, False, False]
    assert before.hypotheses[0].sentence.endswith("): that takes a bootstrap.")
    assert [h.label for h in after.hypotheses] == ["H1", "Expectation 2", "H3"]
    for h in after.hypotheses:
        effect = next(e for e in after.effects if e.via is not None and [e.from_, *e.via, e.to] == h.route)
        assert effect.bootstrap is not None
        assert effect.standardized_bootstrap is not None
        assert (h.interval, h.standardized_interval) == (
            effect.bootstrap.headline,
            effect.standardized_bootstrap.headline,
        )
        assert h.answer == answer(h.sign, effect.standardized_bootstrap.headline), "by the interval that is printed"
        assert h.sentence.startswith(h.label)
        assert "400 resamples" in h.sentence
    few = assemble(analysed(bootstrap=31))
    assert [h.answer for h in few.hypotheses] == [None, None, None]
    assert few.hypotheses[0].sentence.endswith("31 resamples are too few.")
    assert {m.kind for m in few.mediation} == {None}
    composite = assemble(analysed(family="composite"))
    assert [h.answer for h in composite.hypotheses] == [None, None, None]


def test_an_expectation_changes_no_figure() -> None:
    """Whoever states one after the bootstrap must not have to wait for it again."""
    plain = "\n".join(line for line in TEXT.splitlines() if not line.startswith("expect"))
    assert same_but_expectations(parse(plain), parse(TEXT))
    assert not same_but_expectations(parse(plain), parse(plain + "\nA and B covary"))
    run = assemble(analysed(plain, bootstrap=200))
    told = answering(run, TEXT)
    assert run.hypotheses == []
    assert told.hypotheses == assemble(analysed(bootstrap=200)).hypotheses
    assert told.effects == run.effects


@pytest.mark.parametrize("interval", ["percentile", "bca"])
def test_the_share_mediated_has_the_interval_of_its_draws(interval: str) -> None:
    """A share is a ratio: its interval is that of the ratios, given only where the share itself is."""
    data = DataSet("made", tuple(Column(name, "numeric", values) for name, values in _partial().items()))
    text = "x leads to m, y\nm leads to y"
    run = analyse(parse(text), data, Settings(bootstrap=400, seed=2, interval=interval))  # type: ignore[arg-type]
    (found,) = [m for m in assemble(run).mediation if (m.from_, m.to) == ("x", "y")]
    assert found.share_mediated is not None
    assert found.share_bootstrap is not None
    task = run.fitted.task  # type: ignore[union-attr]
    assert task is not None
    prepared = FAMILIES["covariance"].prepare(task)
    draws = np.concatenate([FAMILIES["covariance"].run_chunk(prepared, c).statistics for c in chunks_of(400, 2)])
    keys = run.fitted.statistics.place  # type: ignore[union-attr]
    of = {e.kind: draws[:, keys[StatisticKey("effect", e)]] for e in run.fitted.effects if e.target == "y" and e.source == "x"}  # type: ignore[union-attr]  # fmt: skip
    shares = of["total indirect"] / of["total"]
    np.testing.assert_allclose(found.share_bootstrap.percentile, np.quantile(shares, [0.025, 0.975]), rtol=1e-9)
    assert found.share_bootstrap.se == pytest.approx(shares.std(ddof=1))
    assert found.share_bootstrap.p_value is None, "zero is no hypothesis of a share that is given only away from it"
    opposed = DataSet("made", tuple(Column(name, "numeric", values) for name, values in _partial(-0.6).items()))
    (none,) = [m for m in assemble(analyse(parse(text), opposed, Settings(bootstrap=400))).mediation if m.to == "y"]
    assert (none.share_mediated, none.share_bootstrap) == (None, None)


def _partial(direct: float = 0.4) -> dict[str, np.ndarray[Any, Any]]:
    rng = np.random.default_rng(1)
    x = rng.normal(size=300)
    m = 0.5 * x + rng.normal(size=300)
    return {"x": x, "m": m, "y": direct * x + 0.5 * m + rng.normal(size=300)}
