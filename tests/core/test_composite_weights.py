"""The iteration of composites against closed forms, exact populations, and itself in other guises."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core import linear_algebra
from dusk_arrow.core.composite import weights as iteration
from dusk_arrow.core.composite.blueprint import Block, Blueprint, OuterMode, Scheme
from dusk_arrow.core.composite.distances import distances, geodesic, squared_euclidean
from dusk_arrow.core.composite.solution import Solution, admissible, implied, implied_between, rho_a, solve
from dusk_arrow.core.composite.weights import Hastening, find_weights, inner_weights, oriented, regress
from dusk_arrow.core.linear_algebra import correlation_from

SCHEMES: tuple[Scheme, ...] = ("path", "factorial", "centroid")


def blueprint(
    sizes: list[int],
    paths: list[tuple[int, int]],
    modes: str = "",
    scheme: Scheme = "path",
    consistent: bool = False,
    saturated: bool = False,
) -> Blueprint:
    """Blocks of so many columns each, in order."""
    ends = np.cumsum(sizes)
    blocks = []
    for i, (size, end) in enumerate(zip(sizes, ends.tolist(), strict=True)):
        mode: OuterMode = "B" if modes[i : i + 1] == "B" else "A"
        blocks.append(Block(f"c{i}", tuple(range(end - size, end)), mode, consistent))
    columns = tuple(f"x{i}" for i in range(int(ends[-1])))
    return Blueprint(columns, tuple(blocks), tuple(paths), scheme, saturated)


def random_correlation(p: int, seed: int) -> np.ndarray:
    """Correlations with a common tendency, so that blocks are related."""
    rng = np.random.default_rng(seed)
    values = rng.normal(size=(4 * p, p)) + rng.normal(size=(4 * p, 1))
    return np.asarray(np.corrcoef(values, rowvar=False))


def found(plan: Blueprint, correlation: np.ndarray) -> Solution:
    weights = find_weights(plan, correlation[None])
    assert weights.converged.all()
    return solve(plan, weights.values, correlation[None])


def drawn_on(plan: Blueprint, between: np.ndarray) -> np.ndarray:
    """How much each construct draws on which (m, m), from their correlations (m, m)."""
    near = plan.neighbours
    given = np.zeros_like(between)
    links = near.into[near.linked], near.out_of[near.linked]
    given[links] = inner_weights(plan, between[near.into, near.out_of][:, None])[:, 0]
    return given


def drawn_on_plainly(plan: Blueprint, between: np.ndarray) -> np.ndarray:
    """The same by the definitions of the schemes, one construct after the other."""
    found = np.where(plan.linked, np.sign(between) if plan.scheme == "centroid" else between, 0.0)
    for outcome, antecedents in plan.antecedents.items() if plan.scheme == "path" else ():
        rows = list(antecedents)
        found[outcome, rows] = np.linalg.solve(between[np.ix_(rows, rows)], between[rows, outcome])
    return found


LOADINGS = [
    np.array([0.8, 0.7, 0.6]),
    np.array([0.9, 0.75, 0.7, 0.65]),
    np.array([0.85, 0.8]),
    np.array([0.7, 0.9, 0.6]),
]
PATHS = [(0, 1), (0, 2), (1, 2), (2, 3), (0, 3)]
COEFFICIENTS = np.array([0.5, 0.3, 0.4, 0.45, -0.2])


def common_factors() -> tuple[np.ndarray, np.ndarray]:
    """Correlations of columns made from common factors with the loadings and paths above, and those of the factors."""
    m = len(LOADINGS)
    effect = np.zeros((m, m))
    for (source, target), value in zip(PATHS, COEFFICIENTS, strict=True):
        effect[target, source] = value
    factors = np.eye(m)
    for j in range(1, m):
        factors[j, :j] = factors[:j, j] = effect[j, :j] @ factors[:j, :j]
    wide = np.zeros((m, sum(len(v) for v in LOADINGS)))
    at = 0
    for j, values in enumerate(LOADINGS):
        wide[j, at : at + len(values)] = values
        at += len(values)
    sample = wide.T @ factors @ wide
    np.fill_diagonal(sample, 1.0)
    return sample, factors


@pytest.mark.parametrize("scheme", SCHEMES)
def test_corrected_estimates_return_an_exact_population(scheme: Scheme) -> None:
    """What common factors are made of must come back: this is what consistent estimation promises."""
    sample, factors = common_factors()
    plan = blueprint([3, 4, 2, 3], PATHS, scheme=scheme, consistent=True)
    solution = found(plan, sample)
    for row, values in enumerate(LOADINGS):
        assert solution.loadings[0, row, list(plan.blocks[row].columns)] == pytest.approx(values, abs=1e-6)
    assert solution.paths[0] == pytest.approx(COEFFICIENTS, abs=1e-6)
    assert solution.between[0] == pytest.approx(factors, abs=1e-6)
    whole = implied(plan, solution, sample[None], implied_between(plan, solution))
    assert max(float(d[0]) for d in distances(sample[None], whole)) < 1e-6
    assert admissible(plan, solution).all()


def test_plain_estimates_do_not() -> None:
    """Scores hold measurement error: paths among them are too small, loadings too large. A test of consistency that plain
    estimates pass would test nothing."""
    sample, _ = common_factors()
    solution = found(blueprint([3, 4, 2, 3], PATHS), sample)
    assert np.all(np.abs(solution.paths[0][[0, 3]]) < np.abs(COEFFICIENTS[[0, 3]]) - 0.03)
    own = solution.loadings[0, 0, :3]
    assert np.all(own > LOADINGS[0] + 0.02)


def test_mode_a_of_two_blocks_is_the_singular_value_decomposition() -> None:
    """Two blocks in mode A maximise the covariance of their composites: the first singular vectors of what is between."""
    sample = random_correlation(7, 3)
    solution = found(blueprint([3, 4], [(0, 1)], scheme="factorial"), sample)
    left, _, right = np.linalg.svd(sample[:3, 3:])
    for vector, own in ((left[:, 0], solution.weights[0, 0, :3]), (right[0], solution.weights[0, 1, 3:])):
        assert np.abs(own / np.linalg.norm(own)) == pytest.approx(np.abs(vector), abs=1e-7)


def test_mode_b_of_two_blocks_is_canonical_correlation() -> None:
    """Two blocks in mode B maximise the correlation of their composites."""
    sample = random_correlation(7, 4)
    solution = found(blueprint([3, 4], [(0, 1)], modes="BB"), sample)
    first, second, across = sample[:3, :3], sample[3:, 3:], sample[:3, 3:]
    squared = np.linalg.eigvals(np.linalg.solve(first, across) @ np.linalg.solve(second, across.T))
    assert solution.between[0, 0, 1] == pytest.approx(np.sqrt(squared.real.max()), abs=1e-9)


@pytest.mark.parametrize("scheme", SCHEMES)
@pytest.mark.parametrize("modes", ["AAAA", "BAAA", "ABAB"])
@pytest.mark.parametrize("paths", [PATHS, [(0, 3), (1, 3), (2, 3)]], ids=["linked", "causes apart"])
def test_weights_are_a_fixed_point(scheme: Scheme, modes: str, paths: list[tuple[int, int]]) -> None:
    """At the end the equations of the algorithm hold: each composite is what its neighbours say of its block."""
    sample = random_correlation(13, 5)
    plan = blueprint([3, 4, 3, 3], paths, modes=modes, scheme=scheme)
    weights = find_weights(plan, sample[None]).values
    assert ((weights @ sample) * weights).sum(axis=-1) == pytest.approx(np.ones((1, 4)), abs=1e-12)
    between = weights[0] @ sample @ weights[0].T
    given = drawn_on_plainly(plan, between)
    assert drawn_on(plan, between) == pytest.approx(given, abs=1e-12)
    proxies = given @ weights
    for row, block in enumerate(plan.blocks):
        columns = list(block.columns)
        drawn = (proxies @ sample)[0, row, columns]
        if block.mode == "B":
            drawn = np.linalg.solve(sample[np.ix_(columns, columns)], drawn)
        own = weights[0, row, columns]
        assert np.cross(own[:3], drawn[:3]) == pytest.approx(np.zeros(3), abs=1e-7)
        assert (own * drawn).sum() > 0 or scheme == "path"


def test_path_scheme_regresses_on_causes_and_correlates_with_outcomes() -> None:
    """The three schemes by their definitions, on correlations of four constructs."""
    _, factors = common_factors()
    by_path = drawn_on(blueprint([3, 4, 2, 3], PATHS), factors)
    assert by_path[2, [0, 1]] == pytest.approx([0.3, 0.4])
    assert by_path[3, [2, 0]] == pytest.approx([0.45, -0.2]), "though 2 draws on 0 by a coefficient, too"
    assert by_path[0, [1, 2, 3]] == pytest.approx(factors[0, 1:])
    assert by_path[1, 3] == by_path[0, 0] == 0
    factorial = drawn_on(blueprint([3, 4, 2, 3], PATHS, scheme="factorial"), factors)
    assert factorial[2] == pytest.approx([factors[2, 0], factors[2, 1], 0, factors[2, 3]])
    centroid = drawn_on(blueprint([3, 4, 2, 3], PATHS, scheme="centroid"), factors)
    assert set(np.unique(centroid)) <= {-1.0, 0.0, 1.0}
    assert np.sign(centroid[3, 0]) == np.sign(factors[3, 0])


def test_the_saturated_part_links_everything() -> None:
    """Measurement alone does not know which paths were drawn; centroid would only know signs, so correlations count."""
    sample, factors = common_factors()
    for scheme in SCHEMES:
        plan = blueprint([3, 4, 2, 3], [], scheme=scheme, consistent=True, saturated=True)
        solution = found(plan, sample)
        assert solution.between[0] == pytest.approx(factors, abs=1e-6)
        assert implied_between(plan, solution) == pytest.approx(solution.between)


def test_reliability_by_its_definition() -> None:
    """With weights that are proportional to the loadings of a common factor, rho_A is the squared correlation of the
    composite with the factor."""
    loadings = np.array([0.9, 0.6, 0.7, 0.5])
    within = np.outer(loadings, loadings)
    np.fill_diagonal(within, 1.0)
    weights = loadings / np.sqrt(loadings @ within @ loadings)
    variance = weights @ within @ weights
    assert rho_a(weights, np.diagonal(within), variance) == pytest.approx((weights @ loadings) ** 2, abs=1e-12)


def test_single_columns_and_formative_blocks_are_not_corrected() -> None:
    """There is nothing to correct by: their correlations stay those of what was observed."""
    sample = random_correlation(8, 6)
    plan = blueprint([1, 3, 4], [(0, 2), (1, 2)], modes="ABA", consistent=True)
    solution = found(plan, sample)
    assert plan.corrected == (2,)
    assert np.isnan(solution.rho[0, :2]).all()
    assert solution.between[0, 0, 1] == pytest.approx(solution.scores[0, 0, 1])
    assert solution.loadings[0, 0, 0] == pytest.approx(1.0)
    assert abs(solution.between[0, 0, 2]) > abs(solution.scores[0, 0, 2])


@given(seed=st.integers(0, 3000))
def test_a_batch_is_its_members(seed: int) -> None:
    """A resample must not depend on which others are solved with it."""
    plan = blueprint([3, 4, 3], [(0, 1), (1, 2)], modes="AAB", consistent=True)
    samples = np.stack([random_correlation(10, seed + i) for i in range(5)])
    together = find_weights(plan, samples)
    for i in range(5):
        alone = find_weights(plan, samples[i : i + 1])
        assert together.iterations[i] == alone.iterations[0]
        assert together.values[i] == pytest.approx(alone.values[0], abs=1e-12)


@given(seed=st.integers(0, 3000))
def test_turned_and_reordered_columns_turn_and_reorder_weights(seed: int) -> None:
    """A recoded item gets the opposite weight, and the order of items in a block means nothing."""
    plan = blueprint([3, 4], [(0, 1)])
    sample = random_correlation(7, seed)
    own = find_weights(plan, sample[None]).values[0]
    order = np.array([2, 0, 1, 3, 4, 5, 6])
    moved = find_weights(plan, sample[np.ix_(order, order)][None]).values[0]
    assert moved == pytest.approx(own[:, order], abs=1e-7)
    turn = np.diag([1.0, 1, 1, 1, 1, 1, -1])
    turned = find_weights(plan, (turn @ sample @ turn)[None]).values[0]
    sign = np.sign((turned @ turn * own).sum(axis=-1, keepdims=True))
    assert sign * turned @ turn == pytest.approx(own, abs=1e-6)


def test_constructs_run_with_most_of_their_indicators_or_with_another_sample() -> None:
    """A sign that flips from resample to resample would make every interval contain zero."""
    sample = random_correlation(7, 8)
    plan = blueprint([3, 4], [(0, 1)])
    weights = find_weights(plan, sample[None]).values
    assert np.all(np.where(weights != 0, weights @ sample, 0).sum(axis=-1) > 0)
    assert find_weights(plan, sample[None], -weights[0]).values == pytest.approx(weights, abs=1e-7)

    assert oriented(weights, sample[None], like=-weights[0]) == pytest.approx(-weights)


RATES = [(0.3,), (0.85,), (-0.6,), (1.2,), (-1.5,), (0.9, 0.2), (0.6, -0.7), (0.4, 1.1), (-1.2, 0.3)]
TURNING = [r * np.array([[np.cos(1.2), -np.sin(1.2)], [np.sin(1.2), np.cos(1.2)]]) for r in (0.7, 1.1)]


@pytest.mark.parametrize("move", [*(np.diag(rates) for rates in RATES), *TURNING], ids=str)
def test_iterations_are_hastened_to_where_they_lead_and_nowhere_else(move: np.ndarray) -> None:
    """A geometric approach, of one rate, of two, or in circles, is ended at once; what moves away from a point is not drawn to it, though
    the equations are as exact."""
    ends = np.array([[0.4], [-0.2], [0.7]])
    modes = np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))[0][: len(move)].T
    apart = modes @ move @ np.linalg.pinv(modes)
    weights = [ends + modes.sum(axis=1, keepdims=True) / 10]
    for _ in range(1 + len(move)):
        weights.append(ends + apart @ (weights[-1] - ends))
    hastening = Hastening()
    for before, made in itertools.pairwise(weights):
        found = hastening.on(made[None], (made - before)[None])[0]
    if np.abs(np.linalg.eigvals(move)).max() < 1:
        assert found == pytest.approx(ends, abs=1e-10)
    else:
        assert np.abs(found - ends).max() > 1e-3


def test_what_points_back_has_not_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where a guess leads back to where it came from, nothing changes any more, and yet nothing is solved."""
    sample = random_correlation(7, 9)
    plan = blueprint([3, 4], [(0, 1)])
    start = find_weights(plan, sample[None]).values[0]
    assert find_weights(plan, random_correlation(7, 3)[None], start).converged.all()
    monkeypatch.setattr(iteration, "hastened", lambda made, apart, steps: made - apart)
    assert not find_weights(plan, random_correlation(7, 3)[None], start).converged.any()


