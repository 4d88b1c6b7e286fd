"""Random gestures on random models: what stays true whatever somebody clicks."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import (
    AddConstruct,
    AddPath,
    Change,
    DuplicateConstruct,
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
    RemovePath,
    Rename,
    SetAside,
    SetControls,
    SetCovariance,
    SetMode,
    TakeBack,
    words,
)
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.measurement import measurement_only
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.specification.writing import write

BEGIN = """# what we believe
A shows in a1..a4   # the first
B shows in b1..b3
C shows in c1, c2, c3

A leads to B, C
B leads to C        # the claim
x leads to A
control y, z
control w for C
call A > B first
track twice = 2 * first
a1 and b1 covary
set aside a4 from A because "asks about something else"
keep c1 in C because "the only positive one"
"""


def gesture(model: Model, rng: np.random.Generator) -> Change:
    """Anything that can be done on a board, sensible or not."""
    names = [c.name for c in model.constructs] or ["A"]
    one, two = (str(rng.choice(names)) for _ in range(2))
    owner = next((c for c in model.constructs if c.name == one), None)
    items = [*(owner.indicators if owner else ()), *((name for name, _ in owner.aside) if owner else ())] or ["a1"]
    item = str(rng.choice(items))
    loading = ParameterKey("loading", one, item)
    paths = [ParameterKey("path", *pair) for pair in model.paths] or [loading]
    path = paths[rng.integers(len(paths))]
    order = list(owner.indicators) if owner else []
    rng.shuffle(order)
    fresh = f"N{rng.integers(1000)}"
    options: list[Change] = [
        AddConstruct(fresh, (f"{fresh}_1", f"{fresh}_2")),
        RemoveConstruct(one),
        Rename(one, fresh),
        MergeConstructs(one, two),
        SetMode(one, "formative" if rng.random() < 0.3 else "reflective"),
        MoveIndicator(item, one, two),
        RemoveIndicator(one, item),
        SetAside(one, item, "why not"),
        SetControls(tuple(rng.choice(["x", "y", "z"], int(rng.integers(3))).tolist())),
        RemovePath("y", one),
        TakeBack(one, item),
        MakeMarker(one, item),
        OrderIndicators(one, tuple(order)),
        Keep(one, item, "a reason", bool(rng.random() < 0.5)),
        DuplicateConstruct(one, fresh),
        AddPath(one, two),
        RemovePath(path.source, path.target),
        SetCovariance(one, two, bool(rng.random() < 0.5)),
        SetCovariance(item, "b1", True),
        Hold((path, loading), float(rng.integers(0, 3)) / 2),
        Free((loading, path)),
        MakeEqual((path, loading)),
    ]
    return options[rng.integers(len(options))]


def refusal(specification: Specification, change: Change) -> ProblemError | None:
    """Why a change is refused."""
    try:
        apply(specification, change)
    except ProblemError as refused:
        return refused
    return None


def walk(seed: int, steps: int) -> list[tuple[Specification, Change, Specification | None]]:
    """What was, what was tried, and what became of it (None: refused)."""
    rng = np.random.default_rng(seed)
    now, found = parse(BEGIN), []
    for _ in range(steps):
        change = gesture(read(now), rng)
        try:
            after: Specification | None = apply(now, change)
        except ProblemError:
            after = None
        found.append((now, change, after))
        now = after or now
    return found


@settings(max_examples=40)
@given(seed=st.integers(0, 1_000_000))
def test_whatever_is_done_can_be_written_and_read_again(seed: int) -> None:
    """The text is what is kept. A change that it cannot say would be lost at the next reload."""
    for _, change, after in walk(seed, 25):
        if after is not None:
            text = write(after)
            assert write(parse(text)) == text, change
            assert read(parse(text)) == read(after), change


@settings(max_examples=40)
@given(seed=st.integers(0, 1_000_000))
def test_a_refused_gesture_changes_nothing_and_every_other_has_words(seed: int) -> None:
    """The trail says what was done; a specification is a value that nobody changes in place."""
    for before, change, _ in walk(seed, 25):
        text = write(before)
        refused = refusal(before, change)
        assert refused is None or (refused.problems and all(p.message[-1] in ".?”" for p in refused.problems))
        assert write(before) == text
        assert words(change)
        assert "\n" not in words(change)


@settings(max_examples=40)
@given(seed=st.integers(0, 1_000_000))
def test_nothing_is_said_of_what_is_gone(seed: int) -> None:
    """A path from a construct that was removed would be a column nobody has."""
    for before, change, after in walk(seed, 25):
        if after is None or not isinstance(change, (RemoveConstruct, MergeConstructs, Rename)):
            continue
        if isinstance(change, Rename) and change.to == change.name:
            continue
        assert change.name in {c.name for c in read(before).constructs}
        model = read(after)
        assert change.name not in {c.name for c in model.constructs}
        assert all(change.name not in pair for pair in model.paths)
        assert not any(p.severity == "error" and p.code == "unknown_name" for p in check(after))


@settings(max_examples=30)
@given(seed=st.integers(0, 1_000_000))
def test_items_are_never_lost_or_doubled_by_moving_them(seed: int) -> None:
    """Whoever sorts items into constructs keeps all of them."""
    for before, change, after in walk(seed, 25):
        if after is None or not isinstance(
            change, (MoveIndicator, MergeConstructs, OrderIndicators, MakeMarker, SetAside, TakeBack)
        ):
            continue
        counted = [
            sorted(
                item
                for c in read(specification).constructs
                for item in (*c.indicators, *dict(c.aside))
                if item[0].islower()
            )
            for specification in (before, after)
        ]
        assert counted[0] == counted[1], change


@settings(max_examples=30)
@given(seed=st.integers(0, 1_000_000))
def test_comments_stay(seed: int) -> None:
    """What somebody wrote beside a line is theirs: it goes only with its line."""
    for before, change, after in walk(seed, 12):
        if after is not None:
            assert "# what we believe" in write(after), (write(before), change)


@settings(max_examples=30)
@given(seed=st.integers(0, 1_000_000))
def test_the_measurement_part_has_no_paths_and_the_same_items(seed: int) -> None:
    """Measurement first is a way to look at the model, never a change of it."""
    for before, _, _ in walk(seed, 12):
        model, part = read(before), read(measurement_only(before))
        assert all(source not in {c.name for c in part.constructs} for source, _ in part.paths)
        kept = {c.name: c.indicators for c in model.constructs}
        assert all(kept[c.name] == c.indicators for c in part.constructs)


@pytest.mark.parametrize(
    ("there", "back"),
    [
        (SetAside("A", "a2", "why"), TakeBack("A", "a2")),
        (Rename("A", "Z"), Rename("Z", "A")),
        (AddPath("C", "x"), RemovePath("C", "x")),
        (MoveIndicator("a3", "A", "B"), MoveIndicator("a3", "B", "A")),
        (Hold((ParameterKey("path", "A", "C"),), 0.0), Free((ParameterKey("path", "A", "C"),))),
        (Keep("B", "b2", "said so"), Keep("B", "b2", None, False)),
        (SetCovariance("a2", "b2", True), SetCovariance("a2", "b2", None)),
        (OrderIndicators("B", ("b3", "b1", "b2")), OrderIndicators("B", ("b1", "b2", "b3"))),
    ],
)
def test_there_and_back(there: Change, back: Change) -> None:
    """What is done and taken back by hand leaves the model as it was."""
    before = parse(BEGIN)
    after = apply(apply(before, there), back)
    assert read(apply(before, there)) != read(before)
    assert {c.name: set(c.indicators) for c in read(after).constructs} == {
        c.name: set(c.indicators) for c in read(before).constructs
    }
    assert set(read(after).paths) == set(read(before).paths)
    assert read(after).fixed == read(before).fixed
