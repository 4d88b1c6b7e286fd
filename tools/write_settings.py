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
from dusk_arrow.core.run_options import INTERVAL, RUN_OPTIONS

ROOT = Path(__file__).resolve().parents[1]


def _literal(option: Option) -> str:
    if option.numbers is not None:
        return type(option.default).__name__
    return f"Literal[{', '.join(json.dumps(choice.value) for choice in option.choices)}]" if option.choices else "bool"


def _field(option: Option) -> str:
    """A setting with its default and its bounds."""
    numbers = option.numbers
    if numbers is None:
        return json.dumps(option.default) if option.choices else str(option.default)
    kind = "e" if numbers.inside else "t"
    bounds = {f"g{kind}": numbers.least, f"l{kind}": numbers.most}
    said = ", ".join(f"{name}={value}" for name, value in bounds.items() if value is not None)
    return f"Field(default={numbers.default}, {said})"


def chosen_settings() -> dict[str, str]:
    """Each module by its path in the checkout."""
    made = "Made of the options of the families by tools/write_settings.py, so that they are declared once."
    options = options_by_name().values()
    every = [*options, *RUN_OPTIONS]
    families = ", ".join(json.dumps(family.key) for family in FAMILY_OPTIONS)
    read = [
        f'    @property\n    def {option.name}(self) -> {_literal(option)}:\n        """{option.label}."""\n'
        for option in options
    ]
    fields = [f"    {option.name}: {_literal(option)} = {_field(option)}" for option in every]
    of_run = [option.name for option in every if option.of_run]
    return {
        "src/dusk_arrow/core/chosen_settings.py": (
            f'"""What families read of what was chosen among their options.\n\n{made}\n"""\n\nfrom __future__ import annotations\n\n'
            "from typing import Literal, Protocol\n\n\nclass ChosenSettings(Protocol):\n"
            '    """What was chosen of every option."""\n\n' + "\n".join(read)
        ),
        "src/dusk_arrow/results/chosen.py": (
            f'"""Settings that are chosen among the options of families.\n\n{made}\n"""\n\nfrom __future__ import annotations\n\n'
            "from typing import Literal\n\nfrom pydantic import BaseModel, Field\n\n"
            f"FamilyName = Literal[{families}]\nEstimatorName = {_literal(options_by_name()['estimator'])}\n"
            f"IntervalName = {_literal(INTERVAL)}\nOF_RUN = {json.dumps(of_run)}\n\n\n"
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
