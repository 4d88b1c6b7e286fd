"""The model station as people use it: by mouse, by keys, by sentences; the trail, groups, covariances, measurement first."""

from __future__ import annotations

import json
import urllib.request
from typing import Any

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.conftest import DEMO

STEMS = ("tr", "su", "ef", "st", "pe", "eo")
PATHS = (("Tr", "Ef"), ("Su", "Ef"), ("Ef", "St"), ("Su", "St"), ("St", "Pe"), ("Tr", "Pe"), ("Eo", "Pe"))


def ask(page: Page, address: str) -> Any:
    with urllib.request.urlopen(page.site + address) as answer:
        return json.loads(answer.read())


def fresh(page: Page) -> None:
    """A new project with the survey and an empty board."""
    page.open("/")
    page.all("input[type=file]")[0].send_keys(str(DEMO / "river_wardens.csv"))
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    page.find("nav a[href$='/model']").click()
    page.until(lambda: page.all("[data-testid=block-tr]"))


def model_of(page: Page) -> dict[str, Any]:
    project = ask(page, f"/api/projects/{page.driver.current_url.split('/projects/')[1].split('/')[0]}")
    found: dict[str, Any] = ask(page, f"/api/models/{project['models'][0]['id']}")
    return found


def held(page: Page, *keys: str, by: str = Keys.CONTROL) -> None:
    """Keys pressed while another is held."""
    chain = ActionChains(page.driver).key_down(by)
    for key in keys:
        chain.send_keys(key)
    chain.key_up(by).perform()


def found(page: Page, words: str) -> None:
    """Something reached by its name, with keys alone."""
    held(page, "k")
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("role") == "combobox")
    page.keys(words)
    page.until(lambda: page.all("[role=option][aria-selected=true]"))
    page.keys(Keys.ENTER)
    page.until(lambda: not page.all("[role=listbox][aria-label='What was found']"))


def focused(page: Page, label: str) -> bool:
    return bool(page.driver.switch_to.active_element.get_attribute("aria-label") == label)


def by_mouse(page: Page) -> None:
    board = page.find("[aria-label=Board]")
    for number, stem in enumerate(STEMS, start=1):
        chain = ActionChains(page.driver).click_and_hold(page.named(f"block-{stem}"))
        chain.move_to_element_with_offset(board, 340, 240).release().perform()
        page.press("Make it")
        page.until(lambda n=number: len(page.cards()) == n)
    page.find("[aria-label='Construct Eo']").click()
    page.press("Make formative")
    page.until(lambda: model_of(page)["constructs"][5]["mode"] == "formative")
    for number, (source, target) in enumerate(PATHS, start=1):
        page.until(lambda: page.named("saved").text == "Saved")
        page.press("Whole model")
        handle = page.find(f"[data-card={source}] .react-flow__handle-right")
        card = page.find(f"[data-card={target}]")
        chain = ActionChains(page.driver).click_and_hold(handle).move_by_offset(12, 6)
        chain.move_to_element(card).pause(0.15).release().perform()
        page.until(lambda n=number: len(page.paths()) == n)


def by_keys(page: Page) -> None:
    page.driver.execute_script("document.activeElement.blur()")
    for _ in range(40):
        page.keys(Keys.TAB)
        if page.driver.switch_to.active_element.get_attribute("data-row"):
            break
    for number, _ in enumerate(STEMS, start=1):
        # blocks that are used go to the end of the shelf, so that the next free one is the first again
        page.keys(Keys.HOME)
        row = page.driver.switch_to.active_element.get_attribute("data-row") or ""
        page.keys(*[Keys.ARROW_DOWN] * (1 if row == "block mo" else 0), Keys.ENTER)
        page.until(lambda: focused(page, "Name of the construct"))
        page.keys(Keys.ENTER)
        page.until(lambda n=number: len(page.cards()) == n)
        for _ in range(30):
            held(page, Keys.TAB, by=Keys.SHIFT)
            if page.driver.switch_to.active_element.get_attribute("data-row"):
                break
    found(page, "eo")
    page.until(lambda: focused(page, "Construct Eo"))
    found(page, "make eo form")
    page.until(lambda: model_of(page)["constructs"][5]["mode"] == "formative")
    for number, (source, target) in enumerate(PATHS, start=1):
        found(page, source)
        page.until(lambda s=source: focused(page, f"Construct {s}"))
        page.keys(Keys.ARROW_RIGHT)
        page.until(lambda s=source: focused(page, f"Target of a path from {s}"))
        page.keys(target, Keys.ENTER)
        page.until(lambda n=number: len(page.paths()) == n)


def by_sentences(page: Page) -> None:
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("s")
    page.until(lambda: focused(page, "Sentences of the model"))
    ends = {"tr": 4, "su": 4, "ef": 5, "st": 4, "pe": 4}
    lines = [f"{stem.title()} shows in {stem}1..{stem}{last}" for stem, last in ends.items()]
    lines += ["Eo is made of eo1, eo2, eo3", *(f"{a} leads to {b}" for a, b in PATHS)]
    for line in lines:
        page.keys(line, Keys.ENTER)
    page.until(lambda: len(page.paths()) == 7 and len(page.cards()) == 6)


def test_three_ways_to_one_model(page: Page) -> None:
    """Whoever cannot use a mouse, or does not want to write, gets the same document to the last digit."""
    documents = []
    for build in (by_mouse, by_keys, by_sentences):
        fresh(page)
        build(page)
        page.until(lambda: "281.9" in page.named("readout-chi_square").text)
        document = ask(page, f"/api/models/{model_of(page)['id']}/results.json")
        assert document["fit"]["df"] == 236
        documents.append(document)
    assert documents[0] == documents[1] == documents[2]
    assert page.errors() == []
