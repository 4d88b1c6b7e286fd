"""Changes: every gesture does what it says, undoes cleanly, and refuses what makes no sense."""

from __future__ import annotations

import pytest

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import (
    AddConstruct,
    AddIndicators,
    AddPath,
    AddSentence,
    Change,
    DuplicateConstruct,
    FixPath,
    Free,
    Hold,
    Keep,
    MakeEqual,
    MakeMarker,
    MergeConstructs,
    MoveIndicator,
    OrderIndicators,
    RemoveConstruct,
    RemoveIndicator,
    RemoveObserved,
    RemovePath,
    Rename,
    ReplaceIndicators,
    ReplaceText,
    SetAside,
    SetControls,
    SetCovariance,
    SetMode,
    TakeBack,
    words,
)
from dusk_arrow.core.specification.checking import check, formative_of_factors
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.specification.writing import write

TEXT = """# a theory
A shows in a1, a2, a3  # the first
B shows in b1, b2, b3
A and x lead to B, y
call A > B a
call x > B b
track product = a * b
track route = x > B
expect A > B positive as H1
a1 and b1 covary
"""


def after(change: Change, text: str = TEXT) -> str:
    return write(apply(parse(text), change))


@pytest.mark.parametrize(
    ("change", "gone", "there"),
    [
        (AddConstruct("C", ("c1", "c2")), [], ["C shows in c1, c2"]),
        (AddConstruct("F", ("c1", "c2"), "formative"), [], ["F is made of c1, c2"]),
        (RemoveConstruct("A"), ["A", "track product", "a1", "expect"], ["x leads to B, y", "# the first"]),
        (
            Rename("A", "New name"),
            ["A and", "A shows"],
            ['"New name" shows in', '"New name" and x lead', 'expect "New name" > B'],
        ),
        (SetMode("A", "formative"), ["A shows"], ["A is made of a1, a2, a3  # the first"]),
        (AddIndicators("B", ("b4",)), [], ["B shows in b1, b2, b3, b4"]),
        (RemoveIndicator("A", "a1"), ["a1"], ["A shows in a2, a3"]),
        (ReplaceIndicators("A", ("a1", "a3"), "a13"), ["a1,", "a3", "covary"], ["A shows in a13, a2  # the first"]),
        (MoveIndicator("a3", "A", "B"), ["a2, a3"], ["B shows in b1, b2, b3, a3"]),
        (MakeMarker("A", "a3"), [], ["A shows in a3, a1, a2"]),
        (SetAside("A", "a2", "too long"), [], ['set aside a2 from A because "too long"']),
        (AddPath("B", "y"), [], ["B leads to y"]),
        (RemovePath("A", "B"), ["call A", "track product", "expect", "A and x"], ["x leads to B, y", "A leads to y"]),
        (RemoveObserved("x"), ["call x", "track", " x "], ["A leads to B, y"]),
        (SetCovariance("a2", "b2"), [], ["a2 and b2 covary"]),
        (SetCovariance("a1", "b1", None), ["covary"], []),
        (SetCovariance("a1", "b1", False), ["b1 covary"], ["a1 and b1 do not covary"]),
        (FixPath("A", "B", 0.0), [], ["hold A > B at 0"]),
        (AddConstruct("E", ()), [], ["E shows in\n"]),
        (Hold((ParameterKey("path", "A", "B"),), 0.5), [], ["hold A > B at 0.5"]),
        (
            Hold((ParameterKey("loading", "A", "a2"), ParameterKey("loading", "A", "a3")), 0.8),
            [],
            ["hold A > a2 at 0.8", "hold A > a3 at 0.8"],
        ),
        (Hold((ParameterKey("variance", "A", "A"),), 1.0), [], ["hold variance of A at 1"]),
        (Hold((ParameterKey("covariance", "b1", "a1"),), 0.0), [], ["hold a1 & b1 at 0"]),
        (Free((ParameterKey("loading", "A", "a1"),)), [], ["release A > a1"]),
        (Free((ParameterKey("intercept", "a1", "a1"),)), [], ["release intercept of a1"]),
        (
            MakeEqual((ParameterKey("loading", "A", "a2"), ParameterKey("loading", "B", "b2"))),
            [],
            ["match A > a2, B > b2"],
        ),
        (OrderIndicators("A", ("a3", "a1")), [], ["A shows in a3, a1, a2  # the first"]),
        (Keep("A", "a2", "only one of its kind"), [], ['keep a2 in A because "only one of its kind"']),
        (DuplicateConstruct("A", "A 2"), [], ['"A 2" shows in\n', '"A 2" leads to B', '"A 2" leads to y']),
        (AddSentence("y and B covary"), [], ["y and B covary"]),
        (ReplaceText("Z shows in z1, z2"), ["A", "B"], ["Z shows in z1, z2"]),
    ],
)
def test_each_change(change: Change, gone: list[str], there: list[str]) -> None:
    """What is said of something removed goes with it; everything else stays, comments included."""
    text = after(change)
    body = "\n".join(line for line in text.splitlines() if not line.startswith("#"))
    for piece in gone:
        assert piece not in body.replace("# the first", ""), text
    for piece in there:
        assert piece in text
    if not isinstance(change, ReplaceText):
        assert text.startswith("# a theory\n")
    assert words(change)


