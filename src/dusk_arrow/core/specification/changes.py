"""Everything that can be done to a model, as values, and the words that stand for each in the history."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Mode


@dataclass(frozen=True)
class AddConstruct:
    """A new construct with its indicators."""

    name: str
    indicators: tuple[str, ...]
    mode: Mode = "reflective"
    type: Literal["add_construct"] = "add_construct"


@dataclass(frozen=True)
class RemoveConstruct:
    """A construct and all that is said of it."""

    name: str
    type: Literal["remove_construct"] = "remove_construct"


@dataclass(frozen=True)
class MergeConstructs:
    """A construct's indicators and paths go over to another that the data cannot tell from it."""

    name: str
    into: str
    type: Literal["merge_constructs"] = "merge_constructs"


@dataclass(frozen=True)
class Rename:
    """A construct gets another name wherever it is mentioned."""

    name: str
    to: str
    type: Literal["rename"] = "rename"


@dataclass(frozen=True)
class SetMode:
    """A construct becomes reflective or formative."""

    name: str
    mode: Mode
    type: Literal["set_mode"] = "set_mode"


@dataclass(frozen=True)
class AddIndicators:
    """Columns (or constructs) join a construct's indicators."""

    construct: str
    indicators: tuple[str, ...]
    type: Literal["add_indicators"] = "add_indicators"


@dataclass(frozen=True)
class RemoveIndicator:
    """A column no longer belongs to the construct at all."""

    construct: str
    indicator: str
    type: Literal["remove_indicator"] = "remove_indicator"


@dataclass(frozen=True)
class ReplaceIndicators:
    """One column takes the place of several indicators of a construct, such as their mean."""

    construct: str
    indicators: tuple[str, ...]
    by: str
    type: Literal["replace_indicators"] = "replace_indicators"


@dataclass(frozen=True)
class MoveIndicator:
    """A column moves from one construct to another."""

    indicator: str
    construct: str
    to: str
    type: Literal["move_indicator"] = "move_indicator"


@dataclass(frozen=True)
class MakeMarker:
    """The indicator becomes the first of its construct, and so carries its scale."""

    construct: str
    indicator: str
    type: Literal["make_marker"] = "make_marker"


@dataclass(frozen=True)
class SetAside:
    """An indicator leaves the estimation but stays with its construct."""

    construct: str
    indicator: str
    reason: str | None = None
    type: Literal["set_aside"] = "set_aside"


@dataclass(frozen=True)
class TakeBack:
    """An indicator that was set aside returns."""

    construct: str
    indicator: str
    type: Literal["take_back"] = "take_back"


@dataclass(frozen=True)
class AddPath:
    """A path from source to target."""

    source: str
    target: str
    type: Literal["add_path"] = "add_path"


@dataclass(frozen=True)
class SetControls:
    """What is controlled for in everything that is explained, in the place of what was; none where there are no names."""

    names: tuple[str, ...]
    type: Literal["set_controls"] = "set_controls"


@dataclass(frozen=True)
class RemovePath:
    """A path and what is said of it goes."""

    source: str
    target: str
    type: Literal["remove_path"] = "remove_path"


@dataclass(frozen=True)
class RemoveObserved:
    """An observed variable and all that is said of it goes."""

    name: str
    type: Literal["remove_observed"] = "remove_observed"


@dataclass(frozen=True)
class SetCovariance:
    """Two names covary (True), do not (False), or follow the defaults again (None)."""

    first: str
    second: str
    free: bool | None = True
    type: Literal["set_covariance"] = "set_covariance"


@dataclass(frozen=True)
class FixPath:
    """A path is fixed to a value, or freed (None)."""

    source: str
    target: str
    value: float | None
    type: Literal["fix_path"] = "fix_path"


@dataclass(frozen=True)
class Hold:
    """Parameters are held at a value."""

    parameters: tuple[ParameterKey, ...]
    value: float
    type: Literal["hold"] = "hold"


@dataclass(frozen=True)
class Free:
    """Parameters are free again: no longer held or equal, or released where a default fixes them."""

    parameters: tuple[ParameterKey, ...]
    type: Literal["free"] = "free"


@dataclass(frozen=True)
class MakeEqual:
    """Parameters get one value between them."""

    parameters: tuple[ParameterKey, ...]
    type: Literal["make_equal"] = "make_equal"