def test_what_is_solved_in_slices_is_what_is_solved_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Large blocks go in slices, so that memory is bounded; no weight may depend on who was in the slice."""
    rng = np.random.default_rng(4)
    values = rng.normal(size=(80, 11)) + rng.normal(size=(80, 1))
    drawn = np.stack([np.corrcoef(values[rng.integers(0, 80, 80)], rowvar=False) for _ in range(9)])
    plan = blueprint([2, 5, 4], [(0, 1), (1, 2)])
    whole = find_weights(plan, drawn, find_weights(plan, drawn[:1]).values[0])
    monkeypatch.setattr(linear_algebra, "MOST_AT_ONCE", 800)
    parts = find_weights(plan, drawn, find_weights(plan, drawn[:1]).values[0])
    assert parts.values == pytest.approx(whole.values, abs=1e-14)
    np.testing.assert_array_equal(parts.iterations, whole.iterations)


def test_a_start_nearby_changes_no_weight() -> None:
    """Resamples start at the sample's weights and are hastened; each must end where it ends by itself."""
    rng = np.random.default_rng(2)
    values = rng.normal(size=(120, 12)) + rng.normal(size=(120, 1))
    for scheme, modes in itertools.product(SCHEMES, ("AAA", "ABA")):
        plan = blueprint([4, 5, 3], [(0, 1), (1, 2), (0, 2)], modes, scheme)
        start = find_weights(plan, np.corrcoef(values, rowvar=False)[None]).values[0]
        drawn = np.stack([np.corrcoef(values[rng.integers(0, 120, 120)], rowvar=False) for _ in range(60)])
        near, alone = find_weights(plan, drawn, start), find_weights(plan, drawn)
        assert near.converged.all()
        assert near.values == pytest.approx(alone.values, abs=1e-7)
        assert near.iterations.sum() < alone.iterations.sum()