def test_setting_aside_and_taking_back_is_as_before() -> None:
    """People try items one at a time; coming back must be coming back exactly."""
    aside = apply(parse(TEXT), SetAside("A", "a2"))
    model = read(aside)
    assert model.by_name["A"].indicators == ("a1", "a3")
    assert model.by_name["A"].aside == (("a2", None),)
    assert write(apply(aside, TakeBack("A", "a2"))) == TEXT


def test_setting_the_marker_aside_moves_the_scale() -> None:
    """Removing the item with the fixed loading must not break the model."""
    from dusk_arrow.core.covariance.parameters import compile_model

    table = compile_model(read(apply(parse(TEXT), SetAside("A", "a1"))))
    markers = [p.target for p in table.parameters if p.kind == "loading" and p.why_fixed == "carries the scale"]
    assert markers == ["a2", "b1"]


def test_fixing_and_freeing_a_path_is_as_before() -> None:
    """Holding a path at zero is a question, not a decision."""
    fixed = apply(parse(TEXT), FixPath("A", "B", 0.0))
    assert write(apply(fixed, FixPath("A", "B", None))) == TEXT


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (Hold((ParameterKey("path", "A", "B"),), 0.5), Free((ParameterKey("path", "A", "B"),))),
        (Hold((ParameterKey("loading", "A", "a2"),), 0.5), Free((ParameterKey("loading", "A", "a2"),))),
        (
            MakeEqual((ParameterKey("path", "A", "B"), ParameterKey("path", "x", "B"))),
            Free((ParameterKey("path", "x", "B"),)),
        ),
        (Keep("A", "a2", "why"), Keep("A", "a2", essential=False)),
    ],
)
def test_what_is_freed_is_as_before(first: Change, second: Change) -> None:
    """A parameter that is held, equated or marked and let go again leaves no trace in the text."""
    assert write(apply(apply(parse(TEXT), first), second)) == TEXT


def test_held_again_means_held_once() -> None:
    """The last value counts, and what was released is not both."""
    key = (ParameterKey("loading", "A", "a1"),)
    text = write(apply(apply(apply(parse(TEXT), Free(key)), Hold(key, 0.5)), Hold(key, 0.7)))
    assert text.count("A > a1") == 1
    assert "hold A > a1 at 0.7" in text


def test_a_path_that_only_a_hold_states_stays_when_freed() -> None:
    """“hold x > y at 0” says that there is a path; freeing it means to estimate it."""
    text = "x leads to m\nhold x > y at 0.3"
    assert write(apply(parse(text), Free((ParameterKey("path", "x", "y"),)))) == "x leads to m\nx leads to y\n"


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (AddConstruct("A", ("c1",)), "name_taken"),
        (AddConstruct("a1", ("c1",)), "name_taken"),
        (AddConstruct(" ", ("c1",)), "name_empty"),
        (AddConstruct("C", ("a1",)), "indicator_taken"),
        (RemoveConstruct("C"), "unknown_construct"),
        (Rename("A", "B"), "name_taken"),
        (SetAside("A", "b1"), "not_an_indicator"),
        (TakeBack("A", "a1"), "not_aside"),
        (Hold((ParameterKey("path", "B", "A"),), 0.0), "unknown_parameter"),
        (Free((ParameterKey("loading", "A", "b1"),)), "unknown_parameter"),
        (MakeEqual((ParameterKey("path", "A", "B"), ParameterKey("path", "A", "B"))), "one_parameter"),
        (OrderIndicators("A", ("b1",)), "not_an_indicator"),
        (Keep("A", "b1"), "not_an_indicator"),
        (DuplicateConstruct("C", "D"), "unknown_construct"),
        (DuplicateConstruct("A", "B"), "name_taken"),
        (AddPath("A", "A"), "path_to_itself"),
        (AddPath("A", "B"), "path_exists"),
        (AddSentence("A walks"), "sentence_not_understood"),
    ],
)
def test_refusals(change: Change, code: str) -> None:
    """A change that makes no sense leaves the model alone and says why."""
    with pytest.raises(ProblemError) as caught:
        apply(parse(TEXT), change)
    assert caught.value.problems[0].code == code


