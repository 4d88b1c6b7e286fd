"""Routes, effects, mediation and the bootstrap of them."""

from __future__ import annotations

import numpy as np
import pytest

from dusk_arrow.core.covariance.admissibility import admissible, explain
from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_chunk
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.statistics import Inquiry, model_statistics, statistics
from dusk_arrow.core.effects.mediation import Single, classify, excludes_zero
from dusk_arrow.core.effects.routes import list_effects, routes
from dusk_arrow.core.observations.moments import prepare_products, resample_covariances
from dusk_arrow.core.resampling.draws import FromCases, chunks_of, counts_with_replacement
from tests.core.populations import FORMATIVE, THREE, fit_cases, fit_matrix, model_of, only, random_population, table_of

DIAMOND = (("x", "m"), ("x", "n"), ("m", "n"), ("m", "y"), ("n", "y"), ("x", "y"))


def test_every_route_is_found_once() -> None:
    """Only the sum of indirect effects is not enough: each route has its own."""
    assert routes(DIAMOND, "x", "y") == [
        ("x", "y"),
        ("x", "m", "y"),
        ("x", "n", "y"),
        ("x", "m", "n", "y"),
    ]
    assert routes((("a", "b"), ("b", "a"), ("b", "c")), "a", "c") == [("a", "b", "c")]


def test_effects_add_up() -> None:
    """Direct plus every specific indirect effect is the total from the matrix inverse."""
    text = "\n".join(f"{a} leads to {b}" for a, b in DIAMOND)
    model = model_of(text)
    table = compile_model(model)
    truth = random_population(table, 4)
    effects, complete = list_effects(model.paths, table.structural)
    assert complete
    found = fit_matrix(table, truth.covariance, 100)
    values = model_statistics([Inquiry(found.model, tuple(effects))], found.solution.theta).of("effect")
    pair = [(e, v) for e, v in zip(effects, values, strict=True) if (e.source, e.target) == ("x", "y")]
    parts = sum(v for e, v in pair if e.kind in ("direct", "specific indirect"))
    by_kind = {e.kind: v for e, v in pair}
    assert parts == pytest.approx(by_kind["total"])
    assert by_kind["total indirect"] == pytest.approx(by_kind["total"] - by_kind["direct"])
    v = truth.values
    assert pair[3][1] == pytest.approx(v["x → m"] * v["m → n"] * v["n → y"])


def test_tracked_quantities() -> None:
    """Named parameters can be combined by any arithmetic, tracked ones too."""
    model = model_of(
        "x leads to m\nm and x lead to y\ncall x > m a\ncall m > y b\ncall x > y c\ntrack ab = a * b\ntrack route = x > m > y\ntrack share = ab / (ab + c) - -0.5"
    )
    table = compile_model(model)
    truth = random_population(table, 8)
    found = fit_matrix(table, truth.covariance, 100)
    tracked = model_statistics([Inquiry(found.model, (), tuple(model.tracked.items()))], found.solution.theta).of(
        "tracked"
    )
    a, b, c = (truth.values[w] for w in ("x → m", "m → y", "x → y"))
    assert tracked == pytest.approx([a * b, a * b, a * b / (a * b + c) + 0.5])


def test_reliability_has_its_closed_form() -> None:
    """Composite reliability and AVE of parallel items; with a residual covariance Raykov's form."""
    lam, theta = 0.8, 0.36
    block = np.full((3, 3), lam**2) + theta * np.eye(3)
    sample = np.zeros((6, 6))
    sample[:3, :3] = sample[3:, 3:] = block
    sample[:3, 3:] = sample[3:, :3] = 0.4 * lam**2
    text = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B"
    found = fit_matrix(table_of(text), sample, 200)
    values = model_statistics([Inquiry(found.model)], found.solution.theta)
    assert values.of("composite_reliability") == pytest.approx(9 * lam**2 / (9 * lam**2 + 3 * theta))
    assert values.of("ave") == pytest.approx(lam**2)
    sample[0, 1] = sample[1, 0] = sample[0, 1] + 0.1
    covarying = fit_matrix(table_of(text + "\na1 and a2 covary"), sample, 200)
    values = model_statistics([Inquiry(covarying.model)], covarying.solution.theta)
    assert values.of("composite_reliability")[0] == pytest.approx(9 * lam**2 / (9 * lam**2 + 3 * theta + 0.2))


