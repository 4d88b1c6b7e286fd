"""What an estimate and its standard error say in normal theory (Wald 1943)."""

from __future__ import annotations

from scipy.special import ndtr, ndtri


def z_of(value: float | None, se: float | None) -> float | None:
    """How many standard errors a value is off zero; None where it has none."""
    return None if value is None or not se else value / se


def two_sided_p(z: float | None) -> float | None:
    """The probability of a z at least so far off zero on either side; None without one."""
    return None if z is None else float(2 * ndtr(-abs(z)))


def around(value: float | None, se: float | None, level: float) -> tuple[float, float] | None:
    """The interval of a value at a level such as .95; None where it has no standard error.

    >>> low, high = around(1.0, 0.5, 0.95)
    >>> round(low, 3), round(high, 3)
    (0.02, 1.98)
    """
    if value is None or se is None:
        return None
    reach = float(ndtri(0.5 + level / 2)) * se
    return value - reach, value + reach
