"""Repairs and second looks on Quality in the browser: twins, pairs, what is left out, cases, pictures, the held-out half."""

from __future__ import annotations

import base64
import struct
from typing import Any
from xml.etree import ElementTree

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

from tests.browser.conftest import Page
from tests.browser.test_quality import at_quality

CATCH = """window.caught = []; const make = URL.createObjectURL;
URL.createObjectURL = (blob) => { window.caught.push(blob); return make(blob); };"""
READ = """const done = arguments[0]; const blob = window.caught.at(-1); const reader = new FileReader();
reader.onload = () => done(reader.result.split(',')[1]); reader.readAsDataURL(blob);"""


def choose(page: Page, selector: str, value: str) -> None:
    Select(page.find(selector)).select_by_value(value)


def saved(page: Page, figure: Any, words: str) -> bytes:
    """What a click on one of the two words under a picture hands over."""
    before = page.driver.execute_script("return window.caught.length")
    button = next(b for b in figure.find_elements(By.TAG_NAME, "button") if b.text == words)
    page.driver.execute_script("arguments[0].click()", button)
    page.until(lambda: page.driver.execute_script("return window.caught.length") > before)
    return base64.b64decode(page.driver.execute_async_script(READ))


def test_twins_become_their_mean_after_a_look(page: Page) -> None:
    """Two items that say the same are one answer twice; the mean is a step of the data and one revision."""
    at_quality(page)
    page.named("item-st1").click()
    box = page.named("chosen-item")
    page.until(lambda: "With st2 it shares more than Stewardship explains" in page.named("chosen-item").text)
    assert "Set st1 aside" in box.text
    choose(page, "select[aria-label^='Combine st1']", "st2")
    dialog = page.find("[role=dialog]")
    page.until(lambda: "The data would be others" in dialog.text)
    assert "Keep half of the cases unseen first" in dialog.text
    page.find("[aria-label=Reason]").send_keys("the same wording", Keys.ENTER)
    page.until(lambda: page.named("item-st1_st2"))
    page.until(lambda: "1 change so far came from these data" in page.named("caution").text)
    page.press("Which?")
    page.until(lambda: "the same wording" in page.named("caution").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: page.named("item-st1"))
    assert page.errors() == []


def test_a_pair_opens_and_intervals_are_added_where_they_are_missed(page: Page) -> None:
    """Behind one number: its interval, its variants, and the answers that drive it."""
    at_quality(page)
    page.find("table[aria-label=HTMT] button[title^='Stewardship with Efficacy']").click()
    page.until(lambda: "Driven by ef" in page.named("pair").text)
    assert "HTMT2" in page.named("pair").text
    page.press("Add intervals (1,000 resamples)")
    cell = "table[aria-label=HTMT] button[title^='Stewardship with Efficacy']"
    page.until(lambda: "[" in page.find(cell).text, 60)
    page.until(lambda: "[" in page.named("pair").text)
    page.press("fold")
    page.until(lambda: not page.all("[data-testid=pair]"))
    assert page.errors() == []


def test_keys_walk_through_items_and_questions(page: Page) -> None:
    """J and K from item to item, digits from question to question, A proposes what is selected."""
    at_quality(page)
    page.keys("j")
    assert page.named("item-tr1").get_attribute("aria-pressed") == "true"
    page.keys("j", "j", "k")
    assert page.named("item-tr2").get_attribute("aria-pressed") == "true"
    page.keys("2")
    assert page.driver.switch_to.active_element.text == "HTMT"
    page.keys("a")
    page.until(lambda: "Set tr2 aside?" in page.find("[role=dialog]").text)
    page.press("Leave it")
    page.keys("e")
    page.until(lambda: page.all("[data-testid=item-tr2] [aria-label='kept as essential']"))
    page.find("[aria-label=Undo]").click()
    page.until(lambda: not page.all("[data-testid=item-tr2] [aria-label='kept as essential']"))
    assert page.errors() == []


def test_what_is_left_out_is_looked_at_before_it_is_let_in(page: Page) -> None:
    """A table of refits instead of a list of temptations."""
    at_quality(page)
    page.until(lambda: "Efficacy → st4" in page.find("table[aria-label='What is left out'] tbody tr").text, 30)
    rows = page.all("table[aria-label='What is left out'] tbody tr")
    assert len(rows) == 15
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", rows[1])
    rows[1].find_element(By.TAG_NAME, "button").click()
    dialog = page.find("[role=dialog]")
    page.until(lambda: "Let st1 and st2 covary?" in dialog.text and "Δdf = −1" in dialog.text.replace("-", "−"))
    page.press("Leave it")
    assert "ef3 with st4" in page.find("section[aria-labelledby=residuals]").text
    assert page.errors() == []


def test_cases_are_seen_by_their_scores_and_pictures_are_saved(page: Page) -> None:
    """A picture that needs the page it came from is no picture for a paper."""
    at_quality(page)
    page.driver.execute_script(CATCH)
    choose(page, "select[aria-label='Upwards']", "Persistence")
    page.until(lambda: page.all("svg[aria-label^='Scores of Persistence by Training']"))
    figures = page.all("figure")
    assert len(figures) == 5
    for figure in figures[:2]:
        drawn = ElementTree.fromstring(saved(page, figure, "SVG"))
        assert drawn.tag.endswith("svg")
        assert not [part for part in drawn.iter() if part.get("class")]
        words = {part.text for part in drawn.iter() if part.tag.endswith("text")}
        assert words & {"Training", "Persistence"}
        assert "fill" in (next(p for p in drawn.iter() if p.tag.endswith("text")).get("style") or "")
        picture = saved(page, figure, "PNG")
        assert picture[:8] == b"\x89PNG\r\n\x1a\n"
        assert struct.unpack(">I", picture[16:20])[0] == 3 * 560
    assert page.errors() == []


def test_a_formative_construct_has_its_weights_and_its_one_item(page: Page) -> None:
    """Reliability says nothing of it; intervals of weights, VIF and one item that sums it up do."""
    at_quality(page)
    page.until(lambda: "loading" in page.named("item-eo1").text and "VIF 1.18" in page.named("item-eo1").text)
    assert "[" in page.named("item-eo1").text
    choose(page, "select[aria-label='The item that sums up Effort']", "age")
    page.until(lambda: "n = " in page.find("section[aria-labelledby=shown] p[title]").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "n = " not in page.find("section[aria-labelledby=shown] p[title]").text)
    assert page.errors() == []


def test_half_of_the_cases_waits_and_is_opened_once(page: Page) -> None:
    """The only cases that can still confirm what came from the others."""
    at_quality(page)
    page.press("Keep half of the cases unseen")
    page.until(lambda: "Half of the cases waits unseen" in page.named("half").text, 30)
    page.until(lambda: "n = 175" in page.named("estimated").text)
    page.named("what-if-ef5").click()
    page.press("Set ef5 aside…")
    page.until(lambda: page.find("[aria-label=Reason]"))
    assert "unseen first" not in page.find("[role=dialog]").text
    page.keys(Keys.ENTER)
    page.until(lambda: not page.all("[data-testid='item-ef5']"))
    page.press("Open it…")
    page.press("Open it")
    page.until(lambda: page.all("table[aria-label='Both halves']"), 30)
    text = page.find("table[aria-label='Both halves']").text
    assert "F (ML) from the first" in text
    assert "n = 174" in text
    page.press("All paths")
    page.until(lambda: "Training → Efficacy" in page.find("table[aria-label='Both halves']").text)
    assert page.errors() == []
