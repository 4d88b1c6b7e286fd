"""The Report station: parts, figures, words and files, as someone uses them who writes a paper."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page


def at_report(page: Page) -> None:
    page.demo("River Wardens")
    page.find("nav a[href$='/report']").click()
    page.until(lambda: page.find("img[alt='Path diagram']").size["width"] > 300)


def titles(page: Page) -> list[str]:
    script = "return [...document.querySelectorAll('.report-page caption')].map((one) => one.textContent)"
    return list(page.driver.execute_script(script))


def test_parts_are_left_out_reordered_and_renamed(page: Page) -> None:
    """The page follows every choice at once, its numbers too."""
    at_report(page)
    assert titles(page)[0] == "Table 1. Variables"
    page.find("[data-testid=part-descriptives] input").click()
    page.until(lambda: titles(page)[0] == "Table 1. Measures")
    for _ in range(2):  # past what is left out
        page.find("[data-testid=part-fit] button").send_keys(Keys.ALT, Keys.ARROW_UP)
        page.until(lambda: "Saved" in page.find("footer").text)
    page.until(
        lambda: (
            titles(page).index("Table 3. Fit") < titles(page).index("Table 4. Constructs apart: correlations and √AVE")
        )
    )
    page.find("[data-testid=part-fit] button").click()
    title = page.find("[aria-label='How the part looks'] input")
    title.clear()
    title.send_keys("How well it fits", Keys.ENTER)
    page.until(lambda: "Table 3. How well it fits" in titles(page))
    page.named("copy-part").click()
    page.until(lambda: page.named("copy-part").text == "Copied")
    page.find("[data-testid=part-paths] button").send_keys(Keys.SPACE)
    page.until(lambda: not any("Paths" in one for one in titles(page)))
    page.find("[data-testid=part-paths] button").send_keys(Keys.SPACE)
    page.until(lambda: any("Paths" in one for one in titles(page)))
    click = "for (const key of ['measures', 'paths', 'fit']) document.querySelector(`[data-testid=part-${key}] input`).click()"
    page.driver.execute_script(click)  # quicker than a report is made
    page.until(lambda: not any(word in one for one in titles(page) for word in ("Measures", "Paths", "fits")))
    page.driver.execute_script(click)
    page.until(lambda: "Table 3. How well it fits" in titles(page))
    page.until(lambda: "Saved" in page.find("footer").text)
    page.driver.refresh()
    page.until(lambda: "Table 3. How well it fits" in titles(page))
    page.drag(page.find("[data-testid=part-fit]"), page.find("[data-testid=part-measures]"))
    page.until(lambda: titles(page)[0] == "Table 1. How well it fits")
    assert page.errors() == []


def test_a_figure_follows_its_choices_and_the_hand(page: Page) -> None:
    """Notation, numbers and size change the figure on the page; a shape that is dragged stays where it is put."""
    at_report(page)
    page.find("[data-testid=part-figure] button").click()

    def pick(words: str) -> None:
        page.until(lambda: [one for one in page.all("[role=radio]") if one.text == words])[0].click()

    source = lambda: page.find("img[alt='Path diagram']").get_attribute("src") or ""  # noqa: E731
    pick("stars")
    page.until(lambda: "stars" in source())
    pick("our cards")
    page.until(lambda: "cards" in source())
    page.press("one column 84")
    text = lambda: page.driver.execute_script("return document.querySelector('main').textContent")  # noqa: E731
    page.until(lambda: "84 × " in text())
    assert page.named("smallest-type").text.startswith("smallest type")
    page.press("one column 84")
    pick("of the literature")
    page.until(lambda: "174 × 6" in text() and "literature" in source())
    handle = page.until(lambda: page.all("[title^='Drag Effort']"))[0]
    ActionChains(page.driver).click_and_hold(handle).move_by_offset(40, 30).release().perform()
    page.until(lambda: "places" in source() and "Effort" in source())
    page.press("Arrange it again")
    page.until(lambda: "Effort" not in source())
    pick("as Arial")
    page.until(lambda: "arial" in source())
    handle = page.until(lambda: page.all("[data-handle='Training → Efficacy']"))[0]
    before = handle.location

    def moved_by() -> tuple[int, int]:
        now = page.all("[data-handle='Training → Efficacy']")[0].location
        return now["x"] - before["x"], now["y"] - before["y"]

    ActionChains(page.driver).click_and_hold(handle).move_by_offset(-30, 24).release().perform()
    page.until(lambda: "label_places" in source() and "Training" in source())
    page.until(lambda: moved_by() == pytest.approx((-30, 24), abs=6))
    page.press("across a page 257")
    page.until(lambda: page.all("[data-sideways=true]"))
    assert page.errors() == []


def test_words_are_edited_on_the_page(page: Page) -> None:
    """An edited paragraph says so, and the computed one comes back."""
    at_report(page)
    page.find("[data-testid=part-method] button").click()
    page.named("words-method").click()
    box = page.find(".report-page textarea")
    assert "maximum likelihood" in (box.get_attribute("value") or "")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("In our own words.")
    page.find("[data-testid=part-fit] button").click()
    page.until(lambda: "In our own words." in page.find(".report-page").text)
    page.until(lambda: "edited" in page.find(".report-page").text)
    page.press("as computed")
    page.until(lambda: "In our own words." not in page.find(".report-page").text)
    assert page.errors() == []


def test_printed_figures_are_compared_and_a_screen_is_copied(page: Page) -> None:
    """A paper's digits beside one's own; and what is on Quality goes to a document as a table."""
    page.demo("River Wardens")
    page.find("nav a[href$='/quality']").click()
    page.named("copy-measures").click()
    page.until(lambda: page.named("copy-measures").get_attribute("aria-label") == "Copied")
    page.find("nav a[href$='/compare']").click()
    box = page.find("textarea[aria-label^='Figures as they are printed']")
    box.send_keys("CFI .986\nTraining → Efficacy .43\nSRMR .5")
    page.press("Compare the digits")
    page.until(lambda: "2 of 3 agree" in page.find("[aria-label='Against published figures']").text, 40)
    assert page.errors() == []


def test_a_capsule_opens_on_the_start_page(page: Page, downloads: Path) -> None:
    """What was saved is a project again, here or elsewhere."""
    at_report(page)
    page.named("save-capsule").click()
    file = downloads / "river_wardens_capsule.zip"
    page.until(file.exists)
    page.until(lambda: zipfile.is_zipfile(io.BytesIO(file.read_bytes())))
    page.open("/")
    page.until(lambda: page.all("input[aria-label='Data file']"))[0].send_keys(str(file))
    page.until(lambda: "from a capsule" in page.find("header").text)
    page.until(lambda: "281.9" in page.named("readout-chi_square").text)
    assert page.errors() == []


def test_files_are_saved_as_the_page_shows_them(page: Page, downloads: Path) -> None:
    """One click saves, and the filled button does it again."""
    at_report(page)
    page.named("save-report-docx").click()
    file = downloads / "river_wardens_report.docx"
    page.until(file.exists)
    page.until(lambda: zipfile.is_zipfile(io.BytesIO(file.read_bytes())))
    page.named("save-report-xlsx").click()
    page.until((downloads / "river_wardens_report.xlsx").exists)
    assert "workbook" in page.named("save-again").text
    page.named("save-figure-pptx").click()
    page.until((downloads / "river_wardens.pptx").exists)
    assert page.errors() == []
