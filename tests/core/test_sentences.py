"""The text form: what is understood, what is refused and how, and that nothing is lost on the way there and back."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import EXAMPLES, parse, parse_line
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Binary,
    Calls,
    Controls,
    Covaries,
    Expects,
    Holds,
    InterceptOf,
    Keeps,
    Leads,
    Line,
    MadeOf,
    Matches,
    Moderates,
    Negative,
    Number,
    Pair,
    Reference,
    Releases,
    SetsAside,
    Shows,
    Specification,
    Tracks,
    VarianceOf,
)
from dusk_arrow.core.specification.writing import write
from dusk_arrow.core.texts import plain_name


def one(text: str) -> object:
    statements = parse(text).statements
    assert len(statements) == 1
    return statements[0]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("Stewardship shows in st1, st2 and st3.", Shows("Stewardship", ("st1", "st2", "st3"))),
        ("A show in a1..a3", Shows("A", ("a1", "a2", "a3"))),
        ("A shows in q08..q11", Shows("A", ("q08", "q09", "q10", "q11"))),
        ("A shows in q8..q11", Shows("A", ("q8", "q9", "q10", "q11"))),
        ("A shows in q3..q1", Shows("A", ("q3", "q2", "q1"))),
        ("Effort IS Made Of eo1, and eo2", MadeOf("Effort", ("eo1", "eo2"))),
        ("Training and Support lead to Efficacy", Leads(("Training", "Support"), ("Efficacy",))),
        ("A leads to B, C", Leads(("A",), ("B", "C"))),
        ("control age, tenure for Persistence, Y", Controls(("age", "tenure"), ("Persistence", "Y"))),
        ("control age and years", Controls(("age", "years"))),
        ("control covary", Controls(("covary",))),
        ("control leads to y", Leads(("control",), ("y",))),
        ("control and tenure covary", Covaries(("control", "tenure"))),
        ("A, B and C covary", Covaries(("A", "B", "C"))),
        ("A and B do not covary", Covaries(("A", "B"), free=False)),
        ("years moderates A > B", Moderates("years", Arrow("A", "B"))),
        ("hold A > B at 0", Holds(Arrow("A", "B"), 0.0)),
        ("hold A & B at -1.5e-2", Holds(Pair("A", "B"), -0.015)),
        ("hold variance of A at 1", Holds(VarianceOf("A"), 1.0)),
        ("hold intercept of a1 at 0", Holds(InterceptOf("a1"), 0.0)),
        ("hold A > B at 0.", Holds(Arrow("A", "B"), 0.0)),
        ("begin A > B at 0.4", Begins(Arrow("A", "B"), 0.4)),
        ("release intercept of A", Releases(InterceptOf("A"))),
        ("release A > a1", Releases(Arrow("A", "a1"))),
        ("call A > B a", Calls(Arrow("A", "B"), "a")),
        ("match A > a1, A > a2 and b", Matches((Arrow("A", "a1"), Arrow("A", "a2"), Reference("b")))),
        ("track serial = A > B > C", Tracks("serial", ("A", "B", "C"))),
        ("track d = a - 2*(b + -c)", Tracks("d", Binary("-", Reference("a"), Binary("*", Number(2.0), Binary("+", Reference("b"), Negative(Reference("c"))))))),
        ("expect A > B positive as H1", Expects(("A", "B"), "positive", "H1")),
        ('set aside tr4 from A because "loads # elsewhere"', SetsAside(("tr4",), "A", "loads # elsewhere")),
        ("keep tr4 in A", Keeps(("tr4",), "A")),
        ('"and" shows in "x y", and, 1', Shows("and", ("x y", "and", "1"))),
        ("fix shows in a, b", Shows("fix", ("a", "b"))),
        ("“Größe” shows in größe1, größe2", Shows("Größe", ("größe1", "größe2"))),
        ("A\u00a0shows in a1, a2", Shows("A", ("a1", "a2"))),
        ("x.1 leads to y", Leads(("x.1",), ("y",))),
    ],
)  # fmt: skip
def test_each_kind_of_sentence(text: str, expected: object) -> None:
    """Every statement of the grammar, and the spellings that people use."""
    assert one(text) == expected


def test_line_ends_marks_and_comments() -> None:
    """Files come from any editor: carriage returns, a byte order mark, blank lines, comments."""
    found = parse("\ufeff# theory\r\n\r\nA shows in a1, a2 # first\rB shows in b1, b2\n\n")
    assert found.lines == (
        Line(None, "theory"),
        Line(),
        Line(Shows("A", ("a1", "a2")), "first"),
        Line(Shows("B", ("b1", "b2"))),
    )


@pytest.mark.parametrize(
    ("text", "line", "column", "words"),
    [
        ("A leads to", 1, 11, "name"),
        ("A shows in a1,\nB shows in b1", 1, 15, "name"),
        ("A shows in a1\nhold A > a1", 2, 12, "at"),
        ("A walks to B", 1, 3, "shows"),
        ("A shows in a1..b3", 1, 12, "range"),
        ('A shows in "a1', 1, 12, "quotation"),
        ("A leads to B to C", 1, 14, "end of the sentence"),
        ("match A > a1", 1, 13, "another parameter"),
        ("track q = (a + b", 1, 17, ")"),
        ("A shows in a1..a9999", 1, 12, "range"),
    ],
)
def test_errors_say_where_and_what_was_expected(text: str, line: int, column: int, words: str) -> None:
    """Someone who is no programmer must find the place and know what belongs there."""
    with pytest.raises(ProblemError) as caught:
        parse(text)
    problem = caught.value.problems[0]
    assert problem.place is not None
    assert (problem.place.line, problem.place.column) == (line, column)
    assert words in problem.message


@pytest.mark.parametrize(("word", "example"), EXAMPLES.items())
def test_a_sentence_begun_and_not_understood_gets_an_example(word: str, example: str) -> None:
    """Who knows the word, but not how the sentence goes on, is shown one that is read."""
    assert parse_line(example).statement is not None
    assert example.split()[0] == word
    with pytest.raises(ProblemError) as caught:
        parse_line(f"{word} Trust leads to Loyalty positively")
    assert f"such a sentence reads “{example}”" in caught.value.problems[0].message


def test_all_errors_are_reported_at_once() -> None:
    """Nobody should have to fix a text one error at a time."""
    with pytest.raises(ProblemError) as caught:
        parse("A shows\nB shows in b1\nC shows\nfix x")
    assert [p.place.line for p in caught.value.problems if p.place] == [1, 3, 4]


NAMES = st.one_of(
    st.sampled_from(["A", "st1", "and", "to", "1", "x.", "a b", 'q"q', "0.4", "variance", "Größe", "é", "x.y"]),
    st.text(st.characters(codec="utf-8", categories=["L", "N", "P", "Zs"]), min_size=1, max_size=8).filter(
        lambda s: s.strip() == s and s != ""
    ),
).map(lambda s: normalised(s))
LISTS = st.lists(NAMES, min_size=1, max_size=4, unique=True).map(tuple)
NUMBERS = st.floats(-1e6, 1e6, allow_nan=False).map(lambda v: v + 0.0)
ARROWS = st.builds(Arrow, NAMES, NAMES)
TARGETS = st.one_of(ARROWS, st.builds(Pair, NAMES, NAMES), st.builds(VarianceOf, NAMES), st.builds(InterceptOf, NAMES))
EXPRESSIONS = st.recursive(
    st.one_of(st.builds(Number, st.floats(0, 1e4)), st.builds(Reference, NAMES)),
    lambda inner: st.one_of(st.builds(Negative, inner), st.builds(Binary, st.sampled_from("+-*/"), inner, inner)),
    max_leaves=6,
)
ROUTES = st.lists(NAMES, min_size=2, max_size=4).map(tuple)
REASONS = st.one_of(st.none(), NAMES)
STATEMENTS = st.one_of(
    st.builds(Shows, NAMES, LISTS),
    st.builds(MadeOf, NAMES, LISTS),
    st.builds(Leads, LISTS, LISTS),
    st.builds(Covaries, LISTS, st.booleans()),
    st.builds(Moderates, NAMES, ARROWS),
    st.builds(Holds, TARGETS, NUMBERS),
    st.builds(Begins, TARGETS, NUMBERS),
    st.builds(Calls, TARGETS, NAMES),
    st.builds(Matches, st.lists(st.one_of(TARGETS, st.builds(Reference, NAMES)), min_size=2, max_size=4).map(tuple)),
    st.builds(Tracks, NAMES, st.one_of(ROUTES, EXPRESSIONS)),
    st.builds(Expects, ROUTES, st.sampled_from(["positive", "negative", "nonzero"]), st.one_of(st.none(), NAMES)),
    st.builds(SetsAside, LISTS, NAMES, REASONS),
    st.builds(Keeps, LISTS, NAMES, REASONS),
)
COMMENTS = st.one_of(st.none(), st.sampled_from(["", "a comment", '# "odd" one']))


def normalised(text: str) -> str:
    return plain_name(text) or "x"


@given(st.lists(st.builds(Line, STATEMENTS, COMMENTS), max_size=5))
def test_writing_and_parsing_gives_the_same_specification(lines: list[Line]) -> None:
    """Board and text are two views of one model: nothing may change on the way, whatever the names."""
    specification = Specification(tuple(lines))
    assert parse(write(specification)) == specification