@pytest.mark.parametrize(
    ("direct", "direct_interval", "indirect", "indirect_interval", "total", "kind", "share"),
    [
        (0.3, (0.1, 0.5), 0.2, (0.1, 0.3), (0.2, 0.8), "complementary", 0.4),
        (0.3, (0.1, 0.5), 0.2, (0.1, 0.3), (-0.01, 0.8), "complementary", None),
        (0.3, (0.1, 0.5), 0.2, (0.1, 0.3), None, "complementary", None),
        (-0.3, (-0.5, -0.1), 0.2, (0.1, 0.3), (-0.4, -0.1), "competitive", None),
        (0.05, (-0.1, 0.2), 0.2, (0.1, 0.3), (0.1, 0.4), "indirect-only", 0.8),
        (0.0, None, 0.2, (0.1, 0.3), (0.1, 0.3), None, None),
        (0.0, None, 0.2, (-0.1, 0.3), (-0.1, 0.3), None, None),
        (0.3, (0.1, 0.5), 0.01, (-0.1, 0.1), (0.1, 0.5), "direct-only", None),
        (0.1, (-0.1, 0.3), 0.0, (-0.1, 0.1), (-0.2, 0.4), "none", None),
    ],
)
def test_kinds_of_mediation(direct, direct_interval, indirect, indirect_interval, total, kind, share) -> None:  # type: ignore[no-untyped-def]
    """Zhao, Lynch & Chen's five kinds, where the direct effect was tested; a share only of a mediation whose parts point one way
    and whose total is not perhaps zero."""
    found = classify(direct, direct_interval, indirect, indirect_interval, total)
    assert found.kind == kind
    assert found.share_mediated == (None if share is None else pytest.approx(share))
    assert ("direct effect not tested" in found.reason) == (direct_interval is None)


def test_single_routes_are_told_where_the_total_hides_them() -> None:
    """Two routes that cancel out are no “none”: a paper that says so has overlooked both."""
    routes = [Single(("a",), (0.1, 0.3)), Single(("b",), (-0.3, -0.1)), Single(("c",), (-0.1, 0.1))]
    found = classify(0.0, (-0.1, 0.1), 0.0, (-0.1, 0.1), (-0.2, 0.2), routes)
    assert found.kind == "none"
    assert found.reason.startswith("the direct effect and the total indirect effect both include zero")
    assert "the route through a and the route through b exclude zero each, but point opposite ways" in found.reason
    one = classify(0.3, (0.1, 0.5), 0.1, (-0.1, 0.3), (0.1, 0.5), routes[:1] + routes[2:])
    assert one.kind == "direct-only"
    assert one.reason.endswith("yet the route through a excludes zero")
    clear = classify(0.3, (0.1, 0.5), 0.2, (0.1, 0.3), (0.1, 0.5), routes)
    assert "route through" not in clear.reason


def rows_of(text: str, seed: int, n: int = 150) -> tuple[np.ndarray, ParameterTable]:
    table = table_of(text)
    truth = random_population(table, seed)
    rng = np.random.default_rng(seed)
    return rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n), table


@pytest.mark.parametrize(("text", "n"), [(THREE, 300), (FORMATIVE, 600), ("x leads to m\nm and x lead to y", 60)])
def test_batched_bootstrap_equals_one_fit_per_resample(text: str, n: int) -> None:
    """The fast way must give what fitting each of 200 resamples by itself gives, to 1e-6, resample by resample."""
    values, table = rows_of(text, 21, n)
    found = fit_cases(table, values)
    plan = Inquiry(found.model)
    (chunk,) = chunks_of(200, 3)
    result = run_chunk(prepare(BootstrapTask((plan,), found, FromCases((only(found).evidence,)))), chunk)
    assert result.failed == 0
    samples = resample_covariances(prepare_products(values), counts_with_replacement(chunk, [n])[0])
    slow = np.stack([statistics([plan], fit_matrix(table, one, 100).solution.theta, [one]).values for one in samples])
    np.testing.assert_allclose(result.statistics, slow, atol=1e-6, rtol=1e-6)


