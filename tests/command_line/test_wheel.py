"""The wheel: whoever installs it gets a command that estimates and screens, with everything it reads inside."""

from __future__ import annotations

import ast
import json
import os
import re
import shutil
import subprocess
import sys
import tomllib
from importlib.metadata import packages_distributions
from pathlib import Path

import pandas as pd
import pytest

from dusk_arrow import __version__
from tests.conftest import DEMO, ROOT


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The package as a wheel installs it, away from the checkout; its dependencies are those of the tests."""
    folder = tmp_path_factory.mktemp("wheel")
    source, target = folder / "source", folder / "installed"
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
    for name in ("pyproject.toml", "README.md", "LICENSE"):
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
    assert (installed / "dusk_arrow/py.typed").is_file()
    info = next(installed.glob("dusk_arrow-*.dist-info"))
    metadata = (info / "METADATA").read_text()
    assert "License-Expression: MIT" in metadata
    assert "From a questionnaire to a path diagram" in metadata
    assert len(list(info.rglob("LICENSE"))) == 2, "that of the product, and of its typefaces"
    assert {"report", "server", "cluster"} == set(re.findall(r"Provides-Extra: (\S+)", metadata))


def imported() -> dict[str, set[str]]:
    """The packages that the source imports from outside, with the rooms that do."""
    found: dict[str, set[str]] = {}
    for path in (ROOT / "src/dusk_arrow").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
            for name in {name.partition(".")[0] for name in names} - {"", "dusk_arrow", *sys.stdlib_module_names}:
                found.setdefault(name, set()).add(path.relative_to(ROOT / "src/dusk_arrow").parts[0])
    return found


def declared(lines: list[str]) -> set[str]:
    """The names of requirements, as they are compared."""
    return {re.split(r"[\[<>=~; ]", line)[0].lower().replace("_", "-") for line in lines}


def test_whatever_is_imported_is_declared() -> None:
    """A package that comes only because another needs it goes when that one does. The application's list and the wheel's are of the
    same packages."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    extras = project["optional-dependencies"]
    everything = declared(project["dependencies"]) | declared([line for own in extras.values() for line in own])
    distributions = packages_distributions()
    for name, rooms in imported().items():
        owners = {owner.lower().replace("_", "-") for owner in distributions.get(name, [name])}
        assert owners & everything, f"{name} ({', '.join(sorted(rooms))})"
        if rooms & {"core", "results", "exchange", "command_line"} and name not in (
            "distributed",
            "psycopg",
            "sqlalchemy",
        ):
            assert owners & declared(project["dependencies"]), f"{name} is needed by what `fit` and `check` stand on"
    lines = [line for line in (ROOT / "requirements.in").read_text().splitlines() if line and not line.startswith("#")]
    assert declared(lines) == everything - {"dusk-arrow", "distributed"}


LIGHT = """
import sys
class Absent:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in ABSENT:
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)
ABSENT = set(sys.argv.pop(1).split(","))
sys.meta_path.insert(0, Absent())
from dusk_arrow.command_line.__main__ import run
run()
"""


def test_fit_and_check_stand_on_little(installed: Path, tmp_path: Path) -> None:
    """Who only estimates needs no server and no writer of documents; what needs more says which part of the package it is in."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["optional-dependencies"]
    owners = declared([line for own in project.values() for line in own])
    absent = [n for n, own in packages_distributions().items() if {o.lower().replace("_", "-") for o in own} & owners]

    def light(*arguments: str) -> subprocess.CompletedProcess[str]:
        program = [sys.executable, "-c", LIGHT, ",".join(absent), *arguments]
        environment = {**os.environ, "PYTHONPATH": str(installed)}
        return subprocess.run(program, env=environment, cwd=installed, capture_output=True, text=True)

    model, data = str(DEMO / "night_ferry.txt"), str(DEMO / "night_ferry.csv")
    figure = str(tmp_path / "figure.svg")
    fitted = light(
        "fit", model, "--data", data, "--json", "-", "--bootstrap", "50", "--workers", "1", "--figure", figure
    )
    assert fitted.returncode == 0, fitted.stderr
    assert json.loads(fitted.stdout)["bootstrap_summary"]["used"] == 50
    assert light("check", data).returncode == 0
    refused = light("fit", model, "--data", data, "--report", str(tmp_path / "report.docx"))
    assert refused.returncode == 2
    assert "pip install 'dusk-arrow[report]'" in refused.stderr


def test_the_notebook_page_runs_as_it_stands(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever copies it gets numbers, the same as the command line's."""
    shutil.copy(DEMO / "night_ferry.txt", tmp_path / "model.txt")
    shutil.copy(DEMO / "night_ferry.csv", tmp_path / "cases.csv")
    monkeypatch.chdir(tmp_path)
    blocks = re.findall(r"```python\n(.*?)```", (ROOT / "docs/notebook.md").read_text(), re.DOTALL)
    assert len(blocks) == 2
    said: dict[str, object] = {}
    for block in blocks:
        exec(block.replace("bootstrap=1000", "bootstrap=60"), said)
    from dusk_arrow.notebook import fit

    found = said["results"]
    assert found.bootstrap_summary.used == 60  # type: ignore[attr-defined]
    frame = pd.read_csv("cases.csv")
    again = fit(Path("model.txt").read_text(), frame)
    assert again.fit is not None
    assert again.fit.chi_square == pytest.approx(found.fit.chi_square, rel=1e-12)  # type: ignore[attr-defined]


def test_what_the_command_says_of_itself(installed: Path) -> None:
    """Version and help; what needs a checkout says so instead of failing halfway."""
    assert command(installed, "--version").stdout == f"dusk-arrow {__version__}\n"
    assert "usage: dusk-arrow fit" in command(installed, "fit", "--help").stdout
    assert "dusk-arrow check" in command(installed, "--help").stdout
    assert command(installed).returncode == 2
    refused = command(installed, "start")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "needs a checkout" in refused.stderr
