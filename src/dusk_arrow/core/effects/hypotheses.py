"""What an interval says of an expectation."""

from __future__ import annotations

from typing import Literal

from dusk_arrow.core.specification.statements import Sign

Answer = Literal["supported", "not supported", "opposite"]


def answer(sign: Sign, interval: tuple[float, float]) -> Answer:
    """An interval on the expected side of zero supports, on the other it is opposite, with zero in it neither; *nonzero*
    takes either side."""
    above, below = interval[0] > 0, interval[1] < 0
    if not (above or below):
        return "not supported"
    if sign == "nonzero":
        return "supported"
    return "supported" if above == (sign == "positive") else "opposite"
