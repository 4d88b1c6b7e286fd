"""What a parameter is, wherever it is spoken of: in core, document, comparison and repairs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

ParameterKind = Literal["loading", "weight", "path", "covariance", "variance", "intercept", "mean"]


HELD = "fixed by a sentence"  # why a parameter is fixed that a sentence holds at a value


@dataclass(frozen=True)
class ParameterKey:
    """One parameter of a model: its kind, from where to where (twice the same for a variance, intercept or mean), and the
    group, None where there is one. Words are made of it at the edge and never taken apart again."""

    kind: ParameterKind
    source: str
    target: str
    group: str | None = None

    @property
    def words(self) -> str:
        """The parameter as a reader would name it."""
        if self.kind in ("variance", "intercept", "mean"):
            return f"{self.kind} of {self.source}"
        return f"{self.source} {'&' if self.kind == 'covariance' else '→'} {self.target}"
