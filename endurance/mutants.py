"""Which small mistakes no test notices: a seeded sample of mutants in each room, each put to the tests that cover it. Golden documents
are not among them: they show that a number moved, never that it is right.

`python -m endurance.mutants ROOM [COUNT]` says how many died, and shows those that lived. Mutants that change nothing but the
words of a message are counted apart, but in `report`, whose words are its results. It works in a copy of the checkout.
"""

from __future__ import annotations

import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
TOOL = Path(sys.executable).with_name("mutmut")
SEED = 20261126
WANTED = 0.85
TEXT = re.compile(r"""(?:\b[fr])?("(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*')""")


class Room(NamedTuple):
    """What is mutated, and by which tests it is judged."""

    paths: tuple[str, ...]
    tests: tuple[str, ...]


CORE_TESTS = (
    "tests/core",
    "tests/conformance",
    "tests/results/test_kinds_of_models.py",
    "tests/results/test_honesty.py",
)
RESULTS_TESTS = (
    "tests/results",
    "tests/conformance",
    "tests/test_declared_once.py",
    "--ignore=tests/results/test_golden_documents.py",
)
ROOMS = {
    "estimation": Room(("core/covariance/*.py", "core/covariance/*/*.py"), CORE_TESTS),
    "composites": Room(
        ("core/composite/*.py",), (*CORE_TESTS, "tests/results/test_composites.py", "tests/results/test_prediction.py")
    ),
    "observations": Room(
        ("core/observations/*.py", "core/resampling/*.py"),
        (*CORE_TESTS, "tests/exchange", "tests/results/test_identity.py"),
    ),
    "assessment": Room(
        ("core/assessment/*.py", "core/assessment/*/*.py", "core/effects/*.py", "core/*.py"), CORE_TESTS
    ),
    "specification": Room(("core/specification/*.py",), ("tests/core",)),
    "results": Room(("results/*.py", "results/*/*.py"), RESULTS_TESTS),
    "report": Room(("report/words/*.py", "report/tables/*.py", "report/*.py"), ("tests/report",)),
    "figure": Room(("figure/*.py",), ("tests/figure",)),
    "server": Room(
        (
            "server/model_state.py",
            "server/documents.py",
            "server/context.py",
            "server/view.py",
            "results/cache.py",
            "results/identity.py",
        ),
        ("tests/server", "tests/results/test_identity.py"),
    ),
}
LIVED = ("survived", "no tests", "suspicious")


def copied(room: Room, folder: Path) -> None:
    """The checkout with the room as what is mutated."""
    names = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
    for name in filter(None, names):
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(ROOT / name, folder / name)
    if (ROOT / "frontend/dist").is_dir():
        shutil.copytree(ROOT / "frontend/dist", folder / "frontend/dist")
    with (folder / "pyproject.toml").open("a") as file:
        file.write(f"only_mutate = {[f'src/dusk_arrow/{path}' for path in room.paths]}\n".replace("'", '"'))
        file.write(f"pytest_add_cli_args_test_selection = {list(room.tests)}\n".replace("'", '"'))


def tool(folder: Path, *arguments: str) -> str:
    """What the mutation tool prints."""
    done = subprocess.run([str(TOOL), *arguments], cwd=folder, capture_output=True, text=True, check=False)
    return done.stdout


def states(folder: Path) -> dict[str, str]:
    """Every mutant with what became of it."""
    lines = (line.strip().rsplit(": ", 1) for line in tool(folder, "results", "--all", "true").splitlines())
    return {line[0]: line[1] for line in lines if len(line) == 2 and "__mutmut_" in line[0]}


def only_words(difference: str) -> bool:
    """Whether a mutant changes nothing but texts."""
    old, new = (
        [TEXT.sub('""', line[1:]) for line in difference.splitlines() if re.match(rf"\{sign}(?!\{sign}\{sign})", line)]
        for sign in "-+"
    )
    return old == new and '"' in difference


def main(name: str, count: int) -> int:
    """Runs the sample of a room; exit code 1 where too many lived."""
    with tempfile.TemporaryDirectory() as path:
        folder = Path(path)
        copied(ROOMS[name], folder)
        return judged(name, count, folder)


def judged(name: str, count: int, folder: Path) -> int:
    """Runs the sample in a copy of the checkout."""
    tool(folder, "run", "nothing_of_this_name*")  # makes the mutants and times the tests
    everything = sorted(states(folder))
    sample = random.Random(SEED).sample(everything, min(count, len(everything)))
    tool(folder, "run", *sample)
    found = states(folder)
    became = Counter(found[mutant] for mutant in sample)
    print(f"{name}: {len(everything)} mutants, {len(sample)} tried: {dict(became)}")
    words, lived = [], []
    for mutant in sample:
        if found[mutant] in LIVED:
            shown = tool(folder, "show", mutant)
            (words if only_words(shown) and name != "report" else lived).append((mutant, shown))
    for mutant, shown in lived:
        print(f"\n{mutant}: {found[mutant]}")
        print("\n".join(line for line in shown.splitlines() if re.match(r"[-+](?![-+]{2})", line)))
    of = len(sample) - len(words)
    if not of:
        print("nothing was tried: the tests may have failed before anything was mutated")
        return 1
    share = 1 - len(lived) / of
    print(f"\n{name}: {len(words)} change only words. Of the {of} others {len(lived)} lived: {100 * share:.1f} % died.")
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    if len(sys.argv) < 2 or sys.argv[1] not in ROOMS:
        sys.exit(f"python -m endurance.mutants ROOM [COUNT], with ROOM one of {', '.join(ROOMS)}")
    sys.exit(main(sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 300))
