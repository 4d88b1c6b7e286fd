"""How the processes that work in the background begin: they end with the one that started them, and speak in single lines."""

from __future__ import annotations

import logging
import os
import threading
from threading import Thread
from time import sleep

LOOK = 0.25


def _end_with_parent(parent: int) -> None:
    """Lets this process end when the one that started it is gone, however that one ended."""

    def watch() -> None:
        while os.getppid() == parent:  # it may be gone before this one has begun
            sleep(LOOK)
        os._exit(1)

    Thread(target=watch, daemon=True).start()


class _OneLine(logging.Formatter):
    """Where there is an exception, its last line stands for it."""

    def formatException(self, ei: object) -> str:  # noqa: N802  the name that logging gives it
        return ""

    def format(self, record: logging.LogRecord) -> str:
        text = super().format(record).strip()
        error = record.exc_info[1] if record.exc_info else None
        return " ".join(f"{text}: {error}".split()) if error else " ".join(text.split())


def _speak_in_lines() -> None:
    """What this process has to say on the console is one line each, whatever goes wrong in it."""
    said = logging.StreamHandler()
    said.setFormatter(_OneLine("%(levelname)s %(name)s: %(message)s"))
    logging.basicConfig(level=logging.WARNING, handlers=[said], force=True)
    logging.raiseExceptions = False
    threading.excepthook = lambda about: logging.error("a thread has ended: %s", about.exc_value)


def as_worker(parent: int) -> None:
    """How a worker process begins."""
    _speak_in_lines()
    _end_with_parent(parent)
