"""The set-up tells what it does in lines of its own: what other programs print goes to a log, and is told where they fail."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
PYTHON = """#!/bin/sh
case "$*" in
  *"pip install"*) echo "WARNING: chatter"; echo "ERROR: nothing like it" >&2; exit $PIP_ENDS ;;
  *) exit 0 ;;
esac
"""


@pytest.fixture
def checkout(tmp_path: Path) -> Path:
    """A checkout whose environment is there and has nothing installed in it."""
    for name in ("dusk", "requirements.lock"):
        shutil.copy(ROOT / name, tmp_path / name)
    python = tmp_path / ".venv/bin/python"
    python.parent.mkdir(parents=True)
    python.write_text(PYTHON)
    python.chmod(0o755)
    return tmp_path


@pytest.mark.parametrize(("ends", "code"), [(0, 0), (1, 1)])
def test_other_programs_do_not_talk_between(checkout: Path, ends: int, code: int) -> None:
    """A first start once began with 63 warnings of the installer; an installer that fails is still heard."""
    environment = {**os.environ, "DUSK_DATA": str(checkout / "data"), "PIP_ENDS": str(ends)}
    told = subprocess.run(
        [checkout / "dusk", "fit", "--help"], env=environment, capture_output=True, text=True, check=False
    )
    assert told.returncode == code
    lines = told.stdout.splitlines() + told.stderr.splitlines()
    assert lines[0].startswith("· installing Python packages")
    assert not any("WARNING" in line for line in lines)
    assert any("nothing like it" in line for line in lines) == bool(ends)
    assert "WARNING: chatter" in (checkout / "data/packages.log").read_text()
