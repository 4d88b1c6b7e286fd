"""JSON from outside: no deeper, longer or larger than what can be stored and computed with."""

from __future__ import annotations

import json
import math
import re
from typing import Any

MOST_DEPTH = 40
MOST_TEXT = 400_000
MOST_NUMBER = 1e100
TOO_DEEP = f"What was sent is nested more than {MOST_DEPTH} deep."
NO_JSON = "The request is no JSON."
UNSTORABLE = re.compile(r"[\x00\ud800-\udfff]")


def fault(value: Any, depth: int = 0, most_text: int = MOST_TEXT) -> str | None:
    """What is wrong with a JSON value, in words; None where nothing is."""
    if depth > MOST_DEPTH:
        return TOO_DEEP
    if isinstance(value, str):
        if len(value) > most_text:
            return f"A text has {len(value):,} characters; {most_text:,} is the most."
        return "A text holds a character that cannot be stored." if UNSTORABLE.search(value) else None
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, int | float):
        small = not math.isnan(value) and abs(value) <= MOST_NUMBER
        return None if small else "A number is missing or too large to compute with."
    parts = [*value.keys(), *value.values()] if isinstance(value, dict) else value
    return next((found for part in parts if (found := fault(part, depth + 1, most_text)) is not None), None)


def fault_of_text(text: str | bytes) -> str | None:
    """What is wrong with a text that is to be JSON, in words; None where nothing is."""
    try:
        return fault(json.loads(text))
    except RecursionError:
        return TOO_DEEP
    except ValueError:
        return NO_JSON
