"""The settings a family of estimation has, with their values and words: menu and command line are made from them.

Nothing heavy is imported here, so that help is answered at once.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Choice:
    """One value of a setting: what it is called, when it is right, the module that holds what it stands for, where it does, and the
    literature."""

    value: str
    words: str
    hint: str = ""
    module: str = ""
    source: str = ""


@dataclass(frozen=True)
class Choose:
    """A repair of the settings: another value of one of them."""

    setting: str
    value: str
    type: Literal["choose"] = "choose"


@dataclass(frozen=True)
class Range:
    """What a setting that is a number can be: its `default`, from `least` on, up to `most` (None: any), both bounds `inside` or not, the
    values that a menu offers, and what is `usual` where it is asked for without a value."""

    default: float
    least: float
    most: float | None = None
    inside: bool = True
    offered: tuple[float, ...] = ()
    usual: float | None = None


@dataclass(frozen=True)
class Option:
    """One setting: its name, what a menu calls it, and its values, the default first, or the `numbers` it can be; without either it is on
    or off. It has a say only where each of the settings in `only_with` has one of the values named there. What is `of_run` is chosen with a bootstrap, not in the menu."""

    name: str
    label: str
    choices: tuple[Choice, ...] = ()
    hint: str = ""
    only_with: tuple[tuple[str, tuple[str, ...]], ...] = ()
    of_run: bool = False
    numbers: Range | None = None

    @property
    def default(self) -> str | float | bool:
        """What it is unless something is chosen."""
        if self.numbers is not None:
            return self.numbers.default
        return self.choices[0].value if self.choices else False

    def choice(self, value: str) -> Choice:
        """One of its values."""
        return next(choice for choice in self.choices if choice.value == value)

    def words(self, value: str) -> str:
        """What a value is called."""
        return self.choice(value).words


@dataclass(frozen=True)
class Traits:
    """What a family can do and what its constructs are, so that nobody has to know it by name.

    `tests`: it has a χ², so that models can be tested and compared, and parameters added and left out by it. `errors`: it has
    standard errors without a bootstrap. `holds`: parameters can be held at values or equal. `factors`: constructs are common factors
    in units of an indicator, and what is made of indicators is made without remainder; else they are standardized scores. `predicts`:
    cases can be predicted out of sample. `divisor` is that of its covariances, None where a setting says it; `page` is that of its
    methods.
    """

    tests: bool
    errors: bool
    holds: bool
    factors: bool
    predicts: bool
    divisor: Literal["n", "n-1"] | None
    page: str


@dataclass(frozen=True)
class FamilyOptions:
    """One family by its key and its words: its settings, what it can do, and the source of each estimator."""

    key: str
    words: str
    options: tuple[Option, ...]
    traits: Traits
    sources: Mapping[str, str]

    def option(self, name: str) -> Option | None:
        """One of its settings, None where it has none of that name."""
        return next((option for option in self.options if option.name == name), None)
