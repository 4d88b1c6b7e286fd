"""Takes the pictures of docs/screenshots from a running server with the demo: `python tools/take_screenshots.py ADDRESS`."""

from __future__ import annotations

import base64
import sys
import time
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

FOLDER = Path(__file__).resolve().parents[1] / "docs/screenshots"


class Camera:
    """A headless browser at 1280×800 in one of the themes."""

    def __init__(self, address: str) -> None:
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        for argument in ("--headless=new", "--no-sandbox", "--hide-scrollbars", "--force-device-scale-factor=1"):
            options.add_argument(argument)
        self.driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
        self.address = address

    def open(self, path: str, theme: str = "dusk-day") -> None:
        """Shows a page in a theme and waits until it is quiet."""
        self.driver.get(self.address + path)
        self.driver.execute_script("localStorage.setItem('dusk-arrow-theme', arguments[0])", theme)
        self.driver.get(self.address + path)
        time.sleep(2)

    def click(self, selector: str) -> None:
        """Clicks and waits for what follows."""
        self.driver.find_element(By.CSS_SELECTOR, selector).click()
        time.sleep(1.2)

    def choose(self, label: str, value: str) -> None:
        """Chooses from a list by its name."""
        Select(self.driver.find_element(By.CSS_SELECTOR, f"select[aria-label='{label}']")).select_by_value(value)
        time.sleep(0.8)

    def tab(self, words: str) -> None:
        """Clicks a tab by its name."""
        tabs = self.driver.find_elements(By.CSS_SELECTOR, "[role=tab]")
        next(tab for tab in tabs if tab.text == words).click()
        time.sleep(2.5)

    def press(self, *keys: str) -> None:
        """Presses keys one after the other where the focus is."""
        for key in keys:
            held, _, letter = key.rpartition("+")
            chain = ActionChains(self.driver)
            if held:
                chain.key_down(Keys.CONTROL)
            chain.send_keys(letter)
            if held:
                chain.key_up(Keys.CONTROL)
            chain.perform()
        time.sleep(1.5)

    def take(self, name: str) -> None:
        """Saves what is seen."""
        picture = self.driver.execute_cdp_cmd("Page.captureScreenshot", {"format": "png"})["data"]
        (FOLDER / f"{name}.png").write_bytes(base64.b64decode(picture))


def main(address: str) -> None:
    """Every main view once; the bootstrap is run first where it has not been."""
    camera = Camera(address)
    camera.open("/")
    camera.take("start")
    links = camera.driver.find_elements(By.CSS_SELECTOR, "a[href^='/projects/']")
    demo = next(link.get_attribute("href") or "" for link in links if "River Wardens" in link.text)
    base = demo.removeprefix(address).removesuffix("/model")
    camera.open(f"{base}/effects")
    if "From 5,000 resamples" not in camera.driver.page_source:
        camera.click("[data-testid=bootstrap]")
        while "From 5,000 resamples" not in camera.driver.page_source:
            time.sleep(0.5)
    camera.choose("Source", "Support")
    camera.choose("Outcome", "Persistence")
    camera.click("[data-testid=route-Support-Efficacy-Stewardship-Persistence]")
    camera.take("effects")
    camera.open(f"{base}/data")
    camera.take("data")
    camera.tab("Screening")
    camera.take("screening")
    camera.tab("Cases")
    camera.take("cases")
    camera.open("/")
    survey = FOLDER.parents[1] / "demo/river_wardens.csv"
    camera.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(survey))
    time.sleep(2)
    camera.take("import")
    camera.open(f"{base}/compare")
    camera.driver.find_element(By.XPATH, "//button[contains(., ' as composites')]").click()
    time.sleep(2.5)
    camera.take("compare")
    box = camera.driver.find_element(By.CSS_SELECTOR, "textarea[aria-label^='Figures as they are printed']")
    box.send_keys(
        "chi-square 281.14\nCFI .986\nTraining → Efficacy .43\nSE Training → Efficacy .060\nalpha Training .83\nAVE Efficacy .47"
    )
    camera.driver.find_element(By.XPATH, "//button[contains(., 'Compare the digits')]").click()
    time.sleep(12)
    camera.driver.execute_script("arguments[0].scrollIntoView()", box)
    camera.take("compare-published")
    camera.open(f"{base}/quality")
    time.sleep(2)
    camera.click("[data-testid=item-ef5]")
    camera.take("quality")
    camera.driver.execute_script("document.getElementById('scores').scrollIntoView()")
    time.sleep(1)
    camera.take("quality-cases")
    camera.open(f"{base}/model")
    camera.take("model-overview")
    camera.click("[data-testid='path-Efficacy-Stewardship']")
    camera.take("model-day")
    camera.click("[title^='Every loading, path']")
    camera.take("parameters")
    camera.open(f"{base}/model")
    camera.press("s")
    camera.driver.execute_script("document.activeElement.blur()")
    camera.press("t")
    camera.take("sentences-trail")
    camera.open(f"{base}/model")
    camera.press("Control+k")
    camera.press(*"effic")
    camera.take("finder")
    camera.open(f"{base}/model", "dusk-night")
    camera.click("[data-testid=row-ef5]")
    camera.take("model-night")
    camera.open(f"{base}/report", "dusk-day")
    time.sleep(2)
    camera.click("[data-testid=part-figure] button")
    camera.take("report")
    camera.driver.quit()


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