def test_dependent_antecedents_have_no_coefficients() -> None:
    """A regression on two copies of one variable has no answer, and its neighbours in the batch keep theirs."""
    fine = np.array([[1.0, 0.3, 0.4], [0.3, 1.0, 0.5], [0.4, 0.5, 1.0]])
    copies = np.array([[1.0, 1.0, 0.4], [1.0, 1.0, 0.4], [0.4, 0.4, 1.0]])
    for fellows in (1, 20):
        coefficients = regress(np.stack([*[fine] * fellows, copies]), 2, (0, 1))
        assert coefficients[0] == pytest.approx(np.linalg.solve(fine[:2, :2], fine[:2, 2]))
        assert np.isnan(coefficients[-1]).all()


def test_what_has_no_variance_does_not_converge() -> None:
    """Nothing is divided by zero in silence."""
    sample = random_correlation(7, 9)
    broken = sample.copy()
    broken[0, :] = broken[:, 0] = np.nan
    weights = find_weights(blueprint([3, 4], [(0, 1)]), np.stack([sample, broken]))
    assert weights.converged.tolist() == [True, False]


def test_distances_by_their_definitions() -> None:
    """Sums over the full matrix, eigenvalues of S⁻¹Σ; zero for what is the same."""
    sample, other = random_correlation(5, 1), random_correlation(5, 2)
    assert squared_euclidean(sample, other) == pytest.approx(sum((sample - other).ravel() ** 2) / 2)
    roots = np.linalg.eigvals(np.linalg.solve(sample, other)).real
    assert geodesic(sample, other) == pytest.approx((np.log(roots) ** 2).sum() / 2)
    below = np.tril_indices(5)
    assert distances(sample, other).srmr == pytest.approx(np.sqrt(((sample - other)[below] ** 2).mean()))
    assert max(float(d) for d in distances(sample, sample)) < 1e-12
    assert np.isnan(geodesic(sample, np.ones((5, 5))))


@pytest.mark.parametrize("consistent", [False, True])
def test_a_saturated_structure_implies_what_was_found(consistent: bool) -> None:
    """With every path among constructs, their correlations are reproduced; with fewer, only those of the causes are."""
    sample = correlation_from(random_correlation(10, 12))
    every = blueprint([3, 4, 3], [(0, 1), (0, 2), (1, 2)], consistent=consistent)
    solution = found(every, sample)
    assert implied_between(every, solution) == pytest.approx(solution.between, abs=1e-9)
    fewer = blueprint([3, 4, 3], [(0, 1), (1, 2)], consistent=consistent)
    solution = found(fewer, sample)
    between = implied_between(fewer, solution)
    assert between[0, 0, 2] == pytest.approx(solution.paths[0].prod())
    whole = implied(fewer, solution, sample[None], between)
    if not consistent:
        assert whole[0, :3, :3] == pytest.approx(sample[:3, :3])


def test_a_circle_has_no_order() -> None:
    """Which is refused in words before anything is computed."""
    with pytest.raises(ValueError, match="circle"):
        _ = blueprint([2, 2], [(0, 1), (1, 0)]).order
    assert blueprint([2, 2, 2], [(2, 0), (0, 1)]).order == (2, 0, 1)
