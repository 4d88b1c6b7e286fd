"""The literature of a report as BibTeX."""

from __future__ import annotations

from dusk_arrow.report.assembly import Report


def write(report: Report) -> bytes:
    """One entry a work."""
    return "\n".join(one.bibtex for one in report.references).encode()
