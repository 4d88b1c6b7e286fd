"""How fast composites are: one fit of 6 constructs × 4 indicators, and resamples together against one after another.

`python -m benchmarks.composites`; the ratio is of one run.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import time
from collections.abc import Callable

import numpy as np

from dusk_arrow.core.composite.blueprint import Block, Blueprint
from dusk_arrow.core.composite.program import Program, estimate

CONSTRUCTS, ITEMS, RESAMPLES = 6, 4, 128
PATHS = ((0, 2), (1, 2), (2, 3), (1, 3), (3, 4), (0, 4), (5, 4))


def program() -> Program:
    """Six reflective constructs, corrected for unreliability, and seven paths."""
    columns = tuple(f"x{i}" for i in range(CONSTRUCTS * ITEMS))
    blocks = tuple(
        Block(f"c{i}", tuple(range(i * ITEMS, (i + 1) * ITEMS)), "A", consistent=True) for i in range(CONSTRUCTS)
    )
    members = tuple((block.name, tuple(columns[at] for at in block.columns)) for block in blocks)
    return Program(columns, members, Blueprint(columns, blocks, PATHS))


def seconds(work: Callable[[], object], repeats: int) -> float:
    """The shortest of some repeats."""
    best = np.inf
    for _ in range(repeats):
        begun = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - begun)
    return float(best)


def main() -> None:
    """One fit in milliseconds, and the ratio of the batch to a loop."""
    rng = np.random.default_rng(1)
    values = rng.normal(size=(400, CONSTRUCTS * ITEMS)) + rng.normal(size=(400, 1))
    whole = np.corrcoef(values, rowvar=False)[None]
    drawn = np.stack([np.corrcoef(values[rng.integers(0, 400, size=400)], rowvar=False) for _ in range(RESAMPLES)])
    plan = program()
    one = seconds(lambda: estimate(plan, whole), 30)
    together = seconds(lambda: estimate(plan, drawn), 3)
    apart = seconds(lambda: [estimate(plan, drawn[i : i + 1]) for i in range(RESAMPLES)], 1)
    print(f"one fit of {CONSTRUCTS} × {ITEMS}: {1000 * one:.1f} ms")
    print(f"{RESAMPLES} resamples together: {1000 * together:.0f} ms, {apart / together:.0f} times faster than in turn")


if __name__ == "__main__":
    main()
