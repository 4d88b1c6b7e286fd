"""What every family, estimator and kind of evidence must satisfy, run over all that are declared."""

from __future__ import annotations

import pickle
from dataclasses import replace

import numpy as np
import pytest

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family_options import FAMILY_OPTIONS
from dusk_arrow.core.observations.data import Column, Moments
from dusk_arrow.core.observations.evidence import Cases, IncompleteCases, MatrixEvidence
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.resampling.draws import STREAM, chunks_leaving_one_out, chunks_of, counts_with_replacement
from dusk_arrow.core.statistics import StatisticKey
from tests.conformance.ways import (
    DECLARED,
    MODEL,
    REFUSED,
    UNIT_FREE,
    WAYS,
    Way,
    analysis,
    fitted_of,
    same,
    statistics,
    usual,
    with_rows,
)

every_way = pytest.mark.parametrize("way", WAYS, ids=[way.words for way in WAYS])
SEARCHED = 2e-5  # two minima of one function, found from different places


def accuracy(way: Way) -> float:
    return SEARCHED if FAMILIES[way.family].options.traits.tests else 1e-6


def test_all_that_is_declared_is_tried() -> None:
    """A suite that ran over nothing would be green."""
    assert {way.family for way in WAYS} == {family.key for family in FAMILY_OPTIONS}
    assert len(WAYS) > 10
    assert len(WAYS) + len(REFUSED) == len(DECLARED)


@pytest.mark.parametrize("way", REFUSED, ids=[way.words for way in REFUSED])
def test_what_cannot_be_done_is_refused_in_words(way: Way) -> None:
    """One sentence that says why and what would do, and no number."""
    found = usual(way)
    assert found.outcome == "refused"
    assert found.fitted is None
    errors = [p for p in found.problems if p.severity == "error"]
    assert errors
    assert all(p.message.endswith(".") and len(p.message) > 30 for p in errors)


@every_way
def test_a_matrix_is_estimated_or_refused_in_words(way: Way) -> None:
    """Where there are only moments, what needs cases says so; the rest gives the same estimates from them."""
    data = way.data
    names = tuple(c.name for c in data.columns if c.numbers is not None and not np.isnan(c.numbers).any())
    spread = np.cov(data.matrix(names).T, ddof=0)
    found = analysis(way, Moments("m", names, spread, data.n, 0, data.matrix(names).mean(axis=0)))  # type: ignore[arg-type]
    if found.outcome != "estimated":
        assert [p.severity for p in found.problems][-1] == "error"
        assert (
            "data" in found.problems[-1].message or "matrix" in found.problems[-1].message or way.missing != "listwise"
        )
        return
    if way.missing == "listwise":
        same(statistics(usual(way), UNIT_FREE), statistics(found, UNIT_FREE), accuracy(way))


@every_way
def test_the_order_of_cases_and_of_columns_says_nothing(way: Way) -> None:
    """A file sorted by something else is the same survey."""
    rng = np.random.default_rng(3)
    shuffled = with_rows(way.data, rng.permutation(way.data.n))
    columns = tuple(shuffled.columns[i] for i in rng.permutation(len(shuffled.columns)))
    same(statistics(usual(way)), statistics(analysis(way, replace(shuffled, columns=columns))), accuracy(way))


@every_way
def test_units_say_nothing_where_there_are_none(way: Way) -> None:
    """Minutes or seconds: no standardized statistic may notice. (The sum of squares that ULS minimises has units by nature.)"""
    if way.estimator == "uls":
        pytest.skip("its weights are in the units of the columns")
    rng = np.random.default_rng(4)
    columns = [
        c if c.numbers is None else replace(c, numbers=rng.normal(0, 5) + np.exp(rng.uniform(-1, 1)) * c.numbers)
        for c in way.data.columns
    ]
    found = analysis(way, replace(way.data, columns=tuple(columns)))
    one, other = (
        {key: value for key, value in statistics(each, UNIT_FREE).items() if not of_origin(key)}
        for each in (usual(way), found)
    )
    same(one, other, accuracy(way))


