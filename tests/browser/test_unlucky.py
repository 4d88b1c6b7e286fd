"""Two tabs, a reload at the wrong moment, a server that is gone for a while, an upgrade under an open tab: nothing is lost and no page is
white."""

from __future__ import annotations

import json
import shutil
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask_openapi3 import OpenAPI
from selenium.webdriver.common.keys import Keys

from dusk_arrow.command_line.demo import load_demo
from dusk_arrow.command_line.places import front_end
from dusk_arrow.records.database import Sessions
from dusk_arrow.server.app import create_app
from dusk_arrow.server.listening import Listener
from tests.browser.conftest import Page
from tests.browser.test_report import at_report, titles
from tests.conftest import DEMO

WARDENS = "/api/models/2"


class Server:
    """A server that can go and come back on its port, with pages of its own."""

    def __init__(self, app: OpenAPI, pages: Path) -> None:
        self.app, self.pages = app, pages
        self.listener = Listener(app)
        self.port = self.listener.port

    def go(self) -> None:
        self.listener.close()

    def come_back(self) -> None:
        self.listener = Listener(self.app, self.port)


@pytest.fixture(scope="module")
def server(records: Sessions, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    load_demo(records, DEMO)
    pages = tmp_path_factory.mktemp("pages") / "dist"
    built = front_end()
    assert built is not None
    shutil.copytree(built, pages)
    app = create_app(records, pages, workers=1)
    found = Server(app, pages)
    yield found
    app.extensions["dusk_arrow"].close()
    found.go()


@pytest.fixture(scope="module")
def site(server: Server) -> str:
    return f"http://127.0.0.1:{server.port}"


def asked(page: Page, address: str, method: str = "GET", **body: Any) -> Any:
    request = urllib.request.Request(page.site + address, json.dumps(body).encode() if body else None, method=method)
    request.add_header("Content-Type", "application/json")
    with urllib.request.urlopen(request) as answer:
        return json.loads(answer.read())


def foot(page: Page) -> str:
    return page.named("saved").text


def write(page: Page, part: str, text: str) -> None:
    """Words of a part in somebody's own, left by a click elsewhere."""
    page.find(f"[data-testid=part-{part}] button").click()
    page.named(f"words-{part}").click()
    box = page.find(".report-page textarea")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys(text)
    page.find("[data-testid=part-fit] button").click()
    page.until(lambda: foot(page) == "Saved")


def test_two_tabs_write_one_report(page: Page) -> None:
    """A tab that was resized on Model sent its old view and emptied a paragraph that another had written on Report."""
    at_report(page)
    first, address = page.driver.current_window_handle, page.driver.current_url
    page.driver.switch_to.new_window("tab")
    page.driver.get(address)
    page.until(lambda: page.all("[data-testid=words-method]"))
    second = page.driver.current_window_handle
    page.driver.switch_to.window(first)
    write(page, "method", "Written in the first tab.")
    page.driver.switch_to.window(second)
    page.find("nav a[href$='/model']").click()
    page.until(lambda: page.paths())
    page.find("[aria-label='Construct Effort']").click()
    page.keys("z")
    page.keys("v")
    page.until(lambda: asked(page, WARDENS)["view"]["arcs"])
    assert asked(page, WARDENS)["report"]["edits"]["method"]["text"] == "Written in the first tab."
    page.find("nav a[href$='/report']").click()
    page.until(lambda: page.all("[data-testid=words-method]"))
    write(page, "method", "Written in the second tab.")
    page.until(lambda: "another window" in page.named("beside-method").text)
    kept = asked(page, WARDENS)["report"]["edits"]["method"]
    assert (kept["text"], kept["beside"]) == ("Written in the first tab.", ["Written in the second tab."])
    page.press("Use this")
    page.until(lambda: "second tab" in page.named("words-method").text)
    assert asked(page, WARDENS)["report"]["edits"]["method"]["beside"] == []
    page.driver.close()
    page.driver.switch_to.window(first)
    assert page.errors() == []


def test_each_model_has_its_own_report(page: Page) -> None:
    """After another model was chosen, the first one's words and choices were saved into it."""
    project = asked(page, WARDENS)["project_id"]
    other = asked(page, f"/api/projects/{project}/models", "POST", name="The other", copy_of=2)["model_id"]
    at_report(page)
    write(page, "method", "Only in the first model.")
    page.driver.refresh()
    page.until(lambda: titles(page))
    page.find("[title='Models of this project']").click()
    page.press("The other")
    page.until(lambda: page.all("[data-testid=words-method]") and "Only in the first" not in page.find("article").text)
    page.find("[data-testid=part-fit] button").click()
    page.until(lambda: [one for one in page.all("[role=radio]") if one.text == "3"])[0].click()
    page.until(lambda: asked(page, f"/api/models/{other}")["report"]["decimals"] == 3)
    first, second = asked(page, WARDENS)["report"], asked(page, f"/api/models/{other}")["report"]
    assert (first["decimals"], first["edits"]["method"]["text"]) == (2, "Only in the first model.")
    assert second["edits"] == {}
    assert page.errors() == []


def test_what_is_typed_outlives_a_reload(page: Page) -> None:
    """A sentence that was typed and not yet left was gone after a reload, while the foot said that all was saved."""
    page.demo("River Wardens")
    page.keys("s")
    page.until(lambda: "cm-content" in str(page.driver.execute_script("return document.activeElement.className")))
    page.keys(Keys.CONTROL, Keys.END)
    page.keys(Keys.NULL, Keys.ENTER, "Support leads to Persistence")
    page.until(lambda: "when you leave" in foot(page))
    page.driver.refresh()
    page.until(lambda: "Su-Pe" in page.paths() or "Support-Persistence" in page.paths())
    assert "Support leads to Persistence" in asked(page, WARDENS)["sentences"]
    at_report(page)
    page.find("[data-testid=part-sample] button").click()
    page.named("words-sample").click()
    box = page.find(".report-page textarea")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("Half a paragraph")
    page.driver.refresh()
    page.until(lambda: asked(page, WARDENS)["report"]["edits"].get("sample", {}).get("text") == "Half a paragraph")
    assert page.errors() == []


def test_the_server_goes_and_comes_back(page: Page, server: Server) -> None:
    """A page that was left white for good, and a foot that said that all was saved while nothing answered."""
    page.demo("Night Ferry")
    before = asked(page, "/api/models/1")["revision"]["id"]
    server.go()
    page.until(lambda: "does not answer" in page.named("server-banner").text, seconds=5)
    assert "Saved" not in foot(page)
    page.find("nav a[href$='/compare']").click()
    page.until(lambda: "This part cannot be shown" in page.find("main").text or page.all("main [role=alert]"))
    assert page.find("nav").is_displayed()
    page.find("nav a[href$='/model']").click()
    page.until(lambda: page.paths())
    name = next(iter(page.paths()))
    page.named(f"path-{name}").click()
    page.keys(Keys.DELETE)
    page.until(lambda: page.driver.execute_script("return document.activeElement.tagName") == "INPUT")
    page.keys(Keys.ENTER)
    page.until(lambda: "Not saved yet" in foot(page))
    server.come_back()
    page.until(lambda: not page.all("[data-testid=server-banner]"), seconds=8)
    page.until(lambda: foot(page) == "Saved")
    page.until(lambda: name not in page.paths())
    assert asked(page, "/api/models/1")["revision"]["id"] > before
    page.driver.refresh()
    page.until(lambda: page.paths())
    assert name not in page.paths()


def test_an_upgrade_under_an_open_tab_is_told(page: Page, server: Server) -> None:
    """The pages of another version have other names, and those of this one are gone."""
    page.demo("Night Ferry")
    index = server.pages / "index.html"
    told = index.read_text()
    gone = next(server.pages.glob("assets/CompareStation-*.js"))
    content = gone.read_bytes()
    try:
        index.write_text(told.replace("assets/index-", "assets/other-", 1))
        gone.unlink()
        page.until(lambda: "newer version" in page.named("server-banner").text)
        page.driver.get_log("browser")  # type: ignore[no-untyped-call]
        page.find("nav a[href$='/compare']").click()
        page.until(lambda: "did not arrive" in page.find("main [role=alert]").text)
        assert page.find("nav a[href$='/model']").is_displayed()
    finally:
        index.write_text(told)
        gone.write_bytes(content)
    page.press("Reload the page")
    page.until(lambda: page.all("main h1"))
    page.until(lambda: not page.all("[data-testid=server-banner]"))
