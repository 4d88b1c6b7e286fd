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
    assert "indirect effect excludes zero; direct effect not tested" in page.named("unnamed-Support-Persistence").text
    assert "Not to be told apart" in page.named("contrast").text
    page.press("The steps one by one")
    assert "Stewardship → Persistence" in page.find("table[aria-label='The steps one by one']").text
    assert "+0.06 points on Persistence (as pe1 is scored)" in page.named("reading").text
    page.named(ROUTE).send_keys(Keys.ARROW_DOWN)
    page.until(lambda: page.named("route-total indirect").get_attribute("aria-pressed") == "true")
    page.press("all pairs")
    assert "complementary mediation" in page.named("mediation-Support-Stewardship").text
    assert "direct effect not tested" in page.named("mediation-Support-Persistence").text
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


def test_a_run_is_watched_stopped_and_followed(page: Page) -> None:
    """Intervals come early and say on how many resamples they rest; a second window shows the same run; what was drawn is kept."""
    at_effects(page)
    page.named("change-bootstrap").click()
    pick(page, "Number of resamples", "100000")
    pick(page, "Level of the intervals", "0.9")
    page.named("bootstrap").click()
    page.until(lambda: "of 100,000 resamples so far" in page.find("main").text, 60)
    assert "90 % percentile" in page.find("[role=group][aria-label=Routes]").text
    assert "left" in page.named("run").text
    first = page.driver.current_window_handle
    page.driver.switch_to.new_window("tab")
    page.driver.get(page.site + "/projects/2/effects")
    page.until(lambda: "of 100,000" in page.named("run").text)
    page.until(lambda: next(e for e in page.all("[data-testid=run] button") if "Stop and keep" in e.text)).click()
    page.until(lambda: "resamples (stopped)" in page.find("main").text)
    said = page.find("main").text.split("From ")[1].split(" of 349")[0]
    page.driver.close()
    page.driver.switch_to.window(first)
    page.until(lambda: f"From {said}" in page.find("main").text)
    assert page.errors() == []


def test_a_short_bootstrap_follows_a_gesture(page: Page) -> None:
    """Whoever has bootstrapped keeps intervals while the model is worked on, and is told that they are quick ones."""
    at_effects(page, "Night Ferry")
    page.named("bootstrap").click()
    page.until(lambda: "From 5,000 resamples" in page.find("main").text, 60)
    page.find("nav a[href$='/model']").click()
    page.until(lambda: page.all("[data-testid='path-years-rides']"))
    page.named("path-years-rides").click()
    page.press("Remove…")
    page.find("input[aria-label='Reason']").send_keys("years in service say nothing", Keys.ENTER)
    page.until(lambda: "years-rides" not in page.paths())
    page.find("nav a[href$='/effects']").click()
    page.until(lambda: "From 1,000 quick resamples" in page.find("main").text, 30)
    assert "are not stored: press Bootstrap" in page.find("main").text
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "From 5,000 resamples" in page.find("main").text)
    assert page.errors() == []


def test_the_picture_of_a_mediation_is_in_the_report(page: Page) -> None:
    """What was looked at on Effects is the figure of the paper, one click away."""
    at_effects(page)
    pick(page, "Source", "Support")
    pick(page, "Outcome", "Persistence")
    page.named("send-picture").click()
    page.until(lambda: page.find("main p a[href$='/report']")).click()
    page.until(lambda: page.all("img[alt='What Support does to Persistence']"))
    page.find("[data-testid='part-Support → Persistence'] button").click()
    page.until(lambda: page.find("img[alt='What Support does to Persistence']").size["width"] > 300)
    page.until(lambda: "Persistence" in (page.named("save-figure").get_attribute("href") or ""))
    page.find("[aria-label='Take out What Support does to Persistence']").click()
    page.until(lambda: not page.all("img[alt='What Support does to Persistence']"))
    assert page.errors() == []
