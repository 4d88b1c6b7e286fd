"""Memory that is used again and again is not given back in between."""

from __future__ import annotations

import ctypes
from contextlib import suppress
from functools import cache

TRIM_THRESHOLD, MMAP_THRESHOLD = -1, -3  # what the C library calls the two settings
KEPT, APART = 32 * 2**20, 4 * 2**20  # bytes


@cache
def keep_freed_memory() -> None:
    """Tells the C library to keep up to 32 MB that were freed for the next array, of up to 4 MB. Otherwise every array of a batch is
    given back to the system and asked for anew, page by page, which takes up to a third of the time of a bootstrap. Where the C
    library knows no such settings nothing happens."""
    with suppress(OSError, AttributeError):
        settings = ctypes.CDLL(None).mallopt
        settings(MMAP_THRESHOLD, APART)
        settings(TRIM_THRESHOLD, KEPT)
