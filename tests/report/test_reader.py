"""A reader of reports of its own: in every situation each sentence is held against the document, and no sentence is let pass that it
does not understand."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.linear_algebra import correlation_from
from dusk_arrow.report.assembly import Numbered, Words, build
from dusk_arrow.report.cells import Number, Range, Style
from dusk_arrow.report.material import Material
from dusk_arrow.report.options import PartChoice, ReportOptions
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.report.words.registry import WORDS
from tests.report.reader import Reader, plain, sentences
from tests.report.situations import SITUATIONS, situation

SKIPPED = {"settings", "criteria_in_words"}  # lists, no sentences
JUDGING = (
    "significant",
    "supported",
    " met ",
    "missed",
    "tolerated",
    "mediation",
    "explains",
    "excludes zero",
    "contains zero",
)


def paragraphs(material: Material) -> list[str]:
    blocks = build(material, ReportOptions(figures=[])).blocks
    return [
        text for block in blocks if isinstance(block, Words) and block.key not in SKIPPED for text in block.paragraphs
    ]


@pytest.mark.parametrize("name", SITUATIONS)
def test_every_sentence_is_so(name: str) -> None:
    """A sentence goes into a paper unread."""
    own = situation(name)
    texts = paragraphs(own)
    reader = Reader(own)
    reader.check(texts)
    assert len(reader.read) >= 5
    assert len(set(reader.read)) == len(reader.read), "nothing is said twice"


def test_there_are_situations_enough() -> None:
    """Forty at least, all of them different."""
    assert len(SITUATIONS) >= 50


def test_the_reader_notices_what_is_not_so() -> None:
    """A reader that lets everything pass is none: each of these changes turns a true sentence into a false one."""
    own = situation("survey")
    texts = [plain(text) for text in paragraphs(own)]
    changes = [
        ("was significant", "was not significant"), ("were significant", "were not significant"), ("complementary", "competitive"),
        ("indirect-only", "complementary"), ("met their cut-offs", "missed their cut-offs"), ("All of them converged.", "150 converged; the others are left out."),
        ("9 items", "8 items"), ("3 constructs", "4 constructs"), ("χ²(24", "χ²(25"), ("N = 160", "N = 161"), ("all 160 cases", "all 161 cases"),
        ("200 bootstrap", "201 bootstrap"), ("percentile", "BCa"), ("The model explains 2", "The model explains 3"),
    ]  # fmt: skip
    noticed = 0
    for old, new in changes:
        changed = [text.replace(old, new) for text in texts]
        if changed == texts:
            continue
        noticed += 1
        with pytest.raises((AssertionError, StopIteration)):
            Reader(own).check(changed)
    assert noticed >= 9


@pytest.mark.parametrize("name", ["impossible"])
def test_nothing_is_judged_by_an_impossible_solution(name: str) -> None:
    """After “should not be interpreted” nothing is interpreted, in words or tables; what is wrong is said once."""
    own = situation(name)
    texts = " ".join(paragraphs(own))
    assert not [word for word in JUDGING if word in texts]
    assert texts.count("should not be interpreted") == 1
    assert texts.count("below zero") == 1
    for block in build(own).blocks:
        if isinstance(block, Numbered) and block.table.key in ("fit", "paths", "effects"):
            cells = [cell for row in block.table.rows for cell in row.cells if isinstance(cell, str)]
            assert not {"meets", "misses", "borderline", "excludes zero", "contains zero", "supported"} & set(cells)


@pytest.mark.parametrize("name", ["saturated", "saturated, one construct"])
def test_a_saturated_model_meets_nothing(name: str) -> None:
    """With no degrees of freedom everything fits; to call that met is to boast."""
    own = situation(name)
    fit = next(b.table for b in build(own).blocks if isinstance(b, Numbered) and b.table.key == "fit")
    assert not {"meets", "misses", "borderline"} & {
        cell for row in fit.rows for cell in row.cells if isinstance(cell, str)
    }
    assert " met " not in " ".join(paragraphs(own))


def numbers(value: Any) -> Iterator[float]:
    if isinstance(value, dict):
        for one in value.values():
            yield from numbers(one)
    elif isinstance(value, list | tuple):
        for one in value:
            yield from numbers(one)
    elif isinstance(value, int | float) and not isinstance(value, bool):
        yield float(value)


@pytest.mark.parametrize("name", SITUATIONS)
def test_every_cell_is_of_the_document(name: str) -> None:
    """All cells of all tables, also of those that are not asked for: what no document or screening holds was made up. Printed
    intervals tell zero."""
    own = situation(name)
    known = list(numbers(own.results.model_dump(mode="json")))
    known += list(numbers(own.screening.model_dump(mode="json"))) if own.screening else []
    known += list(numbers(own.holdout.model_dump(mode="json"))) if own.holdout else []
    if own.results.sample is not None:
        sample = np.array(own.results.sample.covariance)
        known += [*correlation_from(sample).ravel().tolist(), *np.sqrt(np.diag(sample)).tolist()]
    values = np.sort(np.array(known))
    options = ReportOptions(parts=[PartChoice(key=one.key) for one in (*TABLES, *WORDS)], figures=[])
    seen = 0
    for block in build(own, options).blocks:
        if not isinstance(block, Numbered):
            continue
        for row in block.table.rows:
            assert len(row.cells) == len(block.table.columns)
            for cell in row.cells:
                wanted = (
                    [cell.value] if isinstance(cell, Number) and cell.value is not None
                    else list(cell.bounds) if isinstance(cell, Range) and cell.bounds else []
                )  # fmt: skip
                for x in wanted:
                    seen += 1
                    at = min(int(np.searchsorted(values, x)), values.size - 1)
                    near = min(abs(values[at] - x), abs(values[at - 1] - x))
                    assert math.isfinite(x)
                    assert near <= 1e-9 * max(1.0, abs(x)), (block.table.key, row.cells[0], x)
                if isinstance(cell, Range) and cell.bounds:
                    printed = Style().printed(cell).strip("[]").replace("−", "-").split(", ")
                    assert [np.sign(float(p)) for p in printed] == [np.sign(b) for b in cell.bounds]
    assert seen > 15


def test_sentences_are_told_apart() -> None:
    """Full stops in brackets and numbers end nothing."""
    text = "The path (β = .25, p < .001) was significant. H1, b. was so (Hu & Bentler, 1999). 3 cases lacked one."
    assert sentences(text) == [
        "The path (β = .25, p < .001) was significant.",
        "H1, b.",
        "was so (Hu & Bentler, 1999).",
        "3 cases lacked one.",
    ]
