"""What was left out of an analysis because it could not be used, and why."""

from __future__ import annotations

from dusk_arrow.core.observations.taking_steps import Removal
from dusk_arrow.results.document import Results


def without_answers(results: Results) -> list[Removal]:
    """The cases that lack an answer in a column in use, where there are any."""
    data = results.data
    lost = 0 if data is None else data.n_total - data.n_used
    if not lost:
        return []
    if results.settings.missing == "listwise":
        return [Removal("an answer missing in a column in use", "listwise deletion", lost)]
    return [Removal("no answer in any column in use", "nothing to analyse", lost)]
