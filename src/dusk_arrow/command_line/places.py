"""Where things are, from the environment or by default."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

CHECKOUT = Path(__file__).resolve().parents[3]


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


def front_end() -> Path:
    """The built front end."""
    return CHECKOUT / "frontend" / "dist"


def demo_folder() -> Path:
    """The demo studies."""
    return CHECKOUT / "demo"


def workers() -> int:
    """Worker processes for the bootstrap: DUSK_WORKERS, else one a core."""
    return max(1, int(os.environ.get("DUSK_WORKERS", os.cpu_count() or 1)))