COLUMNS = ["a1", "a2", "a3", "b1", "b2", "b3", "x", "y"]


def problems_of(specification: Specification) -> list[Problem]:
    """What is wrong with a model of common factors."""
    return [*check(specification, COLUMNS), *formative_of_factors(read(specification))]


@pytest.mark.parametrize(
    ("text", "code", "about"),
    [
        ("", "empty_model", None),
        ("A shows in a1, a9", "unknown_column", "a9"),
        ("A shows in a1, a2\nA leads to Z", "unknown_column", "Z"),
        ("A shows in a1\nA shows in a2", "construct_defined_twice", "A"),
        ("A shows in B, a1\nB shows in A, b1", "circular_constructs", "A"),
        ("A shows in a1, a2\nset aside a1, a2 from A", "no_indicators", "A"),
        ("A shows in a1, a2\nB is made of a2, b1", "indicator_of_two", "a2"),
        ("A shows in a1, a2\na1 leads to y", "indicator_in_path", "a1"),
        ("A shows in a1, a2\nA leads to A", "path_to_itself", "A"),
        ("A shows in a1, a2\nx leads to A\nA and x covary\nA and x do not covary", "contradictory_covariance", "A"),
        ("A shows in a1, a2\nx leads to A\na1 and x covary", "mixed_covariance", "a1"),
        ("A shows in a1, a2\nhold A > a1 at 1\nhold A > a1 at 2", "fixed_twice", "A"),
        ("A shows in a1, a2\nset aside b1 from A", "not_an_indicator", "b1"),
        ("A shows in a1, a2\nbegin A > b1 at 1", "unknown_parameter", "b1"),
        ("A shows in a1, a2\ntrack q = a * 2", "unknown_named_parameter", "a"),
        ("A shows in a1, a2\ntrack q = A > y", "route_without_path", "y"),
        ("F is made of a1, a2\nx leads to y", "formative_without_path", "F"),
        ("F is made of a1, a2\nF leads to y\nx leads to F", "path_into_formative", "F"),
        ("A shows in a1, a2\nx leads to A\ny moderates x > A", "moderation_not_available", "y"),
        ("A shows in a1, a1, a2", "named_twice", "a1"),
        ("A shows in a1, a2\na shows in b1, b2", "names_differ_by_case", "a"),
    ],
)
def test_problems_of_a_model_are_named(text: str, code: str, about: str | None) -> None:
    """Every way to contradict oneself is said in words, with the name it concerns."""
    found = [p for p in problems_of(parse(text)) if p.code == code]
    assert found, [p.code for p in problems_of(parse(text))]
    if about is not None:
        assert about in found[0].about


def test_repairs_do_repair() -> None:
    """A button that a problem offers must make that problem go away."""
    tried = 0
    for text in ("A shows in a1, a9, a2", "A shows in a1, a2\na1 leads to y", "F is made of a1, a2\nx leads to y",
                 "A shows in a1, a2\nB is made of a2, b1", "F is made of a1, a2\nF leads to y\nx leads to F"):  # fmt: skip
        specification = parse(text)
        for problem in problems_of(specification):
            for repair in problem.repairs:
                tried += 1
                left = {p.code for p in problems_of(apply(specification, repair.change))}
                assert problem.code not in left, (text, repair.words)
    assert tried >= 7


def test_unknown_names_get_a_guess() -> None:
    """Typing st5 for st4 must not end in a search through the questionnaire."""
    problem = check(parse("A shows in a1, A2, a3"), COLUMNS)[0]
    assert "Did you mean a2" in problem.message


