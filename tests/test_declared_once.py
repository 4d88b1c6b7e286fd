"""What is declared once: families by their traits, settings by their options, statistics by their entries."""

from __future__ import annotations

import json
import re

import pytest

from dusk_arrow import __version__
from dusk_arrow.core.assessment.criteria import SHEET, listed_in
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name, traits_of
from dusk_arrow.core.run_options import RUN_OPTIONS
from dusk_arrow.results.document import FitPart
from dusk_arrow.results.settings import Settings
from tests.conftest import ROOT
from tools.write_settings import chosen_settings, formatted

BY_NAME = re.compile(r'family\w*\s*(===?|!==?|in)\s*[("\[{]|"(composite|plsc)"|case "composite"')
SAID = {
    "src/dusk_arrow/results/chosen.py",  # made of the options
    "src/dusk_arrow/results/document/fit.py",  # what is implied within a block of indicators
    "src/dusk_arrow/results/differences.py",  # the same
    "frontend/src/finder/otherNames.ts",  # what people type who look for it
}


def test_no_family_is_known_by_name_outside_core() -> None:
    """Whoever adds a family would have to find every such place; what it can do is asked of its traits."""
    found = []
    sources = [p for p in (ROOT / "src/dusk_arrow").rglob("*.py") if "core" not in p.relative_to(ROOT).parts]
    sources += [p for p in (ROOT / "frontend/src").rglob("*.ts*") if p.name != "schema.ts"]
    for path in sources:
        for number, line in enumerate(path.read_text().splitlines(), 1):
            if BY_NAME.search(line) and path.relative_to(ROOT).as_posix() not in SAID:
                found.append(f"{path.relative_to(ROOT)}:{number}: {line.strip()}")
    assert found == []


@pytest.mark.parametrize("name", chosen_settings())
def test_settings_are_made_of_the_options(name: str) -> None:
    """An option that was added and not written would be no setting: run tools/write_settings.py."""
    assert (ROOT / name).read_text() == formatted(chosen_settings()[name])


def test_every_option_is_a_setting_with_its_default() -> None:
    """The first family's first value is what an analysis has unless something is chosen."""
    for option in (*options_by_name().values(), *RUN_OPTIONS):
        assert Settings.model_fields[option.name].default == option.default, option.name
        for name, values in option.only_with:
            assert set(values) <= {choice.value for choice in options_by_name()[name].choices}


def test_what_a_family_says_of_itself_is_so() -> None:
    """Traits are promises: what has tests has a χ² among its statistics, every estimator has its source."""
    for family in FAMILY_OPTIONS:
        assert ("chi_square" in FAMILIES[family.key].statistics_of_fit) == traits_of(family.key).tests
        estimators = family.option("estimator")
        assert estimators is not None
        assert {choice.value for choice in estimators.choices} == set(family.sources)


def test_every_statistic_of_fit_has_its_place_in_the_document() -> None:
    """One that is computed and listed but not in the document would be asked for in vain."""
    fields = set(FitPart.model_fields)
    assert {c.key for c in SHEET if c.of is not None} <= fields
    whole = {c.key for c in SHEET if c.about == "model"} - {"lowest_ave", "highest_htmt", "highest_vif"}
    for where in ("readout", "note", "table", "beside", "words"):
        assert {key for key in listed_in(where) if key in whole} <= fields  # type: ignore[arg-type]


def test_the_product_has_one_version() -> None:
    """A page that says another version than its server would be fetched anew for ever."""
    for name in ("package.json", "package-lock.json"):
        assert json.loads((ROOT / "frontend" / name).read_text())["version"] == __version__
