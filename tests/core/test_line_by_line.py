"""A text that is still being written: what reads is read, what does not is explained where it stands, and nothing else suffers."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.limits import MOST_LINES
from dusk_arrow.core.specification.line_by_line import read_lines, what_reads, words_between
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write

COLUMNS = ["a1", "a2", "a3", "b1", "b2", "b3", "x"]
GOOD = [
    "# a theory",
    "A shows in a1, a2, a3",
    "B shows in b1..b3  # the outcome",
    "A and x lead to B",
    "call A > B a",
    "call x > B b",
    "track product = a * b",
    "a1 and b1 covary",
    'set aside a3 from A because "too long"',
    "",
]
BAD = [
    "A leads",
    "Bb shows in b9",
    "C leads to B",
    "hold A > B at much",
    "x x x",
    'set aside a9 from A because "',
    "& and ,",
]


def test_a_whole_text_reads_as_ever() -> None:
    """Line by line or at once, a text without faults is the same specification."""
    assert what_reads(read_lines(GOOD, COLUMNS)) == parse("\n".join(GOOD))


@given(st.lists(st.sampled_from(BAD), max_size=6), st.randoms(use_true_random=False))
def test_bad_lines_change_nothing_for_the_others(bad: list[str], random: object) -> None:
    """Wherever slips stand among the lines, the lines that read make the same model."""
    rows = list(GOOD)
    for line in bad:
        rows.insert(random.randint(0, len(rows)), line)  # type: ignore[attr-defined]
    readings = read_lines(rows, COLUMNS)
    assert what_reads(readings) == parse("\n".join(GOOD))
    for row, reading in zip(rows, readings, strict=True):
        assert (reading.line is None) == (row in BAD)
        if reading.line is None:
            assert reading.message.endswith((".", "”"))
            assert 0 <= reading.begin <= reading.end <= len(row)


@pytest.mark.parametrize(
    ("row", "place", "words", "nearest"),
    [
        ("AA leads to B", "AA", "No construct or column “AA”. Nearest: A.", ("A",)),
        ("A leads to BB", "BB", "No construct or column “BB”. Nearest: B.", ("B",)),
        ("match a, c", "c", "No named parameter “c”.", ()),
        ("track t = a * bb", "bb", "No named parameter “bb”. Nearest: b.", ("b",)),
        ("a1 and a9 covary", "a9", "No construct or column “a9”. Nearest: a3.", None),
        ("A shows inn a1", "inn", "Expected “in” but found “inn a1”.", ()),
    ],
)
def test_a_fault_says_where_and_what_was_meant(
    row: str, place: str, words: str, nearest: tuple[str, ...] | None
) -> None:
    """The place is that of the name, so that one button can put the right one there."""
    reading = read_lines([*GOOD, row], COLUMNS)[-1]
    assert row[reading.begin : reading.end] == place
    if nearest is None:
        assert reading.nearest
    else:
        assert reading.message == words
        assert reading.nearest == nearest


def test_what_stands_on_a_line_that_does_not_read_waits() -> None:
    """“B shows in b9” does not read, so nothing may use B as if it were a column; all are explained, none is lost."""
    rows = ["A shows in a1, a2", "B shows in b1, b9", "A leads to B", "call A > B a", "match a, a", "B leads to x"]
    readings = read_lines(rows, COLUMNS)
    assert [r.line is not None for r in readings] == [True, False, False, False, False, False]
    assert readings[2].message == "B is said on line 2, which is not read yet."
    assert readings[4].message == "a is said on line 4, which is not read yet."
    assert write(what_reads(readings)) == "A shows in a1, a2\n"


def test_names_that_need_quotes_are_proposed_with_them() -> None:
    """A name with a blank would not read where it is put without its quotes."""
    reading = read_lines(['"Use of time" shows in a1, a2', '"Use of tim" leads to x'], COLUMNS)[1]
    assert reading.nearest == ('"Use of time"',)
    assert reading.begin == 0
    assert reading.end == len('"Use of tim"')


def test_too_long_a_text_is_refused() -> None:
    """A paste of a whole book must not keep the server busy."""
    with pytest.raises(ProblemError):
        read_lines(["x"] * (MOST_LINES + 1), COLUMNS)


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [
        ("", "A shows in a1, a2", "A shows in a1, a2"),
        ("A shows in a1, a2", "A shows in a1, a2, a3", "A shows in a1, a2, a3"),
        ("A shows in a1\nx leads to A", "A shows in a1", "taken out: x leads to A"),
        ("A shows in a1", "A shows in a1  # first", "comments edited"),
        ("A shows in a1\nx leads to A", "x leads to A\nA shows in a1", "sentences put in another order"),
        ("A shows in a1", "B shows in b1\nC shows in a2", "2 sentences edited"),
    ],
)
def test_an_edit_is_told_in_few_words(before: str, after: str, words: str) -> None:
    """The trail says what was written, not that something was."""
    assert words_between(parse(before), parse(after)) == words
