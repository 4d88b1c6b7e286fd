"""The settings a family of estimation has, with their values and words: menu and command line are made from them.

Nothing heavy is imported here, so that help is answered at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class Choice:
    """One value of a setting: what it is called, and when it is right."""

    value: str
    words: str
    hint: str = ""


@dataclass(frozen=True)
class Choose:
    """A repair of the settings: another value of one of them."""

    setting: str
    value: str
    type: Literal["choose"] = "choose"


@dataclass(frozen=True)
class Option:
    """One setting: its name, what a menu calls it, and its values, the default first; without values it is on or off."""

    name: str
    label: str
    choices: tuple[Choice, ...] = ()
    hint: str = ""

    def words(self, value: str) -> str:
        """What a value is called."""
        return next(choice.words for choice in self.choices if choice.value == value)


@dataclass(frozen=True)
class FamilyOptions:
    """The settings of one family, by its key and its words."""

    key: str
    words: str
    options: tuple[Option, ...]
