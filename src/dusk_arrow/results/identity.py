"""What identifies an analysis. One hash over everything that a document reads: the data with their description, the sentences,
every setting, and the version of the numbers. Documents are kept under it, runs are answered by it, addresses of parts are
marked with it; it is compared as a whole, and nothing is ever looked up by a part of it."""

from __future__ import annotations

from dusk_arrow.core.identity import digest_of
from dusk_arrow.results.settings import Settings

NUMBERS = 2
"""Raised whenever the same analysis gives another figure than before, so that what was computed then is not shown for it."""


def identity_of(name: str, fingerprint: str, specification: str, settings: Settings) -> str:
    """The identity of an analysis of data, known by their name and fingerprint."""
    return digest_of(NUMBERS, name, fingerprint, specification, settings.model_dump(mode="json"))
