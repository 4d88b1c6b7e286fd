"""Tables are sorted, walked and copied alike everywhere; what fails says so where it happened."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page

COPIED = """
window.copied = null; window.table = null;
navigator.clipboard.writeText = async (text) => { window.copied = text; };
navigator.clipboard.write = async ([item]) => {
  window.copied = await (await item.getType("text/plain")).text();
  window.table = await (await item.getType("text/html")).text();
};
"""
REFUSED = """
const real = window.fetch;
window.fetch = async (request) => {
  const matches = request.url && arguments[0].some((part) => request.url.includes(part)) && request.method !== "GET";
  if (!matches) return real(request);
  const body = {type: "about:blank", title: "It cannot be done now.", status: 422,
                problems: [{code: "x", severity: "error", message: "It cannot be done now.", about: [], repairs: [], place: null}]};
  return new Response(JSON.stringify(body), {status: 422, headers: {"Content-Type": "application/problem+json"}});
};
"""


@pytest.fixture
def wardens(page: Page) -> Iterator[Page]:
    page.demo("River Wardens")
    yield page
    page.open("/")


def column(page: Page, label: str, at: int) -> list[str]:
    return [cell.text for cell in page.all(f"table[aria-label='{label}'] tbody td:nth-child({at})")]


def test_a_table_is_sorted_walked_and_copied(wardens: Page) -> None:
    """A reader looks for the smallest loading, goes there by keys, and takes the table into a spreadsheet."""
    page = wardens
    page.driver.execute_script(COPIED)
    page.button("All parameters").click()
    page.find("table[aria-label=Parameters]")
    page.find("select[aria-label='Kind of parameter']").send_keys("loading")
    page.until(lambda: len(column(page, "Parameters", 2)) == 21)
    page.button("standardized").click()
    values = [float(text.replace("−", "-")) for text in column(page, "Parameters", 9)]
    assert values == sorted(values)
    assert column(page, "Parameters", 2)[0] == "Support → su4"
    page.button("standardized ▴").click()
    page.until(lambda: column(page, "Parameters", 2)[0] == "Stewardship → st1")
    page.find("table[aria-label=Parameters] tbody tr td:nth-child(2)").click()
    page.keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    page.until(lambda: page.driver.switch_to.active_element.text == column(page, "Parameters", 4)[1])
    page.keys(Keys.END)
    page.until(lambda: page.driver.switch_to.active_element.text == column(page, "Parameters", 4)[-1])
    page.driver.execute_script("arguments[0].click()", page.all("[aria-label='Copy: Parameters']")[0])
    page.button("Copy with every digit").click()
    copied = page.until(lambda: page.driver.execute_script("return window.copied")).split("\n")
    assert copied[0].split("\t")[:3] == ["parameter", "kind", "estimate"]
    assert len(copied) == 22
    first = copied[1].split("\t")
    assert first[:3] == ["Stewardship → st1", "loading · fixed: carries the scale", "1"]
    assert len(first[7]) > 10, "all digits, not the rounded ones of the screen"
    page.driver.execute_script("arguments[0].click()", page.all("[aria-label='Copy: Parameters']")[0])
    page.button("Copy as shown").click()
    shown = page.until(lambda: next(t for t in [page.driver.execute_script("return window.copied")] if "\t.896\t" in t))
    assert "[−.715, −.523]" not in shown
    assert ">.896</td>" in page.driver.execute_script("return window.table"), "a table for a word processor"
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("table[aria-label=Parameters]"))
    assert page.errors() == []


@pytest.mark.parametrize("what", ["pin", "gesture", "run"])
def test_what_fails_says_so(wardens: Page, what: str) -> None:
    """Pins, runs and the present data once failed without a word, and people waited."""
    page = wardens
    parts = ["/pins", "/present-data", "/revisions", "/runs"]
    page.driver.execute_script(REFUSED, parts)
    if what == "pin":
        page.button("Arrange").click()
    elif what == "gesture":
        page.named("path-Training-Persistence").click()
        page.button("Remove…").click()
        page.press("Remove")
    else:
        page.find("a[href$='/effects']").click()
        page.named("bootstrap").click()
    page.until(lambda: "It cannot be done now." in page.find("footer [role=alert]").text)
    if what == "gesture":
        assert "Training-Persistence" in page.paths()


def test_settings_and_models_open_and_close_by_keyboard(wardens: Page) -> None:
    """Menus take the focus and give it back; Escape closes them and nothing behind them."""
    page = wardens
    page.named("path-Training-Persistence").click()
    opener = page.find("button[title='How the model is estimated']")
    opener.send_keys(Keys.ENTER)
    page.find("[role=dialog][aria-label='How the model is estimated']")
    page.keys(Keys.TAB)
    page.until(lambda: page.driver.switch_to.active_element.text == "common factors")
    page.keys(Keys.TAB, Keys.TAB)
    page.until(lambda: page.driver.switch_to.active_element.tag_name == "select")
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[role=dialog]"))
    page.until(lambda: page.driver.switch_to.active_element == opener)
    assert "Training → Persistence" in page.lens()


def test_a_path_is_drawn_by_letters(wardens: Page) -> None:
    """The list under the field follows the letters; arrows choose, Escape leaves everything as it was."""
    page = wardens
    before = page.paths()
    page.find("[aria-label='Construct Support']").click()
    page.keys(Keys.ARROW_RIGHT)
    field = page.find("[role=dialog][aria-label='New path'] input")
    field.send_keys("e")
    options = lambda: [e.text for e in page.all("[role=option]")]  # noqa: E731
    page.until(lambda: options()[0] == "Effort")
    assert "Efficacy" not in options(), "there is a path to it already"
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[aria-label='New path']"))
    assert page.paths() == before


def test_what_is_drawn_elsewhere_is_copied_too(wardens: Page) -> None:
    """The cases and the models side by side go to a spreadsheet as they stand on screen."""
    page = wardens
    page.find("nav a[href$='/data']").click()
    page.tab("Cases")
    page.driver.execute_script(COPIED)
    page.find("[aria-label='Copy the cases for a spreadsheet']").click()
    copied = str(page.until(lambda: page.driver.execute_script("return window.copied")))
    lines = copied.split("\n")
    assert len(lines) == 413
    first = page.find("[role=row][aria-rowindex='2']").text.split()
    assert lines[1].split("\t")[0] == first[0].rstrip("✕×")
    page.find("nav a[href$='/compare']").click()
    copy = "[aria-label='Copy: Figures of the models']"
    page.until(lambda: page.all(copy))
    page.driver.execute_script("arguments[0].click()", page.all(copy)[0])
    page.press("Copy as shown")
    text = lambda: str(page.driver.execute_script("return window.copied"))  # noqa: E731
    page.until(lambda: "CFI" in text())
    cells = {line.split("\t")[0]: line.split("\t")[1] for line in text().split("\n")[1:]}
    row = page.driver.execute_script(
        "return [...document.querySelectorAll(\"table[aria-label='Figures of the models'] tbody tr\")].map((r) => r.textContent)"
    )
    assert any("CFI" in one and cells["CFI"].split(" ")[0] in one for one in row)
    assert "<table" in str(page.driver.execute_script("return window.table"))