def of_origin(key: StatisticKey) -> bool:
    """Whether a statistic says where zero is."""
    return isinstance(key.about, ParameterKey) and key.about.kind in ("intercept", "mean")


@every_way
def test_columns_that_are_not_in_use_say_nothing(way: Way) -> None:
    """Another question of the survey, with gaps, changes not a digit."""
    gaps = np.where(np.arange(way.data.n) % 3 == 0, np.nan, 1.0)
    more = replace(way.data, columns=(*way.data.columns, Column("other", "number", gaps)))
    assert statistics(analysis(way, more, bootstrap=4)) == statistics(usual(way))


@every_way
def test_a_subset_is_a_file_of_its_cases(way: Way) -> None:
    """Held-out or filtered cases leave nothing behind: means, gaps and weights are those of who is there."""
    rows = np.flatnonzero(np.random.default_rng(5).random(way.data.n) < 0.8)
    part = with_rows(way.data, rows)
    again = replace(part, columns=tuple(replace(c) for c in part.columns))
    same(statistics(analysis(way, part)), statistics(analysis(way, again)), 1e-12)
    assert fitted_of(analysis(way, part)).n <= rows.size


@every_way
def test_every_case_twice_gives_the_same_estimates(way: Way) -> None:
    """Weight two is the case twice: for moments and estimates, not for n."""
    settings = {"divisor": "n"} if FAMILIES[way.family].options.option("divisor") else {}
    twice = analysis(way, with_rows(way.data, np.tile(np.arange(way.data.n), 2)), **settings)
    once = analysis(way, **settings)
    same(statistics(once, UNIT_FREE), statistics(twice, UNIT_FREE), accuracy(way))
    assert fitted_of(twice).n == 2 * fitted_of(once).n


@every_way
def test_a_resample_is_an_analysis_of_its_cases_and_one_of_a_batch_as_alone(way: Way) -> None:
    """The fast engine gives what the plain analysis of the drawn cases gives; a batch of one is one of a batch."""
    fitted = fitted_of(usual(way))
    assert fitted.task is not None
    family = FAMILIES[way.family]
    prepared = family.prepare(fitted.task)
    (chunk,) = chunks_of(4, 11)
    result = family.run_chunk(prepared, chunk)
    assert result.failed == 0
    assert result.statistics.shape == (4, len(fitted.statistics.keys))
    answers = fitted.blocks[0].evidence
    (counts,) = counts_with_replacement(chunk, [answers.n])
    alone = family.run_chunk(prepared, replace(chunk, size=1))
    np.testing.assert_allclose(alone.statistics[0], result.statistics[0], rtol=1e-5, atol=1e-6, equal_nan=True)
    used = used_rows(way)
    drawn = analysis(way, with_rows(way.data, used[np.repeat(np.arange(used.size), counts[2].astype(int))]))
    found = statistics(drawn)
    assert list(found) == list(fitted.statistics.keys)
    close = 2e-4 if isinstance(answers, IncompleteCases) else SEARCHED
    np.testing.assert_allclose(result.statistics[2], list(found.values()), rtol=close, atol=close, equal_nan=True)


def used_rows(way: Way) -> np.ndarray:
    """The cases that take part, in the order of the evidence."""
    values = way.data.matrix(fitted_of(usual(way)).blocks[0].names)
    gone = np.isnan(values).any(axis=1) if way.missing == "listwise" else np.isnan(values).all(axis=1)
    return np.flatnonzero(~gone)


