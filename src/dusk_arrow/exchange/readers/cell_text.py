"""A cell of any format as the text that a person would have typed."""

from __future__ import annotations

from typing import Any

import numpy as np


def cell_text(value: Any) -> str:
    """A cell as the text that a person would have typed."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, float):
        return "" if np.isnan(value) else str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return str(value)