@dataclass(frozen=True)
class OrderIndicators:
    """The indicators of a construct in another order; the scale stays where it is said to be, else with the first."""

    construct: str
    indicators: tuple[str, ...]
    type: Literal["order_indicators"] = "order_indicators"


@dataclass(frozen=True)
class Keep:
    """An indicator is marked as essential, so that its removal is never proposed; or no longer (`essential` False)."""

    construct: str
    indicator: str
    reason: str | None = None
    essential: bool = True
    type: Literal["keep"] = "keep"


@dataclass(frozen=True)
class DuplicateConstruct:
    """A second construct of the same kind and with the same paths, waiting for columns of its own."""

    name: str
    to: str
    type: Literal["duplicate_construct"] = "duplicate_construct"


@dataclass(frozen=True)
class AddSentence:
    """One sentence more."""

    sentence: str
    type: Literal["add_sentence"] = "add_sentence"


@dataclass(frozen=True)
class ReplaceText:
    """The whole model from its text form."""

    text: str
    type: Literal["replace_text"] = "replace_text"


Change = (
    AddConstruct
    | RemoveConstruct
    | MergeConstructs
    | Rename
    | SetMode
    | AddIndicators
    | RemoveIndicator
    | ReplaceIndicators
    | MoveIndicator
    | MakeMarker
    | SetAside
    | TakeBack
    | AddPath
    | SetControls
    | RemovePath
    | RemoveObserved
    | SetCovariance
    | FixPath
    | Hold
    | Free
    | MakeEqual
    | OrderIndicators
    | Keep
    | DuplicateConstruct
    | AddSentence
    | ReplaceText
)


def _listed(parameters: tuple[ParameterKey, ...]) -> str:
    return listed([key.words for key in parameters])


def words(change: Change) -> str:
    """What a change did, in the few words that stand for it in the history."""
    match change:
        case AddConstruct(name, indicators, mode):
            verb = "shows in" if mode == "reflective" else "is made of"
            return f"{name} {verb} {', '.join(indicators)}" if indicators else f"construct {name} begun"
        case RemoveConstruct(name):
            return f"{name} removed"
        case Rename(name, to):
            return f"{name} renamed to {to}"
        case MergeConstructs(name, into):
            return f"{name} merged into {into}"
        case SetMode(name, mode):
            return f"{name} made {mode}"
        case AddIndicators(construct, indicators):
            return f"{', '.join(indicators)} added to {construct}"
        case RemoveIndicator(construct, indicator):
            return f"{indicator} removed from {construct}"
        case ReplaceIndicators(construct, indicators, by):
            return f"{by} in the place of {listed(indicators)} in {construct}"
        case MoveIndicator(indicator, construct, to):
            return f"{indicator} moved from {construct} to {to}"
        case MakeMarker(construct, indicator):
            return f"{indicator} carries the scale of {construct}"
        case SetAside(construct, indicator, _):
            return f"{indicator} set aside from {construct}"
        case TakeBack(construct, indicator):
            return f"{indicator} taken back into {construct}"
        case AddPath(source, target):
            return f"path {source} → {target}"
        case SetControls(names):
            return f"controls: {', '.join(names)}" if names else "no controls"
        case RemovePath(source, target):
            return f"path {source} → {target} removed"
        case RemoveObserved(name):
            return f"{name} removed"
        case SetCovariance(first, second, free):
            said = {True: "covary", False: "do not covary", None: "follow the defaults again"}[free]
            return f"{first} and {second} {said}"
        case FixPath(source, target, value):
            return f"{source} → {target} " + ("freed" if value is None else f"fixed to {value:g}")
        case Hold(parameters, value):
            return f"{_listed(parameters)} held at {value:g}"
        case Free(parameters):
            return f"{_listed(parameters)} freed"
        case MakeEqual(parameters):
            return f"{_listed(parameters)} made equal"
        case OrderIndicators(construct, indicators):
            return f"{construct} in the order {', '.join(indicators)}"
        case Keep(construct, indicator, _, essential):
            return f"{indicator} {'kept as essential' if essential else 'no longer kept as essential'} in {construct}"
        case DuplicateConstruct(name, to):
            return f"{to} begun like {name}"
        case AddSentence(sentence):
            return sentence
        case ReplaceText():
            return "sentences edited"
