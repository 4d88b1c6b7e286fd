"""Every screen, by day and by night, before the rules of a well-kept checker; and the way through the application by keys alone."""

from __future__ import annotations

from typing import Any

import pytest

from tests.browser.conftest import Page
from tests.conftest import ROOT

AXE = (ROOT / "frontend/node_modules/axe-core/axe.min.js").read_text()
AT_ONCE = """
const sheet = new CSSStyleSheet();
sheet.replaceSync("* { transition: none !important; }");
document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
"""  # a colour on its way to another is neither
STATIONS = ("data", "model", "quality", "effects", "compare", "report")


def _checked(page: Page, options: dict[str, Any]) -> list[str]:
    if not page.driver.execute_script("return 'axe' in window"):
        page.driver.execute_script(AXE)
        page.driver.execute_script(AT_ONCE)
    found: dict[str, Any] = page.driver.execute_async_script(
        "const done = arguments[arguments.length - 1];"
        # what the library puts at the ends of a dialog passes the focus on at once, and nobody ever stands on it
        "axe.run({exclude: ['[data-headlessui-focus-guard]']}, {resultTypes: ['violations'], ...arguments[0]})"
        ".then(done, (e) => done({violations: [], error: String(e)}))",
        options,
    )
    assert "error" not in found, found
    return [
        f"{v['id']} ×{len(v['nodes'])}: {v['help']} at {v['nodes'][0]['target']} {v['nodes'][0]['html'][:160]}"
        for v in found["violations"]
    ]


def violations(page: Page) -> list[str]:
    """What is wrong with the screen in sight, one line each with the first place; by night all but the colours is the same."""
    theme = "document.documentElement.dataset.theme"
    assert page.driver.execute_script(f"return {theme}") == "dusk-day"
    by_day = _checked(page, {})
    page.driver.execute_script(f"{theme} = 'dusk-night'")
    by_night = _checked(page, {"runOnly": ["color-contrast"]})
    page.driver.execute_script(f"{theme} = 'dusk-day'")
    return by_day + [f"by night: {line}" for line in by_night]


@pytest.fixture
def wardens(page: Page) -> Page:
    page.demo("River Wardens")
    page.driver.execute_script("localStorage.setItem('dusk-arrow-theme', 'dusk-day')")
    page.driver.refresh()
    page.until(lambda: page.paths())
    return page


def test_every_station(wardens: Page) -> None:
    """Names, roles, headings and contrast on the start page and at every station."""
    page = wardens
    wrong: list[str] = []
    for station in STATIONS:
        page.find(f"nav a[href$='/{station}']").click()
        page.until(lambda s=station: s in page.driver.current_url)
        page.until(lambda: "Opening…" not in page.find("main").text and "Fetching…" not in page.find("main").text)
        wrong += [f"{station}: {line}" for line in violations(page)]
    page.find("nav a[href$='/data']").click()
    for view in ("Screening", "Cases"):
        page.tab(view)
        page.until(lambda: len(page.find("main").text) > 200)
        wrong += [f"{view}: {line}" for line in violations(page)]
    page.open("/")
    page.until(lambda: "River Wardens" in page.find("main").text)
    wrong += [f"start: {line}" for line in violations(page)]
    assert wrong == [], "\n".join(wrong)


def test_what_opens_over_the_board(wardens: Page) -> None:
    """Finder, keys, sentences, trail, proposals, tables and menus are screens too."""
    page = wardens
    wrong: list[str] = []

    def look(what: str) -> None:
        wrong.extend(f"{what}: {line}" for line in violations(page))

    page.named("row-ef5").click()
    page.until(lambda: "AVE" in page.named("what-if").text)
    look("an item")
    page.named("path-Training-Efficacy").click()
    page.until(lambda: "f²" in page.lens())
    look("a path")
    page.keys("v")
    page.until(lambda: page.all("[data-testid^=covariance-]"))
    page.all("[data-testid^=covariance-]")[0].click()
    look("a covariance")
    page.keys("v", "t")
    page.until(lambda: page.all("[data-testid=revision-1]"))
    look("the trail")
    page.keys("s")
    page.until(lambda: "shows in" in page.find(".cm-content").text)
    look("sentences")
    page.find("[aria-label='Close the sentences']").click()
    page.find("[data-testid=find]").click()
    page.until(lambda: page.all("[role=option]"))
    look("finder")
    page.keys("\ue00c")
    page.until(lambda: not page.all("[role=dialog]"))
    page.named("row-ef5").click()
    page.keys("a")
    page.until(lambda: "AVE" in page.find("[role=dialog]").text)
    look("a proposal")
    page.keys("\ue00c")
    page.until(lambda: not page.all("[role=dialog]"))
    page.press("All parameters")
    page.until(lambda: page.all("table[aria-label=Parameters] tbody tr"))
    for view in ("Parameters", "Fit", "Residuals", "What is left out"):
        page.tab(view)
        look(view)
    page.find("[aria-label=Close]").click()
    page.find("button[title='How the model is estimated']").click()
    look("settings")
    assert wrong == [], "\n".join(wrong)
