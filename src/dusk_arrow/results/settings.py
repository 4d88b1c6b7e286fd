"""The settings of one analysis, as they are stored with its results."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import AfterValidator, ConfigDict, Field, ValidationError, model_validator

from dusk_arrow.core.family_options import BY_KEY, FAMILY_OPTIONS, USUAL
from dusk_arrow.core.options import Choose, FamilyOptions
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.run_options import USUAL_RESAMPLES
from dusk_arrow.results.chosen import OF_RUN, Chosen


def _values(family: FamilyOptions, setting: str) -> list[str]:
    return [choice.value for option in family.options if option.name == setting for choice in option.choices]


class Settings(Chosen):
    """Every option that changes a number. `workers` changes none and is not part of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    global_items: dict[str, str] = Field(default={}, max_length=100)

    @model_validator(mode="before")
    @classmethod
    def _observed_for_incomplete(cls, given: Any) -> Any:
        """An estimator names its family, and a family has its own. Incomplete cases have observed information unless another is
        asked for (Kenward & Molenberghs 1998); errors by bootstrap need one."""
        if not isinstance(given, dict):
            return given
        given = dict(given)
        if given.get("family") is None and given.get("estimator") is not None:
            own = [f.key for f in FAMILY_OPTIONS if given["estimator"] in _values(f, "estimator")]
            given["family"] = own[0] if own else USUAL
        if given.get("estimator") is None:
            family = next((f for f in FAMILY_OPTIONS if f.key == given.get("family")), FAMILY_OPTIONS[0])
            given["estimator"] = _values(family, "estimator")[0]
        if given.get("missing") == "full-information" and given.get("errors") is None:
            given["errors"] = "observed"
        if given.get("errors") == "bootstrap" and not given.get("bootstrap"):
            given["bootstrap"] = USUAL_RESAMPLES
        return {name: value for name, value in given.items() if not (name in ("family", "errors") and value is None)}

    @model_validator(mode="after")
    def _of_one_family(self) -> Settings:
        """An estimator of another family is no choice; other settings of another family are refused in words later."""
        family = next(f for f in FAMILY_OPTIONS if f.key == self.family)
        if self.estimator not in _values(family, "estimator"):
            raise ValueError(f"estimator {self.estimator} is not one of {family.words}")
        return self

    def without_bootstrap(self) -> Settings:
        """The same without resamples of any kind."""
        return self.model_copy(update={"bootstrap": 0, "bollen_stine": False})

    def of_estimation(self) -> Settings:
        """Those of the estimation alone: what belongs to resamples is as in settings that never had any."""
        return self.model_copy(update={name: type(self).model_fields[name].default for name in OF_RUN})

    @property
    def analytic_errors(self) -> str:
        """Where errors come from that are not the bootstrap's."""
        if self.errors == "bootstrap":
            return "observed" if self.missing == "full-information" else "expected"
        return self.errors


def _checked(given: dict[str, Any]) -> dict[str, Any]:
    Settings.model_validate(given)
    return given


SettingsAsKept = Annotated[dict[str, Any], AfterValidator(_checked)]
"""Settings as they were kept, with no more said than was then."""


def _of_family(key: str, said: set[str]) -> dict[str, object]:
    """What has to change with the family, where it was not said: what the other had has no meaning here."""
    family = BY_KEY.get(key)
    if family is None:
        return {}
    fresh: dict[str, object] = {name: _values(family, name)[0] for name in ("estimator", "missing")}
    fresh |= {name: Settings.model_fields[name].default for name in ("errors", "means", "bollen_stine")}
    return {name: value for name, value in fresh.items() if name not in said}


def with_choices(settings: Settings, chosen: Iterable[Choose]) -> Settings:
    """The settings with other values. Raises ProblemError for a value that a setting does not have."""
    chosen = list(chosen)
    values = settings.model_dump() | {choice.setting: choice.value for choice in chosen}
    if values["family"] != settings.family:
        values |= _of_family(values["family"], {choice.setting for choice in chosen})
    if values["missing"] == "full-information" and values["errors"] == "expected":
        values["errors"] = None  # incomplete cases have their own default
    said = {choice.setting for choice in chosen}
    came = settings.missing == "full-information" and settings.errors == "observed"
    if came and values["missing"] != "full-information" and "errors" not in said:
        values["errors"] = "expected"  # and it goes back with them
    try:
        return Settings.model_validate(values)
    except ValidationError as error:
        raise ProblemError(
            [Problem("no_such_setting", "error", f"There is no such setting: {error.errors()[0]['msg']}.")]
        ) from None
