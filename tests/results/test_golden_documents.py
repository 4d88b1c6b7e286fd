"""No figure changes while walls are moved: the documents of two dozen models are as they were kept, to 1e-9.

Where a figure is changed on purpose: `python -m tests.results.keep_documents "name of the case"`.
"""

from __future__ import annotations

from typing import Any

import pytest

from tests.results.golden_cases import CASES, document, kept

TOLERANCE = 1e-9


def differences(before: Any, now: Any, where: str = "") -> list[str]:
    """Where two documents differ; keys may be added, none may go."""
    if isinstance(before, dict) and isinstance(now, dict):
        return [line for key in before for line in differences(before[key], now.get(key), f"{where}.{key}")]
    if isinstance(before, list) and isinstance(now, list) and len(before) == len(now):
        pairs = zip(before, now, strict=True)
        return [line for i, (a, b) in enumerate(pairs) for line in differences(a, b, f"{where}[{i}]")]
    numbers = isinstance(before, float | int) and isinstance(now, float | int) and not isinstance(before, bool)
    if numbers and abs(before - now) <= TOLERANCE * max(1.0, abs(before)):
        return []
    return [] if before == now else [f"{where}: {before} is now {now}"]


@pytest.mark.parametrize("name", CASES)
def test_document_is_as_it_was(name: str) -> None:
    """A figure that moves by itself would make last month's paper and today's screen disagree."""
    found = differences(kept(name), document(name))
    assert not found, "\n".join(found[:20])


def test_a_change_is_noticed() -> None:
    """The comparison itself sees a figure that moved, a figure that is gone, and a row too few."""
    before = {"fit": {"chi_square": 12.5, "rows": [1.0, None]}}
    assert differences(before, before) == []
    assert differences(before, {"fit": {"chi_square": 12.5 + 1e-6, "rows": [1.0, None]}})
    assert differences(before, {"fit": {"rows": [1.0, None]}})
    assert differences(before, {"fit": {"chi_square": 12.5, "rows": [1.0]}})
