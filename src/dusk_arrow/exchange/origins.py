"""The file that data came from, with what it takes to read it again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.problems import Problem
from dusk_arrow.exchange.previews import named
from dusk_arrow.exchange.reading import read_any
from dusk_arrow.exchange.reading_options import ReadingOptions


@dataclass(frozen=True)
class Origin:
    """A file as it was given, with the options it was read with: `names` are names and labels given beside it, as text; `n` and
    `divisor_offset` (0 for n, 1 for n − 1) belong to a matrix."""

    file_name: str
    content: bytes
    options: ReadingOptions = field(default_factory=ReadingOptions)
    names: str = ""
    n: int | None = None
    divisor_offset: int = 1

    def read(self) -> tuple[Source, tuple[Problem, ...]]:
        """The data before any recorded step, and what was noticed. Raises ProblemError."""
        data, noticed = read_any(self.content, self.file_name, self.options, self.n, self.divisor_offset)
        return named(data, self.names) if self.names.strip() else data, noticed

    def notes(self) -> dict[str, Any]:
        """Everything but the contents, as JSON has it."""
        return {
            "file_name": self.file_name, "options": asdict(self.options), "names": self.names, "n": self.n,
            "divisor_offset": self.divisor_offset,
        }  # fmt: skip


def from_notes(notes: Mapping[str, Any], content: bytes) -> Origin:
    """The file that `notes` describe. Raises KeyError and TypeError where they are damaged."""
    given: dict[str, Any] = {
        key: tuple(value) if isinstance(value, list) else value for key, value in notes["options"].items()
    }
    return Origin(
        str(notes["file_name"]), content, ReadingOptions(**given), notes["names"], notes["n"], notes["divisor_offset"]
    )
