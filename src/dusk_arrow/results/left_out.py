"""What was left out of an analysis before it began: cases and columns, and why."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.observations.taking_steps import Removal
from dusk_arrow.results.document import Results


def left_out(results: Results, by_steps: Sequence[Removal]) -> list[Removal]:
    """What recorded steps left out, in their order, then the cases that lack an answer in a column in use."""
    found, data = list(by_steps), results.data
    lost = 0 if data is None else data.n_total - data.n_used
    if lost and results.settings.missing == "listwise":
        found.append(Removal("an answer missing in a column in use", "listwise deletion", lost))
    elif lost:
        found.append(Removal("no answer in any column in use", "nothing to analyse", lost))
    return found
