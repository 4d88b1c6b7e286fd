"""The results document of an analysis; nothing is computed here that a figure depends on."""

from dusk_arrow.results.assembly.document import assemble

__all__ = ["assemble"]
