"""The Effects station in the browser: one pair, its routes, what they come to, what was expected."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

from tests.browser.conftest import Page

ROUTE = "route-Support-Efficacy-Stewardship-Persistence"


def at_effects(page: Page, name: str = "River Wardens") -> None:
    page.demo(name)
    page.find("nav a[href$='/effects']").click()
    page.until(lambda: page.all("[aria-label=Routes]"))


def pick(page: Page, label: str, name: str) -> None:
    Select(page.find(f"select[aria-label='{label}']")).select_by_value(name)


def test_a_pair_its_routes_and_what_they_come_to(page: Page) -> None:
    """Picked in one line; before a bootstrap nothing is decided, after it everything is told."""
    at_effects(page)
    pick(page, "Source", "Support")
    pick(page, "Outcome", "Persistence")
    page.until(lambda: page.named(ROUTE))
    assert len(page.all("[aria-label=Routes] [data-row]")) == 4
    assert "delta method, approximate" in page.find("main").text
    assert "kind is decided by bootstrap intervals" in page.find("main").text
    assert "Held constant in these equations: Training, Effort." in page.find("main").text
    assert [o.text for o in page.all("select[aria-label=Outcome] option") if not o.is_enabled()] == []
    pick(page, "Source", "Stewardship")
    page.until(lambda: "No mediator between them" in page.find("main").text)
    closed = [o.text for o in page.all("select[aria-label=Outcome] option") if not o.is_enabled()]
    assert closed == ["Efficacy"]
    pick(page, "Source", "Support")
    page.named("bootstrap").click()
    page.until(lambda: "From 5,000 resamples" in page.find("main").text, 60)
    page.named(ROUTE).click()
    assert "none of 5,000 at or below zero" in page.find("main").text
    assert page.all("svg[aria-label^='Bootstrap distribution of Support › Efficacy']")
    assert "Indirect-only" in page.named("mediation-Support-Persistence").text.replace("indirect", "Indirect", 1)
    assert "Not to be told apart" in page.named("contrast").text
    page.press("The steps one by one")
    assert "Stewardship → Persistence" in page.find("table[aria-label='The steps one by one']").text
    assert "+0.06 points on Persistence (as pe1 is scored)" in page.named("reading").text
    page.named(ROUTE).send_keys(Keys.ARROW_DOWN)
    page.until(lambda: page.named("route-total indirect").get_attribute("aria-pressed") == "true")
    page.press("all pairs")
    assert "indirect-only mediation" in page.find("table[aria-label=Effects], [role=grid][aria-label=Effects]").text
    page.press("one pair")
    assert page.errors() == []


def test_an_expectation_is_stated_and_answered(page: Page) -> None:
    """By one click on a route; it stands in the sentences, keeps the bootstrap, and has a sentence for the paper."""
    at_effects(page)
    pick(page, "Source", "Support")
    pick(page, "Outcome", "Persistence")
    page.named(ROUTE).click()
    page.press("positive")
    section = "section[aria-labelledby=expected]"
    page.until(lambda: page.all(section))
    assert "H1" in page.find(section).text
    assert "through Efficacy and Stewardship" in page.find(section).text
    page.find("[aria-label=Undo]").click()
    page.until(lambda: not page.all(section))
    assert page.errors() == []


def test_observed_variables_are_read_in_their_units(page: Page) -> None:
    """A notice of two kinds is one against the other, not one point more."""
    at_effects(page, "Night Ferry")
    pick(page, "Source", "notice")
    pick(page, "Outcome", "rides")
    page.until(lambda: "against" in page.named("reading").text or "One point more" in page.named("reading").text)
    assert "points on rides" in page.named("reading").text
    assert page.errors() == []
