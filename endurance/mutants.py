"""Which small mistakes in the statistics no test notices: a seeded sample of mutants, each put to the tests that cover it.

`python -m endurance.mutants [COUNT]` says how many died, and shows those that lived. Mutants that change nothing but the
words of a message are counted apart. What is mutated and by which tests it is judged stands in pyproject.toml.
"""

from __future__ import annotations

import random
import re
import subprocess
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TOOL = Path(sys.executable).with_name("mutmut")
SEED = 20261126
WANTED = 0.85
TEXT = re.compile(r"""(?:\b[fr])?("(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*')""")
LIVED = ("survived", "no tests", "suspicious")


def tool(*arguments: str) -> str:
    """What the mutation tool prints."""
    done = subprocess.run([str(TOOL), *arguments], cwd=ROOT, capture_output=True, text=True, check=False)
    return done.stdout


def states() -> dict[str, str]:
    """Every mutant with what became of it."""
    lines = (line.strip().rsplit(": ", 1) for line in tool("results", "--all", "true").splitlines())
    return {line[0]: line[1] for line in lines if len(line) == 2 and "__mutmut_" in line[0]}


def only_words(difference: str) -> bool:
    """Whether a mutant changes nothing but texts."""
    old, new = (
        [TEXT.sub('""', line[1:]) for line in difference.splitlines() if re.match(rf"\{sign}(?!\{sign}\{sign})", line)]
        for sign in "-+"
    )
    return old == new and '"' in difference


def main(count: int) -> int:
    """Runs the sample; exit code 1 where too many lived."""
    tool("run", "nothing_of_this_name*")  # makes the mutants and times the tests
    everything = sorted(states())
    sample = random.Random(SEED).sample(everything, min(count, len(everything)))
    tool("run", *sample)
    found = states()
    became = Counter(found[name] for name in sample)
    print(f"{len(everything)} mutants, {len(sample)} tried: {dict(became)}")
    words, lived = [], []
    for name in sample:
        if found[name] in LIVED:
            shown = tool("show", name)
            (words if only_words(shown) else lived).append((name, shown))
    for name, shown in lived:
        print(f"\n{name}: {found[name]}")
        print("\n".join(line for line in shown.splitlines() if re.match(r"[-+](?![-+]{2})", line)))
    judged = len(sample) - len(words)
    share = 1 - len(lived) / judged
    print(f"\n{len(words)} change only words. Of the {judged} others {len(lived)} lived: {100 * share:.1f} % died.")
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 300))
