"""Where things are and how many there are to be, from the environment or by default."""

from __future__ import annotations

import hashlib
import logging
import os
import re
from pathlib import Path

CHECKOUT = Path(__file__).resolve().parents[3]
IN_CHECKOUT = (CHECKOUT / "dusk").is_file()
PROGRAM = "./dusk" if IN_CHECKOUT else "dusk-arrow"  # how this was called, for what is said about it
PORT = 8460
MOST_WORKERS = 256


class SettingError(Exception):
    """A setting that makes no sense; the message is one line that says which and what would."""


def _whole(name: str, text: str, least: int, most: int) -> int:
    try:
        value = int(text)
    except ValueError:
        value = least - 1
    if not least <= value <= most:
        raise SettingError(f"{name} is “{text}”; it has to be a whole number from {least} to {most}.")
    return value


def data_folder() -> Path:
    """The folder of this checkout's records: DUSK_DATA, else under the system's data for root, the user's otherwise."""
    given = os.environ.get("DUSK_DATA")
    if given:
        return Path(given).resolve()
    key = hashlib.sha256(str(CHECKOUT).encode()).hexdigest()[:12]
    if os.geteuid() == 0:
        return Path("/var/lib/dusk-arrow") / key
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local/share")
    return Path(base) / "dusk-arrow" / key


def usable_data_folder() -> Path:
    """The data folder, made where it is missing. Raises SettingError where it cannot be written to."""
    folder = data_folder()
    named = "DUSK_DATA" if os.environ.get("DUSK_DATA") else "the data folder"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / f".probe-{os.getpid()}"
        probe.touch()
        probe.unlink()
    except (FileExistsError, NotADirectoryError):
        raise SettingError(f"{named} is {folder}, which is a file; it has to be a folder.") from None
    except OSError as error:
        reason = error.strerror or "no reason given"
        raise SettingError(f"{named} is {folder}, which cannot be written to ({reason}).") from None
    return folder


def front_end() -> Path:
    """The built front end."""
    return CHECKOUT / "frontend" / "dist"


def demo_folder() -> Path:
    """The demo studies."""
    return CHECKOUT / "demo"


def workers() -> int:
    """Worker processes for the bootstrap: DUSK_WORKERS, else one a core. Raises SettingError."""
    given = os.environ.get("DUSK_WORKERS")
    return (os.cpu_count() or 1) if given is None else _whole("DUSK_WORKERS", given, 1, MOST_WORKERS)


def scheduler() -> str | None:
    """The address of the cluster that works off bootstraps: DUSK_SCHEDULER, None where it is this machine. Raises
    SettingError."""
    given = os.environ.get("DUSK_SCHEDULER") or None
    if given is not None and not re.fullmatch(r"(tcp|tls)://.+:\d+", given):
        raise SettingError(f"DUSK_SCHEDULER is “{given}”; it has to be an address such as tcp://127.0.0.1:8786.")
    return given


def wanted_port(option: str | None) -> int | None:
    """The port that is asked for by an option or DUSK_PORT, None where it is left open. Raises SettingError."""
    if option is not None:
        return _whole("--port", option, 1, 65535)
    given = os.environ.get("DUSK_PORT")
    return None if given is None else _whole("DUSK_PORT", given, 1, 65535)


def log_level() -> int:
    """The level of the log: DUSK_LOG, else warnings. Raises SettingError."""
    given = os.environ.get("DUSK_LOG", "warning")
    levels = {"debug": logging.DEBUG, "info": logging.INFO, "warning": logging.WARNING, "error": logging.ERROR}
    if given.lower() not in levels:
        raise SettingError(f"DUSK_LOG is “{given}”; it has to be one of {', '.join(levels)}.")
    return levels[given.lower()]
