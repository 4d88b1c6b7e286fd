"""The whole job as a user does it, at 1280×800, on the demo data."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from pathlib import Path

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.conftest import DEMO

CONSTRUCTS = {
    "tr": "Training",
    "su": "Support",
    "ef": "Efficacy",
    "st": "Stewardship",
    "pe": "Persistence",
    "eo": "Effort",
}


def name_it(page: Page, name: str) -> None:
    """A construct asks for its name before it is made; type it and go on, with the focus on its card."""
    field = page.find("input[aria-label='Name of the construct']")
    page.until(lambda: page.driver.switch_to.active_element == field)
    field.send_keys(name, Keys.ENTER)
    page.until(lambda: name in page.cards())
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("aria-label") == f"Construct {name}")


def by_keyboard(page: Page, source: str, letters: str, key: str) -> None:
    """Select, →, the first letters, Enter."""
    page.find(f"[aria-label='Construct {source}']").click()
    ActionChains(page.driver).send_keys(Keys.ARROW_RIGHT).perform()
    page.find("[role=dialog] input").send_keys(letters, Keys.ENTER)
    page.until(lambda: key in page.paths())


def test_from_a_survey_file_to_a_diagram(page: Page, downloads: Path) -> None:
    """Import, constructs from blocks, paths, estimates, an item aside, bootstrap, diagram: nothing may be in the way."""
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(DEMO / "river_wardens.csv"))
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    table = page.find("table[aria-label='Columns of the data set']").text
    assert "su4" in table
    page.find("input[aria-label='Find a column']").send_keys("catch")
    page.until(lambda: "2 groups" in page.find("table[aria-label='Columns of the data set']").text)
    page.find("a[href$='/model']").click()

    board = page.find("[aria-label=Board]")
    page.drag(page.named("block-tr"), board)
    name_it(page, "Training")
    page.find("[aria-label='Make a construct of su']").click()
    name_it(page, "Support")
    for stem in ("ef", "st", "pe", "eo"):
        page.named(f"block-{stem}").send_keys(Keys.ENTER)
        name_it(page, CONSTRUCTS[stem])
    assert sorted(page.cards()) == sorted(CONSTRUCTS.values())
    page.until(lambda: "n = 349" in page.named("estimated").text)

    handle = page.find("[data-card=Training] .react-flow__handle-right")
    target = page.find("[data-card=Efficacy]")
    ActionChains(page.driver).click_and_hold(handle).move_by_offset(25, 8).move_to_element(target).pause(
        0.2
    ).release().perform()
    page.until(lambda: "Training-Efficacy" in page.paths())
    by_keyboard(page, "Support", "ef", "Support-Efficacy")
    by_keyboard(page, "Efficacy", "st", "Efficacy-Stewardship")
    by_keyboard(page, "Support", "st", "Support-Stewardship")
    by_keyboard(page, "Stewardship", "pe", "Stewardship-Persistence")
    by_keyboard(page, "Training", "pe", "Training-Persistence")
    by_keyboard(page, "Effort", "pe", "Effort-Persistence")
    page.find("[aria-label='Construct Effort']").click()
    page.button("Make formative").click()
    page.until(lambda: "281.9" in page.named("readout-chi_square").text)
    assert "(236) p = .022" in page.named("readout-chi_square").text
    assert page.paths()["Training-Efficacy"].startswith(".43")

    page.named("row-ef5").click()
    page.until(lambda: "AVE .47 → .56" in page.named("what-if").text)
    page.button("Set aside…").click()
    page.find("input[aria-label='Reason']").send_keys("asks about tools", Keys.ENTER)
    page.until(lambda: ".56" in page.named("readout-lowest_ave").text)
    assert "other data" in page.named("readout-chi_square").text
    assert "asks about tools" in page.lens()
    page.button("Take back").click()
    page.until(lambda: "281.9" in page.named("readout-chi_square").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: ".56" in page.named("readout-lowest_ave").text)
    page.find("[aria-label=Redo]").click()
    page.until(lambda: "281.9" in page.named("readout-chi_square").text)

    page.driver.refresh()
    page.until(lambda: len(page.paths()) == 7)
    assert "281.9" in page.named("readout-chi_square").text

    page.find("a[href$='/effects']").click()
    page.named("change-bootstrap").click()
    page.find("select[aria-label='Number of resamples']").send_keys("1,000")
    page.named("bootstrap").click()
    page.until(lambda: "From 1,000 resamples" in page.driver.page_source, 60)
    page.press("all pairs")
    assert "direct effect not tested" in page.named("mediation-Training-Stewardship").text
    row = "effect-Training-Stewardship-total indirect"
    assert re.search(r"\[\.\d{3}, \.\d{3}\]", page.named(row).text)
    page.named("change-bootstrap").click()
    page.find("select[aria-label='Scale of the effects']").send_keys("in")
    page.until(lambda: re.search(r"\[0\.\d{3}, 0\.\d{3}\]", page.named(row).text))

    page.find("a[href$='/report']").click()
    page.find("img[alt^='Path diagram']")
    page.named("save-figure").click()
    figure = downloads / "river_wardens.svg"
    page.until(figure.exists)
    words = [e.text for e in ET.parse(figure).iter("{http://www.w3.org/2000/svg}text")]
    assert {"Training", "Persistence", "tr1", ".43"} <= set(words)
    page.named("save-results").click()
    results = downloads / "river_wardens.json"
    page.until(results.exists)
    assert json.loads(results.read_text())["bootstrap_summary"]["used"] == 1000
    assert page.errors() == []


def test_a_problem_is_stated_with_its_repair(page: Page) -> None:
    """While a model cannot be estimated the last numbers stay, and the way out is a button."""
    page.demo("River Wardens")
    by_keyboard(page, "Persistence", "effo", "Persistence-Effort")
    problem = page.named("problem-path_into_formative")
    assert "cannot be estimated" in problem.text
    assert "281.9" in page.named("readout-chi_square").text
    problem.find_element("xpath", ".//button[.='Remove the path']").click()
    page.press("Do it")
    page.until(lambda: "Persistence-Effort" not in page.paths())
    page.until(lambda: "Estimated" in page.named("estimated").text)
    page.find("[aria-label=Undo]").click()
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "Persistence-Effort" not in page.paths())


def test_the_lens_knows_a_path(page: Page) -> None:
    """What decides about a path stands in one place: estimate, interval and its basis, VIF, what-if."""
    page.demo("River Wardens")
    page.named("path-Training-Persistence").click()
    page.until(lambda: re.search(r"Δχ² = [567]\.\d, Δdf = 1, p = \.0[12]\d", page.lens()))
    lens = page.lens()
    for piece in ("Training → Persistence", "VIF of Training here", "f²", "from the standard error", "unstandardized"):
        assert piece in lens
    page.named("readout-rmsea").click()
    assert "Browne & Cudeck (1992)" in page.find("[role=dialog][aria-label=RMSEA]").text
    ActionChains(page.driver).send_keys(Keys.ESCAPE).perform()
    page.until(lambda: not page.all("[role=dialog]"))


def test_observed_columns_make_a_mediation(page: Page) -> None:
    """A study without constructs works by the same gestures."""
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(DEMO / "night_ferry.csv"))
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    page.find("a[href$='/model']").click()
    for source, letters, key in (
        ("notice", "saf", "notice-safety"),
        ("safety", "rid", "safety-rides"),
        ("notice", "rid", "notice-rides"),
    ):
        page.named(f"column-{source}").click()
        page.button("Leads to…").click()
        page.find("[role=dialog] input").send_keys(letters, Keys.ENTER)
        page.until(lambda key=key: key in page.paths())
    page.until(lambda: "saturated" in page.named("readout-chi_square").text)


def test_useless_files_are_refused_in_words(page: Page, tmp_path: Path) -> None:
    """The preview says what is wrong with the file, and nothing can be stored until it is put right."""
    bad = tmp_path / "twice.csv"
    bad.write_text("a,b,a\n1,2,3\n")
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(bad))
    alert = page.find("main [role=alert]").text
    assert not page.button("Bring it in").is_enabled()
    assert "2 columns are called a (positions 1 and 3)" in alert


def test_cards_can_be_moved_and_arranged(page: Page) -> None:
    """A card stays where it is put, over a reload too; Arrange undoes it."""
    page.demo("River Wardens")
    place = lambda: page.find("[data-card=Effort]").rect["x"]  # noqa: E731
    before = place()
    name = page.find("[aria-label='Construct Effort']")
    ActionChains(page.driver).click_and_hold(name).move_by_offset(60, 30).move_by_offset(40, 10).release().perform()
    page.until(lambda: place() > before + 20)
    page.driver.refresh()
    page.until(lambda: page.paths())
    page.until(lambda: place() > before + 20)
    page.button("Arrange").click()
    page.until(lambda: abs(place() - before) < 3)
    assert page.errors() == []


def test_screening_shows_the_planted_flaws(page: Page) -> None:
    """People meet the faults of their data here, in words, before the model does."""
    page.demo("River Wardens")
    page.find("a[href$='/data']").click()
    page.tab("Screening")
    assert "su4 runs against its block" in page.named("finding-item_reversed").text
    assert page.named("finding-straight_liners").text.startswith("7 cases")
    assert "pe1, pe2, pe3, pe4 missing" in page.find("table[aria-label='Missing patterns']").text
    page.find("svg[aria-label^='Distances of 347 complete cases']")
    page.find("svg[aria-label^='Correlations of 30 columns']")
    assert page.errors() == []


def test_themes_are_remembered(page: Page) -> None:
    """One click to the night and back, kept over a reload."""
    page.open("/")
    theme = lambda: page.driver.execute_script("return document.documentElement.dataset.theme")  # noqa: E731
    first = theme()
    page.find("[aria-label^='Switch to']").click()
    page.driver.refresh()
    assert theme() != first
    page.find("[aria-label^='Switch to']").click()
    assert theme() == first


def test_keys_belong_to_what_is_looked_at(page: Page) -> None:
    """Delete in the table of all parameters once removed the path that was selected on the board behind it."""
    page.demo("River Wardens")
    before = set(page.paths())
    page.named("path-Training-Persistence").click()
    body = page.driver.find_element("css selector", "body")
    body.send_keys("p")
    table = page.find("[role=dialog] table, [aria-label='All parameters'] table, table[aria-label='All parameters']")
    ActionChains(page.driver).send_keys(Keys.DELETE).perform()
    table.click()
    ActionChains(page.driver).send_keys(Keys.DELETE).perform()
    body.send_keys("p")
    page.until(lambda: set(page.paths()) == before)
    page.find("[data-testid=readout-cfi]").click()
    ActionChains(page.driver).send_keys(Keys.DELETE).perform()
    page.find("[data-testid=readout-cfi]").click()
    assert set(page.paths()) == before
    page.named("path-Training-Persistence").click()
    ActionChains(page.driver).send_keys(Keys.DELETE).perform()
    assert "Remove the path Training → Persistence?" in page.find("[role=dialog]").text
    page.keys("superseded by the literature", Keys.ENTER)
    page.until(lambda: set(page.paths()) == before - {"Training-Persistence"})
    assert "path Training → Persistence removed" in page.named("made").text
    page.find("[aria-label=Undo]").click()
    page.until(lambda: set(page.paths()) == before)