def test_bootstrap_error_of_a_mean_path_is_near_the_normal_theory_one() -> None:
    """On normal data of decent size both routes to a standard error must agree."""
    values, table = rows_of("x leads to m\nm and x lead to y", 5, n=600)
    found = fit_cases(table, values)
    plan = Inquiry(found.model)
    prepared = prepare(BootstrapTask((plan,), found, FromCases((only(found).evidence,))))
    draws = np.concatenate([run_chunk(prepared, c).statistics for c in chunks_of(1500, 2)])
    at = next(i for i, p in enumerate(table.parameters) if p.words == "m → y")
    index = table.parameters[at].index
    assert draws[:, at].std(ddof=1) == pytest.approx(np.sqrt(found.covariance[index, index]), rel=0.12)


def test_heywood_cases_are_estimated_and_said() -> None:
    """A negative variance gives estimates and a warning with what it usually means, and a way out."""
    sample = np.array([[1.0, 0.9, 0.6, 0.3], [0.9, 1.0, 0.4, 0.2], [0.6, 0.4, 1.0, 0.2], [0.3, 0.2, 0.2, 1.0]])
    table = table_of("A shows in a1, a2, a3, a4")
    found = fit_matrix(table, sample, 100)
    assert found.solution.converged
    plan = Inquiry(found.model)
    values = model_statistics([plan], found.solution.theta)
    assert not admissible(found.model, found.solution.theta)
    codes = [p.code for p in explain(found.point, values)]
    assert "negative_variance" in codes


def test_reversed_items_are_pointed_out() -> None:
    """Nobody should find an item that was never recoded only after the paper is out."""
    lam = np.array([0.8, 0.7, -0.75, 0.3])
    sample = np.outer(lam, lam)
    np.fill_diagonal(sample, 1.0)
    table = table_of("A shows in a1, a2, a3, a4")
    found = fit_matrix(table, sample, 300)
    problems = explain(found.point, model_statistics([Inquiry(found.model)], found.solution.theta))
    assert {(p.code, p.about[0]) for p in problems} == {("runs_against_block", "a3")}


def test_beyond_the_limit_pairs_keep_their_totals() -> None:
    """A dense model has millions of routes: what is left out is told, and no total or direct effect is lost."""
    names = tuple(f"v{i}" for i in range(14))
    paths = tuple((a, b) for i, a in enumerate(names) for b in names[i + 1 :])
    effects, complete = list_effects(paths, names)
    assert not complete
    by_kind = {
        kind: [e for e in effects if e.kind == kind]
        for kind in ("direct", "specific indirect", "total indirect", "total")
    }
    assert len(by_kind["direct"]) == len(by_kind["total"]) == 14 * 13 // 2
    assert len(by_kind["total indirect"]) == 14 * 13 // 2 - 13
    assert 1000 < len(by_kind["specific indirect"]) <= 2000
    few, whole = list_effects(paths[:12], names)
    assert whole
    assert {e.kind for e in few} == {"direct", "total"}


def test_routes_do_not_lead_through_where_the_target_cannot_be_reached() -> None:
    """Four stations back and a blind alley: found by going back from the target step by step."""
    chain = (("a", "b"), ("b", "c"), ("c", "d"), ("d", "e"), ("a", "blind"), ("blind", "alley"))
    assert routes(chain, "a", "e") == [("a", "b", "c", "d", "e")]


@pytest.mark.parametrize(
    ("interval", "beyond"),
    [((0.0, 0.2), False), ((-0.2, 0.0), False), ((1e-9, 0.2), True), ((-0.2, -1e-9), True), ((-0.1, 0.1), False)],
)
def test_an_interval_that_ends_at_zero_does_not_exclude_it(interval: tuple[float, float], beyond: bool) -> None:
    """The kind of mediation turns on this."""
    assert excludes_zero(interval) is beyond
