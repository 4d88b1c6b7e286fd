"""What can be said about a model, one value per kind of sentence. See docs/methods/sentences.md."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

Sign = Literal["positive", "negative", "nonzero"]


@dataclass(frozen=True)
class Arrow:
    """A directed relation: a path, a loading (construct > indicator) or a weight (indicator > construct)."""

    source: str
    target: str


@dataclass(frozen=True)
class Pair:
    """An undirected relation: a covariance. `Pair(a, b)` and `Pair(b, a)` mean the same parameter."""

    first: str
    second: str


@dataclass(frozen=True)
class VarianceOf:
    """The variance, residual variance or disturbance variance of a name."""

    name: str


@dataclass(frozen=True)
class InterceptOf:
    """The intercept or mean of a name."""

    name: str


Target = Arrow | Pair | VarianceOf | InterceptOf


@dataclass(frozen=True)
class Number:
    """A number in an expression."""

    value: float


@dataclass(frozen=True)
class Reference:
    """A named parameter or tracked quantity in an expression."""

    name: str


@dataclass(frozen=True)
class Negative:
    """The negative of an expression."""

    operand: Expression


@dataclass(frozen=True)
class Binary:
    """Two expressions joined by + - * or /."""

    operator: Literal["+", "-", "*", "/"]
    left: Expression
    right: Expression


Expression = Number | Reference | Negative | Binary


def references(expression: Expression) -> list[str]:
    """The names of parameters and tracked quantities in an expression, in order."""
    match expression:
        case Reference(name):
            return [name]
        case Negative(operand):
            return references(operand)
        case Binary(_, left, right):
            return references(left) + references(right)
        case _:
            return []


@dataclass(frozen=True)
class Shows:
    """`Stewardship shows in st1, st2`: a reflective construct and its indicators."""

    construct: str
    indicators: tuple[str, ...]


@dataclass(frozen=True)
class MadeOf:
    """`Effort is made of eo1, eo2`: a formative construct and its indicators."""

    construct: str
    indicators: tuple[str, ...]


@dataclass(frozen=True)
class Leads:
    """`Training and Support lead to Efficacy`: a path from each source to each target."""

    sources: tuple[str, ...]
    targets: tuple[str, ...]


@dataclass(frozen=True)
class Controls:
    """`control age, tenure for Persistence`: paths from observed variables that are not of interest themselves; without targets,
    to every variable that has an incoming path."""

    names: tuple[str, ...]
    targets: tuple[str, ...] = ()


@dataclass(frozen=True)
class Covaries:
    """`a and b covary` (or `do not covary`): all pairs of the names."""

    names: tuple[str, ...]
    free: bool = True


@dataclass(frozen=True)
class Moderates:
    """`years moderates Training > Efficacy`: an interaction."""

    moderator: str
    path: Arrow


@dataclass(frozen=True)
class Holds:
    """`hold Training > Efficacy at 0`."""

    target: Target
    value: float


@dataclass(frozen=True)
class Begins:
    """`begin Training > Efficacy at 0.4`: a starting value."""

    target: Target
    value: float


@dataclass(frozen=True)
class Releases:
    """`release intercept of Level`: frees what a default fixes."""

    target: Target


@dataclass(frozen=True)
class Calls:
    """`call Training > Efficacy a`: gives a parameter a name."""

    target: Target
    name: str


@dataclass(frozen=True)
class Matches:
    """`match a, b`: the members (targets, or names of parameters) are equal."""

    members: tuple[Target | Reference, ...]


@dataclass(frozen=True)
class Tracks:
    """`track serial = A > B > C` (a route) or an expression over named parameters."""

    name: str
    quantity: tuple[str, ...] | Expression


@dataclass(frozen=True)
class Expects:
    """`expect A > B positive as H1`: a hypothesis on a route."""

    route: tuple[str, ...]
    sign: Sign
    label: str | None = None


@dataclass(frozen=True)
class SetsAside:
    """`set aside tr4 from Training because "..."`: belongs to the construct, but is out of the estimation."""

    indicators: tuple[str, ...]
    construct: str
    reason: str | None = None


@dataclass(frozen=True)
class Keeps:
    """`keep tr4 in Training because "..."`: marked as essential."""

    indicators: tuple[str, ...]
    construct: str
    reason: str | None = None


Statement = (
    Shows
    | MadeOf
    | Leads
    | Controls
    | Covaries
    | Moderates
    | Holds
    | Releases
    | Begins
    | Calls
    | Matches
    | Tracks
    | Expects
    | SetsAside
    | Keeps
)


@dataclass(frozen=True)
class Line:
    """One line of the text form: a statement, a comment, both or neither (a blank line)."""

    statement: Statement | None = None
    comment: str | None = None


@dataclass(frozen=True)
class Specification:
    """A model as it was said, in the order it was said. Defaults are added when it is compiled."""

    lines: tuple[Line, ...] = field(default=())

    @property
    def statements(self) -> tuple[Statement, ...]:
        """The statements without comments and blank lines."""
        return tuple(line.statement for line in self.lines if line.statement is not None)
