"""Whatever is pasted into a name or a reason, the model can be written and read again: a project is never destroyed by a letter."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import (
    AddConstruct,
    AddIndicators,
    AddPath,
    AddSentence,
    Change,
    DuplicateConstruct,
    FixPath,
    Hold,
    Keep,
    MakeEqual,
    MoveIndicator,
    Rename,
    ReplaceIndicators,
    SetAside,
    SetControls,
    SetCovariance,
    words,
)
from dusk_arrow.core.specification.cleaning import cleaned
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.texts import one_line, paragraphs, plain_name, usable
from dusk_arrow.records.gate import specification_text
from tests.core.test_properties_of_changes import BEGIN, gesture, read

HOSTILE = [
    "a\nb", "a\r\nb", "a\u2028b", "a\x0bb", "\ufeffa", "a\u202eb", "\u2067a", " a ", "\u00a0a\u00a0", "a\tb", "“a”", '"', '""', '#', "# a",
    'a"#b', "a.", "..", "a..b", "a, b", "and", "leads to", "a > b", "a & b", "-1", "1e5", "e\u0301", "e\u200b\u0301", "\u212b", "ſet", "İ",
    "because", "a because \"b\"", "\x00a", "a\x7f", "\ud800", "\ufffe", "", " ", "\n", "\u200b", "x" * 201, "👩\u200d🔬", "עברית", "«»",
]  # fmt: skip
NAMES = st.one_of(st.sampled_from(HOSTILE), st.text(max_size=12))
REASONS = st.one_of(st.none(), NAMES)
CHANGES = st.one_of(
    st.builds(AddConstruct, NAMES, st.lists(NAMES, max_size=3).map(tuple)),
    st.builds(Rename, st.just("A"), NAMES),
    st.builds(AddIndicators, st.just("A"), st.lists(NAMES, max_size=3).map(tuple)),
    st.builds(ReplaceIndicators, st.just("A"), st.sampled_from([(), ("a1",), ("a1", "a2")]), NAMES),
    st.builds(AddPath, st.sampled_from(["A", "C"]), NAMES),
    st.builds(AddPath, NAMES, st.just("B")),
    st.builds(SetControls, st.lists(NAMES, max_size=2).map(tuple)),
    st.builds(SetAside, st.just("A"), st.just("a2"), REASONS),
    st.builds(Keep, st.just("A"), st.just("a2"), REASONS, st.booleans()),
    st.builds(SetCovariance, NAMES, NAMES, st.sampled_from([True, False, None])),
    st.builds(FixPath, NAMES, st.just("B"), st.sampled_from([None, 0.0, -0.0, 1e-7, -2.5, 1e100])),
    st.builds(DuplicateConstruct, st.just("B"), NAMES),
    st.builds(
        AddSentence, st.one_of(NAMES, NAMES.map(lambda n: f"A leads to {n}"), NAMES.map(lambda n: f"# {n}\n{n}"))
    ),
)


@given(st.lists(CHANGES, min_size=1, max_size=5))
def test_what_is_kept_reads_back_or_is_refused_in_words(changes: list[Change]) -> None:
    """The gate never meets a model that it has to refuse for its form: names are put right before, or refused for what they are."""
    now = parse(BEGIN)
    for change in changes:
        try:
            after = apply_all(now, [cleaned(change)])
        except ProblemError:
            continue
        text = specification_text(after)
        assert read(parse(text)) == read(after)
        assert specification_text(parse(text)) == text
        assert "\n" not in words(cleaned(change))
        now = after


def hostile(value: Any, text: str) -> Any:
    """A change with a text in the place of every name and reason."""
    if isinstance(value, str):
        return text
    if isinstance(value, tuple):
        return tuple(hostile(one, text) for one in value)
    if hasattr(value, "__dataclass_fields__"):
        kept = {"type", "kind", "mode", "group"}
        return replace(
            value, **{f.name: hostile(getattr(value, f.name), text) for f in fields(value) if f.name not in kept}
        )
    return value


def texts_in(value: Any) -> list[str]:
    """Every text of a change."""
    if isinstance(value, str):
        return [value]
    inside = value if isinstance(value, tuple) else vars(value).values() if hasattr(value, "__dict__") else ()
    return [text for one in inside for text in texts_in(one)]


@pytest.mark.parametrize("text", [text for text in HOSTILE if one_line(text) != text or not text.strip()])
def test_every_kind_of_change_is_put_right(text: str) -> None:
    """A kind of change that is forgotten here would be the one that destroys somebody's project."""
    rng, seen = np.random.default_rng(1), set()
    for _ in range(300):
        change = cleaned(hostile(gesture(read(parse(BEGIN)), rng), text))
        seen.add(change.type)
        assert all(one_line(one) == one for one in texts_in(change)), change
    assert len(seen) > 18


@pytest.mark.parametrize("text", ["a\nb", "\ufeffa", "a\u202eb"])
def test_the_gate_refuses_what_does_not_read_back(text: str) -> None:
    """The last line of defence, for whatever comes past the others."""
    with pytest.raises(ProblemError):
        specification_text(apply_all(parse(BEGIN), [Rename("A", text)]))


def test_nothing_is_replaced_by_nothing() -> None:
    """A repair that names no items is answered in words."""
    with pytest.raises(ProblemError) as refused:
        apply_all(parse(BEGIN), [ReplaceIndicators("A", (), "mean_a")])
    assert "items" in refused.value.problems[0].message


@given(st.text(max_size=30))
def test_texts_are_put_right_once_and_for_all(text: str) -> None:
    """What was put right is not changed again, on whatever way it comes back; what can be seen stays."""
    for settle in (usable, one_line, plain_name, paragraphs):
        assert settle(settle(text)) == settle(text)
    assert "\n" not in one_line(text)
    assert plain_name("  Zufriedenheit\r\nmit „allem“ ") == 'Zufriedenheit  mit "allem"'
    assert paragraphs("one \r\n\r\n two\x00\n") == "one\n\ntwo"


def test_what_is_held_and_made_equal_is_put_right_too() -> None:
    """Parameters are named by keys inside changes."""
    key = ParameterKey("path", "A\n", "\ufeffB")
    assert cleaned(Hold((key,), 1.0)) == Hold((ParameterKey("path", "A", "B"),), 1.0)
    assert cleaned(MakeEqual((key, key))).parameters[0].target == "B"
    assert cleaned(MoveIndicator("a1\t", "A ", "B\r")) == MoveIndicator("a1", "A", "B")
