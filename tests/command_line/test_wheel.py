"""The wheel: whoever installs it gets a command that estimates and screens, with everything it reads inside."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from dusk_arrow import __version__
from tests.conftest import DEMO, ROOT


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The package as a wheel installs it, away from the checkout; its dependencies are those of the tests."""
    folder = tmp_path_factory.mktemp("wheel")
    source, target = folder / "source", folder / "installed"
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
    for name in ("pyproject.toml", "requirements.in"):
        shutil.copy(ROOT / name, source)
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--no-build-isolation", "--no-index"]
    subprocess.run([*pip, "--target", str(target), str(source)], check=True)
    return target


def command(installed: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    """Runs `dusk-arrow` of the installed package where no file of the checkout is at hand."""
    environment = {**os.environ, "PYTHONPATH": str(installed)}
    program = [sys.executable, str(installed / "bin" / "dusk-arrow"), *arguments]
    return subprocess.run(program, env=environment, cwd=installed, capture_output=True, text=True)


def test_fit_and_check_from_the_wheel(installed: Path, tmp_path: Path) -> None:
    """Numbers, figure with its font, and the screening; a file left out of the wheel would show here."""
    figure = tmp_path / "figure.svg"
    model, data = str(DEMO / "night_ferry.txt"), str(DEMO / "night_ferry.csv")
    fitted = command(installed, "fit", model, "--data", data, "--json", "-", "--figure", str(figure))
    assert fitted.returncode == 0, fitted.stderr
    assert json.loads(fitted.stdout)["effects"][0]["estimate"] != 0
    assert "font/woff2" in figure.read_text()
    checked = command(installed, "check", data, "--json", "-")
    assert checked.returncode == 0, checked.stderr
    assert json.loads(checked.stdout)["screening"]["columns"]


def test_what_the_wheel_carries(installed: Path) -> None:
    """Schemas for those who read the documents, and every package that the program stands on."""
    for name in ("results", "check"):
        assert json.loads((installed / f"dusk_arrow/results/schemas/{name}.json").read_text())["properties"]
    assert (installed / "dusk_arrow/records/migrations/script.py.mako").is_file()
    metadata = next(installed.glob("dusk_arrow-*.dist-info/METADATA")).read_text()
    wanted = [line for line in (ROOT / "requirements.in").read_text().splitlines() if line and not line.startswith("#")]
    assert metadata.count("Requires-Dist: ") == len(wanted)


def test_what_the_command_says_of_itself(installed: Path) -> None:
    """Version and help; what needs a checkout says so instead of failing halfway."""
    assert command(installed, "--version").stdout == f"dusk-arrow {__version__}\n"
    assert "usage: dusk-arrow fit" in command(installed, "fit", "--help").stdout
    assert "dusk-arrow check" in command(installed, "--help").stdout
    assert command(installed).returncode == 2
    refused = command(installed, "start")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "needs a checkout" in refused.stderr
