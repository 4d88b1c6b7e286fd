"""Ctrl-C is for the process that was started, not for the ones it starts: they inherit a mask that keeps it from them."""

from __future__ import annotations

import signal
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def interrupts_kept_away() -> Iterator[None]:
    """Processes and threads that are started meanwhile never see an interrupt, from their first moment on."""
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