@every_way
def test_what_has_not_converged_is_never_used(way: Way) -> None:
    """A resample of one case over and over has no estimates: it is counted, and its row is not among the others."""
    fitted = fitted_of(usual(way))
    assert fitted.task is not None
    family = FAMILIES[way.family]
    prepared = family.prepare(fitted.task)
    (chunk,) = chunks_of(3, 12)
    cases: Cases = fitted.blocks[0].evidence  # type: ignore[assignment]
    resample = cases.resampling()
    (counts,) = counts_with_replacement(chunk, [cases.n])
    counts[1] = 0.0
    counts[1, 7] = cases.n
    result = family.run_chunk(prepared._replace(draw=lambda _: (resample(counts),)), chunk)
    whole = family.run_chunk(prepared, chunk)
    assert (result.failed, len(result.statistics), len(result.admissible)) == (1, 2, 2)
    np.testing.assert_allclose(result.statistics, whole.statistics[[0, 2]], rtol=1e-5, atol=1e-5, equal_nan=True)


@every_way
def test_a_task_that_was_sent_away_gives_the_same_numbers(way: Way) -> None:
    """Workers have it pickled; the jackknife goes the same way and leaves one case out each."""
    fitted = fitted_of(usual(way))
    family = FAMILIES[way.family]
    sent = pickle.loads(pickle.dumps(fitted.task))
    for chunk in (chunks_of(2, 13)[0], replace(chunks_leaving_one_out(sent.draws.n, STREAM)[0], size=2)):
        one, other = (family.run_chunk(family.prepare(task), chunk) for task in (fitted.task, sent))
        np.testing.assert_array_equal(one.statistics, other.statistics)


@every_way
def test_the_identity_follows_the_answers(way: Way) -> None:
    """One other answer is other data; the same in another order of columns is the same."""
    found = fitted_of(usual(way)).identity
    name = fitted_of(usual(way)).blocks[0].names[0]
    columns = list(way.data.columns)
    at = [c.name for c in columns].index(name)
    assert columns[at].numbers is not None
    values = columns[at].numbers.copy()  # type: ignore[union-attr]
    values[np.flatnonzero(~np.isnan(values))[0]] += 1e-6
    columns[at] = replace(columns[at], numbers=values)
    assert fitted_of(analysis(way, replace(way.data, columns=tuple(columns)))).identity != found
    turned = replace(way.data, columns=tuple(reversed(way.data.columns)))
    assert fitted_of(analysis(way, turned)).identity == found


@pytest.mark.parametrize("missing", ["listwise", "full-information", "mean", "pairwise"])
@pytest.mark.parametrize("divisor", ["n", "n-1"])
def test_every_kind_of_evidence_counts_cases(missing: str, divisor: str) -> None:
    """Equal weights are none; weight two is the case twice; a case that is not drawn is not there."""
    data = Way("", "", missing).data
    names = tuple(c.name for c in data.columns if c.numbers is not None)[:6]

    def gathered(rows: np.ndarray) -> Cases:
        found = gather(with_rows(data, rows), names, missing, divisor)  # type: ignore[arg-type]
        assert not isinstance(found, MatrixEvidence)
        return found

    whole = gathered(np.arange(data.n))
    values = data.matrix(names)
    gone = np.isnan(values).any(axis=1) if missing == "listwise" else np.isnan(values).all(axis=1)
    rows = np.flatnonzero(~gone)
    twice, some = np.ones(rows.size), np.ones(rows.size)
    twice[:40], some[10:30] = 2.0, 0.0
    drawn = whole.resampling()(np.stack([np.ones(rows.size), twice, some]))
    others = [whole, gathered(np.r_[rows, rows[:40]]), gathered(np.delete(rows, np.arange(10, 30)))]
    close = 1e-4 if missing == "full-information" else 1e-9
    assert drawn.means is not None
    for k, other in enumerate(others):
        np.testing.assert_allclose(drawn.covariances[k], other.covariance, rtol=close, atol=close)
        np.testing.assert_allclose(drawn.means[k], other.means, rtol=close, atol=close)


def test_the_model_that_all_are_tried_on_says_something() -> None:
    """Three constructs, a mediated effect and a free covariance; a model with nothing in it would satisfy everything."""
    assert MODEL.count("leads to") + MODEL.count("lead to") >= 1
    assert len(statistics(usual(WAYS[0]))) > 60
