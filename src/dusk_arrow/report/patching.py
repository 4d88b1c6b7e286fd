"""Single choices of a report changed, so that two who work on it at once take nothing from one another."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from dusk_arrow.exchange.texts import Line, Text
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.report.options import MOST_BESIDE, MOST_WORDS, Edit, NamedFigure, PartChoice, ReportOptions


def without_defaults(schema: dict[str, Any]) -> None:
    """What is left out of a patch is not its default: it stays as it is."""
    for field in schema.get("properties", {}).values():
        field.pop("default", None)


class _Patch(BaseModel):
    """Only what is given changes."""

    model_config = ConfigDict(extra="forbid", json_schema_extra=without_defaults)

    def given(self) -> dict[str, Any]:
        """What is given."""
        return {name: getattr(self, name) for name in self.model_fields_set}


class PartPatch(_Patch):
    """Whether a part is shown, and a title in the place of its own."""

    shown: bool = True
    title: Line | None = Field(default=None, max_length=300)


class FigurePatch(_Patch):
    """What a figure is of, where it is new, and those of its options that change, by name; of places only those that change, null
    where one is no longer put by hand."""

    kind: Literal["model", "mediation", "importance"] = "model"
    source: str | None = Field(default=None, max_length=200)
    outcome: str | None = Field(default=None, max_length=200)
    options: dict[str, Any] = Field(default={}, max_length=60)


class EditPatch(_Patch):
    """Words as somebody wrote them now, null for those that are computed; `seen` are the edited words they had before them (null: the
    computed ones), `computed` the mark of what was computed then. `dropped` are words that were written meanwhile and are not wanted."""

    text: Text | None = Field(default=None, max_length=MOST_WORDS)
    seen: str | None = Field(default=None, max_length=MOST_WORDS)
    computed: str = Field(default="", max_length=64)
    dropped: list[Annotated[str, Field(max_length=MOST_WORDS)]] = Field(default=[], max_length=MOST_BESIDE)


class ReportPatch(_Patch):
    """Choices of a report that change, each for itself: parts, figures and edited words by their keys (a figure that is null is taken
    out), and the `order` of the parts."""

    title: Line | None = Field(default=None, max_length=300)
    decimals: Literal[2, 3] = 2
    leading_zero: bool = False
    n_in_chi_square: bool = True
    order: list[Annotated[str, Field(max_length=500)]] = Field(default=[], max_length=200)
    parts: dict[str, PartPatch] = Field(default={}, max_length=200)
    figures: dict[str, FigurePatch | None] = Field(default={}, max_length=40)
    edits: dict[str, EditPatch] = Field(default={}, max_length=40)


PLACES = ("places", "label_places")


def _parts(options: ReportOptions, patch: ReportPatch) -> list[PartChoice]:
    kept = {part.key: part for part in options.parts}
    for key, change in patch.parts.items():
        kept[key] = kept.get(key, PartChoice(key=key)).model_copy(update=change.given())
    gone = {key for key, figure in patch.figures.items() if figure is None}
    order = [*dict.fromkeys(patch.order), *(key for key in kept if key not in patch.order)]
    return [kept.get(key, PartChoice(key=key)) for key in order if key not in gone]


def _figures(options: ReportOptions, patch: ReportPatch) -> list[NamedFigure]:
    kept = {figure.key: figure for figure in options.figures}
    for key, change in patch.figures.items():
        if change is None:
            kept.pop(key, None)
            continue
        figure = kept.get(key, NamedFigure(key=key))
        drawn = figure.options.model_dump()
        for name, value in change.options.items():
            if name in PLACES and isinstance(value, dict):
                value = {one: at for one, at in {**drawn[name], **value}.items() if at is not None}
            drawn[name] = value
        what = {name: value for name, value in change.given().items() if name != "options"}
        kept[key] = figure.model_copy(update={**what, "options": FigureOptions.model_validate(drawn)})
    return list(kept.values())


def _edit(now: Edit | None, change: EditPatch) -> tuple[Edit | None, bool]:
    """What becomes of edited words, and whether somebody else had written others meanwhile: theirs stay, these stand beside."""
    beside = [text for text in (now.beside if now else []) if text not in change.dropped]
    current = None if now is None else now.text
    if now is not None and change.seen != current and change.text != current:
        if change.text is not None and change.text not in beside:
            beside.append(change.text)
        return now.model_copy(update={"beside": beside}), True
    if change.text is None:
        return (Edit(text=None, computed="", beside=beside) if beside else None), False
    return Edit(text=change.text, computed=change.computed, beside=beside), False


def patched(options: ReportOptions, patch: ReportPatch) -> tuple[ReportOptions, list[str]]:
    """The options after a patch, and the keys of parts whose words somebody else had changed meanwhile. Raises pydantic's
    ValidationError where the choices make no sense."""
    simple = {
        name: value for name, value in patch.given().items() if name not in ("order", "parts", "figures", "edits")
    }
    edits, aside = dict(options.edits), []
    for key, change in patch.edits.items():
        found, conflict = _edit(edits.get(key), change)
        if conflict:
            aside.append(key)
        if found is None:
            edits.pop(key, None)
        else:
            edits[key] = found
    changed = options.model_copy(
        update={**simple, "parts": _parts(options, patch), "figures": _figures(options, patch), "edits": edits}
    )
    return ReportOptions.model_validate(changed.model_dump()), aside
