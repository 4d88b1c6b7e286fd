"""Programs of composites: stages, parts, signs, what is implied, and what is refused before anything is computed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.composite.distances import distances
from dusk_arrow.core.composite.program import Program, estimate, implied_measurement, implied_whole
from dusk_arrow.core.composite.refusals import (
    cannot_say,
    left_out_paths,
    parts_of,
    sample_problems,
    structure_problems,
)
from dusk_arrow.core.composite.setting_up import estimated_paths, plan_program
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.settings import Settings
from tests.core.test_composite_weights import random_correlation

PLAIN = "A shows in a1..a3\nF is made of f1, f2\nA and x lead to F\nF leads to y"
PARTS = "A shows in a1..a3\nB shows in b1, b2\nC shows in c1..c3\nD shows in d1, d2\nG shows in A, B\nD leads to G\nG leads to C"


def model_of(text: str) -> Model:
    return read(parse(text))


def program_of(text: str, **settings: object) -> Program:
    return plan_program(model_of(text), Settings(**{"family": "composite", **settings}))


def codes(text: str, measurement: bool = False) -> list[str]:
    model = model_of(text)
    return [p.code for p in structure_problems(model, estimated_paths(model), measurement)]


def test_a_plain_model_is_one_blueprint() -> None:
    """Constructs in their order, then observed variables of paths, each with its columns and its mode."""
    plan = program_of(PLAIN)
    assert plan.columns == ("a1", "a2", "a3", "f1", "f2", "x", "y")
    assert plan.names == ("A", "F", "x", "y")
    assert [block.mode for block in plan.first.blocks] == ["A", "B", "A", "A"]
    assert [block.single for block in plan.first.blocks] == [False, False, True, True]
    assert plan.first.paths == ((0, 1), (2, 1), (1, 3))
    assert plan.second is None
    assert program_of(PLAIN, estimator="pls").first.corrected == ()
    assert plan.first.corrected == (0,)


def test_two_stages_put_the_parts_in_the_place_of_their_whole() -> None:
    """First the parts have the paths of the whole, then the whole has them and the parts are its columns."""
    plan = program_of(PARTS)
    first, second = plan.first, plan.second
    assert second is not None
    assert first.names == ("A", "B", "C", "D")
    named = {(first.names[a], first.names[b]) for a, b in first.paths}
    assert named == {("D", "A"), ("D", "B"), ("A", "C"), ("B", "C")}
    assert second.names == ("C", "D", "G")
    assert second.columns == ("c1", "c2", "c3", "d1", "d2", "A", "B")
    assert {(second.names[a], second.names[b]) for a, b in second.paths} == {("D", "G"), ("G", "C")}
    assert plan.structure is second
    assert plan.block("A")[0] is first
    assert plan.block("C")[0] is second


@pytest.mark.parametrize(("mode", "direction"), [("shows in", ("G", "A")), ("is made of", ("A", "G"))])
def test_repeated_indicators_link_the_whole_with_its_parts(mode: str, direction: tuple[str, str]) -> None:
    """To them where it shows in them, from them where they make it up; and it stands apart from them."""
    plan = program_of(PARTS.replace("G shows in", f"G {mode}"), second_order="repeated")
    names = plan.first.names
    links = {(names[a], names[b]) for a, b in plan.first.links}
    assert direction in links
    assert len(links) == 2
    whole = plan.first.blocks[names.index("G")]
    assert [plan.columns[i] for i in whole.columns] == ["a1", "a2", "a3", "b1", "b2"]
    assert whole.repeats
    assert [names[i] for i in plan.first.standing] == ["C", "D", "G"]


@given(seed=st.integers(0, 2000))
def test_scores_have_variance_one_at_every_stage(seed: int) -> None:
    """Weights on the columns make scores of variance 1 whichever stage they come from."""
    plan = program_of(PARTS)
    sample = random_correlation(len(plan.columns), seed)[None]
    outcome = estimate(plan, sample)
    if outcome.converged[0]:
        assert np.diagonal(outcome.scores[0]) == pytest.approx(np.ones(len(plan.names)), abs=1e-8)
        whole = plan.place["G"]
        loadings = outcome.scores[0, [plan.place["A"], plan.place["B"]], whole]
        assert np.abs(loadings).max() <= 1 + 1e-9


def test_some_of_a_batch_are_those_of_the_batch() -> None:
    """What is kept of resamples that converged belongs to them, in every part of the outcome."""
    plan = program_of(PARTS)
    samples = np.stack([random_correlation(len(plan.columns), seed) for seed in range(4)])
    whole = estimate(plan, samples)
    part = whole.members(np.array([2, 0]))
    for i, at in enumerate((2, 0)):
        alone = estimate(plan, samples[at : at + 1])
        assert part.weights[i] == pytest.approx(alone.weights[0], abs=1e-9)
        assert part.structure.paths[i] == pytest.approx(alone.structure.paths[0], abs=1e-9)
        assert part.own_loadings["G"][i] == pytest.approx(alone.own_loadings["G"][0], abs=1e-9)
        assert part.iterations[i] == alone.iterations[0]


def test_signs_of_another_sample_are_followed_in_both_stages() -> None:
    """Every construct turned round stays turned round, and with it the signs of its paths."""
    plan = program_of(PARTS)
    sample = random_correlation(len(plan.columns), 3)[None]
    own = estimate(plan, sample)
    turned = np.ones(len(plan.names))
    turned[[plan.place["G"], plan.place["C"]]] = -1
    like = replace(plan, like=own.weights[0] * turned[:, None])
    found = estimate(like, sample)
    assert found.weights[0] == pytest.approx(own.weights[0] * turned[:, None], abs=1e-8)
    names = plan.structure.names
    for (a, b), one, other in zip(plan.structure.paths, own.structure.paths[0], found.structure.paths[0], strict=True):
        sign = turned[plan.place[names[a]]] * turned[plan.place[names[b]]]
        assert other == pytest.approx(sign * one, abs=1e-8)


def test_distances_of_the_measurement_part_are_never_larger_within_the_same_columns() -> None:
    """The structure can only take away from what free correlations of constructs reproduce of the correlations between
    two blocks whose weights they share; here it is left out of one path that matters."""
    plan = program_of(
        "A shows in a1..a3\nB shows in b1..b3\nC shows in c1..c3\nA leads to B\nB leads to C", estimator="pls"
    )
    sample = random_correlation(9, 5)[None]
    outcome = estimate(plan, sample)
    whole = implied_whole(plan, outcome, sample)
    assert whole is not None
    own, measured = distances(*whole), distances(*implied_measurement(plan, outcome, sample))
    assert measured.srmr[0] < own.srmr[0]
    assert measured.d_uls[0] < own.d_uls[0]


def test_the_whole_has_no_distances_where_indicators_are_repeated() -> None:
    """Columns that stand in two blocks would be held against themselves."""
    plan = program_of(PARTS, second_order="repeated")
    sample = random_correlation(len(plan.columns), 4)[None]
    outcome = estimate(plan, sample)
    assert implied_whole(plan, outcome, sample) is None
    assert np.isfinite(distances(*implied_measurement(plan, outcome, sample))).all()


@pytest.mark.parametrize(
    ("text", "measurement", "code"),
    [
        ("A shows in a1, a2\nB shows in b1, b2", False, "linked_to_nothing"),
        ("A shows in a1, a2", True, "linked_to_nothing"),
        (
            "A shows in a1\nB shows in b1\nC shows in c1\nA leads to B\nB leads to C\nC leads to A",
            False,
            "paths_in_circle",
        ),
        ("A shows in a1, b1\nB shows in b1\nA leads to B", False, "shared_indicator"),
        (PARTS + "\nA leads to C", False, "part_with_paths"),
        (PARTS + "\nH shows in G, D", False, "third_order"),
        ("A shows in a1, a2\nG shows in A, g1\nC shows in c1\nG leads to C", False, "mixed_indicators"),
    ],
)
def test_structures_that_cannot_be(text: str, measurement: bool, code: str) -> None:
    """Each is named before anything is computed, with the way out where there is one."""
    assert code in codes(text, measurement)


def test_structures_that_can() -> None:
    """Nothing is refused that this family is for."""
    for text in (PLAIN, PARTS, "x leads to y", "A shows in a1\nx leads to A"):
        assert codes(text) == []
    assert codes("A shows in a1, a2\nB is made of b1, b2", measurement=True) == []


def test_a_circle_is_told_by_its_stations_with_a_way_out() -> None:
    """The repair takes away one path of that circle, after which there is none."""
    model = model_of("A leads to B\nB leads to C\nC leads to B")
    problem = next(p for p in structure_problems(model, model.paths, False) if p.code == "paths_in_circle")
    assert set(problem.about) == {"B", "C"}
    change = problem.repairs[0].change
    rest = [path for path in model.paths if path != (change.source, change.target)]
    assert "paths_in_circle" not in [p.code for p in structure_problems(model, rest, False)]


def test_values_that_are_held_and_what_is_left_aside() -> None:
    """A path at 0 is left out in silence, for that is what it says; everything else is named."""
    model = model_of(PLAIN + "\nhold A > F at 0\nhold F > y at 0.5\na1 and a2 covary\nbegin A > F at 0.1")
    assert left_out_paths(model) == {("A", "F")}
    assert estimated_paths(model) == (("x", "F"), ("F", "y"))
    found = {p.code: p for p in cannot_say(model)}
    assert found["held_value"].about == ("F", "y")
    assert found["held_value"].severity == "error"
    assert found["covariances_left_aside"].severity == "warning"
    assert found["starts_left_aside"].severity == "note"
    assert cannot_say(model_of(PLAIN)) == []
    assert parts_of(model_of(PARTS)) == {"G": ("A", "B")}


def test_columns_that_cannot_be_worked_with() -> None:
    """Too few cases, no variance, no common cases, dependent formative items, impossible pairwise correlations."""
    fine = np.array([[1.0, 0.3, 0.2], [0.3, 1.0, 0.4], [0.2, 0.4, 1.0]])
    names = ("a", "b", "c")

    def found(matrix: np.ndarray, n: int = 50, pairwise: bool = False) -> list[str]:
        return [p.code for p in sample_problems(names, matrix, n, [("F", [0, 1])], [], pairwise)]

    assert found(fine) == []
    assert found(fine, n=2) == ["no_cases"]
    still = fine.copy()
    still[2, 2] = 0
    assert found(still) == ["zero_variance"]
    apart = fine.copy()
    apart[0, 1] = apart[1, 0] = np.nan
    assert found(apart) == ["no_common_cases"]
    copies = fine.copy()
    copies[0, 1] = copies[1, 0] = 1.0
    assert "formative_dependent" in found(copies)
    odd = np.array([[1.0, 0.9, -0.9], [0.9, 1.0, 0.9], [-0.9, 0.9, 1.0]])
    assert found(odd) == []
    assert found(odd, pairwise=True) == ["not_positive_definite"]
