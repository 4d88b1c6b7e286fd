"""The paragraphs of a report in their order. Adding some is adding a line here and a function beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dusk_arrow.report.material import Material
from dusk_arrow.report.words import measures, methods, removed, structure


@dataclass(frozen=True)
class WordsMaker:
    """Some paragraphs: their key, their heading, and whether a report has them unasked."""

    key: str
    words: str
    make: Callable[[Material], list[str]]
    unasked: bool = True


WORDS: tuple[WordsMaker, ...] = (
    WordsMaker("sample", "Sample and missing answers", methods.sample),
    WordsMaker("method", "Method", methods.method),
    WordsMaker("measures_and_fit", "Measures and fit", measures.measures),
    WordsMaker("paths_in_words", "Paths in words", structure.paths),
    WordsMaker("mediation", "Mediation", structure.mediation),
    WordsMaker("aside_in_words", "What was removed, and why", removed.aside),
    WordsMaker("settings", "Settings and seed", methods.settings),
    WordsMaker("criteria_in_words", "Criteria in words", removed.criteria, False),
)
