"""Writes what is made in Python of the options that families declare: the settings of an analysis that are chosen among values, and
what a family reads of them.

Run after a change of an option, before `python tools/write_schemas.py`.
"""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from dusk_arrow.core.family_options import FAMILY_OPTIONS, USUAL, options_by_name
from dusk_arrow.core.options import Option

ROOT = Path(__file__).resolve().parents[1]


def _literal(option: Option) -> str:
    return f"Literal[{', '.join(json.dumps(choice.value) for choice in option.choices)}]" if option.choices else "bool"


def chosen_settings() -> dict[str, str]:
    """Each module by its path in the checkout."""
    made = "Made of the options of the families by tools/write_settings.py, so that they are declared once."
    options = options_by_name().values()
    families = ", ".join(json.dumps(family.key) for family in FAMILY_OPTIONS)
    read = [
        f'    @property\n    def {option.name}(self) -> {_literal(option)}:\n        """{option.label}."""\n'
        for option in options
    ]
    fields = [
        f"    {option.name}: {_literal(option)} = {json.dumps(option.choices[0].value) if option.choices else False}"
        for option in options
    ]
    return {
        "src/dusk_arrow/core/chosen_settings.py": (
            f'"""What families read of what was chosen among their options.\n\n{made}\n"""\n\nfrom __future__ import annotations\n\n'
            "from typing import Literal, Protocol\n\n\nclass ChosenSettings(Protocol):\n"
            '    """What was chosen of every option."""\n\n' + "\n".join(read)
        ),
        "src/dusk_arrow/results/chosen.py": (
            f'"""Settings that are chosen among the options of families.\n\n{made}\n"""\n\nfrom __future__ import annotations\n\n'
            "from typing import Literal\n\nfrom pydantic import BaseModel\n\n"
            f"FamilyName = Literal[{families}]\nEstimatorName = {_literal(options_by_name()['estimator'])}\n\n\n"
            'class Chosen(BaseModel):\n    """The family and what is chosen of every option; defaults are those of the first family."""\n\n'
            f"    family: FamilyName = {json.dumps(USUAL)}\n" + "\n".join(fields) + "\n"
        ),
    }


def formatted(text: str) -> str:
    """A module as the formatter leaves it."""
    ruff = [sys.executable, "-m", "ruff", "format", "-q", "-"]
    return subprocess.run(ruff, input=text, capture_output=True, text=True, check=True, cwd=ROOT).stdout


if __name__ == "__main__":
    for name, text in chosen_settings().items():
        (ROOT / name).write_text(formatted(text))