def test_reflective_constructs_may_share_an_indicator() -> None:
    """A cross-loading is a hypothesis like any other; a formative construct shares nothing."""
    specification = parse("A shows in a1, a2, a3\nB shows in b1, b2, b3")
    shared = apply(specification, AddIndicators("B", ("a3",)))
    assert [p for p in check(shared, COLUMNS) if p.severity == "error"] == []
    assert [c.name for c in read(shared).constructs if "a3" in c.indicators] == ["A", "B"]
    assert "a3" in read(apply(shared, SetAside("B", "a3"))).owner
    assert "a3" in read(apply(shared, RemoveConstruct("B"))).owner
    with pytest.raises(ProblemError, match="already belongs to A"):
        apply(specification, AddConstruct("C", ("a1", "b1")))
    with pytest.raises(ProblemError, match="already belongs to A"):
        apply(parse("A shows in a1, a2\nF is made of b1, b2"), AddIndicators("F", ("a1",)))


def test_merging_moves_indicators_and_paths() -> None:
    """Two constructs that are one become one: nothing measured is lost, no path leads to itself."""
    text = "A shows in a1, a2\nB shows in b1, b2, b3\nC shows in a3, b4\nset aside b3 from B\nA leads to B\nB leads to C\nA leads to C"
    merged = read(apply(parse(text), MergeConstructs("B", "A")))
    assert [c.name for c in merged.constructs] == ["A", "C"]
    assert merged.by_name["A"].indicators == ("a1", "a2", "b1", "b2")
    assert [name for name, _ in merged.by_name["A"].aside] == ["b3"]
    assert merged.paths == (("A", "C"),)
    with pytest.raises(ProblemError, match="cannot be merged"):
        apply(parse("A shows in a1, a2\nF is made of b1, b2"), MergeConstructs("F", "A"))


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (ReplaceIndicators("A", ("a1", "b1"), "m"), "no indicator of A"),
        (ReplaceIndicators("A", ("a1", "a2"), "b1"), "already belongs to B"),
    ],
)
def test_a_column_replaces_only_what_is_there_by_what_is_free(change: Change, why: str) -> None:
    """Otherwise an item of one construct would vanish, or one column would be counted twice."""
    with pytest.raises(ProblemError, match=why):
        apply(parse(TEXT), change)


def test_controls_are_paths_with_a_role() -> None:
    """Whoever controls for age wants it everywhere something is explained, also in what is drawn later, and nowhere else."""
    text = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B\ncontrol age, years\ncontrol income for B"
    model = read(parse(text))
    assert model.controls == (("age", "B"), ("years", "B"), ("income", "B"))
    assert model.paths[0] == ("A", "B")
    assert set(model.paths) == {("A", "B"), *model.controls}
    later = apply(parse(text), AddPath("B", "z"))
    assert {("age", "z"), ("years", "z")} <= set(read(later).controls)
    assert ("income", "z") not in read(later).paths
    without = apply(later, RemovePath("age", "B"))
    assert ("age", "B") not in read(without).paths
    assert {("age", "z"), ("years", "B"), ("years", "z")} <= set(read(without).controls)
    assert read(parse(write(without))) == read(without)


def test_controls_are_chosen_once() -> None:
    """Choosing controls anew takes the place of those before; a predictor that becomes one is no longer of interest itself."""
    text = "A shows in a1, a2, a3\nA and age lead to y\ncontrol income"
    chosen = apply(parse(text), SetControls(("age", "years")))
    assert read(chosen).controls == (("age", "y"), ("years", "y"))
    assert "income" not in write(chosen)
    assert write(apply(chosen, SetControls(()))) == "A shows in a1, a2, a3\nA leads to y\n"
    for name, what in (("A", "a construct"), ("a1", "an indicator of A")):
        with pytest.raises(ProblemError, match=what):
            apply(parse(text), SetControls((name,)))
    codes = [p.code for p in check(parse("A shows in a1, a2, a3\ncontrol A, age"), ("a1", "a2", "a3", "age"))]
    assert {"control_is_construct", "controls_nothing"} <= set(codes)
    caused = check(parse("x, z lead to y\nz leads to x\ncontrol x"), ("x", "y", "z"))
    assert "control_with_cause" in [p.code for p in caused]
