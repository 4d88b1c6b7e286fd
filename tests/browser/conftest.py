"""A server of the tests' own and a headless browser at 1280×800."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from selenium import webdriver
from selenium.common.exceptions import ElementClickInterceptedException, StaleElementReferenceException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.command_line.places import front_end
from dusk_arrow.records.database import Sessions
from dusk_arrow.server.app import create_app
from dusk_arrow.server.listening import Listener
from tests.conftest import DEMO


@pytest.fixture(scope="module")
def site(records: Sessions) -> Iterator[str]:
    load_demo(records, DEMO)
    app = create_app(records, front_end(), workers=2)
    listener = Listener(app)
    yield f"http://127.0.0.1:{listener.port}"
    app.extensions["dusk_arrow"].close()
    listener.close()


class Found(WebElement):
    """An element that is looked for again when the page has drawn it anew between finding and clicking."""

    again: Callable[[], WebElement] | None = None

    def click(self) -> None:
        try:
            super().click()
        except (StaleElementReferenceException, ElementClickInterceptedException):
            if self.again is None:
                raise
            self.again().click()


class Page:
    """What a user does in a browser, in a user's words."""

    def __init__(self, driver: webdriver.Chrome, site: str) -> None:
        self.driver = driver
        self.site = site

    def open(self, address: str) -> None:
        self.driver.get(self.site + address)

    def all(self, selector: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, selector)

    def until(self, what: Callable[[], Any], seconds: float = 15) -> Any:
        return WebDriverWait(self.driver, seconds, 0.05, ignored_exceptions=[Exception]).until(lambda _: what())

    def first(self, look: Callable[[], list[WebElement]]) -> WebElement:
        """The first of what is looked for that can be seen, waited for; found again if the page is drawn anew."""
        one: WebElement = self.until(lambda: next(e for e in look() if e.is_displayed()))
        if isinstance(one, Found):
            one.again = lambda: self.until(lambda: next(e for e in look() if e.is_displayed()))
        return one

    def find(self, selector: str) -> WebElement:
        return self.first(lambda: self.all(selector))

    def named(self, test_id: str) -> WebElement:
        return self.find(f"[data-testid='{test_id}']")

    def button(self, words: str) -> WebElement:
        path = f"//button[normalize-space()='{words}']"
        return self.first(lambda: self.driver.find_elements(By.XPATH, path))

    def press(self, words: str) -> None:
        """Presses a button as soon as it can be pressed."""
        self.until(lambda: self.button(words).is_enabled())
        self.button(words).click()

    def tab(self, words: str) -> None:
        """Looks at another view."""
        self.first(lambda: [tab for tab in self.all("[role=tab]") if tab.text == words]).click()

    def keys(self, *keys: str) -> None:
        """Presses keys where the focus is."""
        ActionChains(self.driver).send_keys(*keys).perform()

    def drag(self, what: WebElement, onto: WebElement, x: int = 0, y: int = 0) -> None:
        """Takes something by the mouse and puts it down, so far from the middle of something else, on a way of several moves."""
        chain = ActionChains(self.driver).click_and_hold(what).move_by_offset(8, 4)
        chain.move_to_element_with_offset(onto, x, y).move_by_offset(1, 1).pause(0.05).release().perform()

    def focus(self, selector: str) -> None:
        """Puts the focus on something and waits until nothing takes it away again (a closing dialog, an answer)."""
        self.keys(
            Keys.SHIFT
        )  # as by the keyboard: what gets the focus after a click of the mouse is not selected by it
        for _ in range(2):
            self.until(lambda: self.driver.execute_script("arguments[0].focus()", self.find(selector)) is None)
            self.driver.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))")
        here = "return document.activeElement.matches(arguments[0])"
        self.until(lambda: self.driver.execute_script(here, selector))

    def at_once(self, selector: str, of_each: str) -> list[Any]:
        """Something of every element, read at one moment: the page may be drawn anew between two questions."""
        script = f"return [...document.querySelectorAll(arguments[0])].map((e) => {of_each})"
        found: list[Any] = self.driver.execute_script(script, selector)
        return found

    def cards(self) -> list[str]:
        return self.at_once("[data-card]", "e.dataset.card")

    def paths(self) -> dict[str, str]:
        return dict(self.at_once("[data-testid^='path-']", "[e.dataset.testid.slice(5), e.textContent]"))

    def still(self) -> bool:
        """Whether no card moves for a moment: the board is arranged again once it is known how much room there is."""
        where = "JSON.stringify(e.getBoundingClientRect())"
        before = self.at_once("[data-card]", where)
        time.sleep(0.2)
        return self.at_once("[data-card]", where) == before

    def lens(self) -> str:
        return self.find("[aria-label='Lens']").text

    def demo(self, name: str) -> None:
        """Opens a demo study at its board."""
        self.open("/")
        self.until(lambda: next(e for e in self.all("a") if name in e.text)).click()
        self.until(lambda: self.paths() and self.still())

    def errors(self) -> list[str]:
        entries = self.driver.get_log("browser")  # type: ignore[no-untyped-call]
        return [
            e["message"]
            for e in entries
            if e["level"] == "SEVERE" and " 409 " not in e["message"] and " 422 " not in e["message"]
        ]


@pytest.fixture(scope="module")
def driver(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[webdriver.Chrome, Path]]:
    downloads = tmp_path_factory.mktemp("downloads")
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for argument in (
        "--headless=new", "--no-sandbox", "--hide-scrollbars", "--force-device-scale-factor=1", "--disable-gpu",
        "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run",
        "--disable-dev-shm-usage",
    ):  # fmt: skip
        options.add_argument(argument)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    driver._web_element_cls = Found
    size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    yield driver, downloads
    driver.quit()


@pytest.fixture
def page(driver: tuple[webdriver.Chrome, Path], site: str) -> Page:
    return Page(driver[0], site)


@pytest.fixture
def downloads(driver: tuple[webdriver.Chrome, Path]) -> Path:
    return driver[1]
