"""Script time a frame while a card is dragged, in a browser: `python -m benchmarks.dragging ADDRESS_OF_A_MODEL_STATION`.

Drives the mouse over a running server's board and prints milliseconds of script for each frame that was drawn.
"""

from __future__ import annotations

import math
import sys
import time

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By

MOVES = 120


def main(address: str) -> None:
    """Drags the middle card in circles and prints what a frame took."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for argument in ("--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"):
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        driver.get(address)
        time.sleep(3)
        driver.execute_cdp_cmd("Performance.enable", {"timeDomain": "timeTicks"})
        driver.execute_script("window.frames_ = 0; (function f() { window.frames_++; requestAnimationFrame(f) })()")
        cards = driver.find_elements(By.CSS_SELECTOR, "[data-card]")
        if not cards:
            sys.exit("There is no card on this board.")
        place = cards[len(cards) // 2].rect
        x, y = place["x"] + place["width"] / 2, place["y"] + 8

        def mouse(kind: str, dx: float, dy: float) -> None:
            event = {"type": kind, "x": x + dx, "y": y + dy, "button": "left", "buttons": 1, "clickCount": 1}
            driver.execute_cdp_cmd("Input.dispatchMouseEvent", event)

        def script() -> tuple[float, int]:
            metrics = driver.execute_cdp_cmd("Performance.getMetrics", {})["metrics"]
            spent = next(metric["value"] for metric in metrics if metric["name"] == "ScriptDuration")
            return float(spent), int(driver.execute_script("return window.frames_"))

        mouse("mousePressed", 0, 0)
        for i in range(5):
            mouse("mouseMoved", 2 * i, i)
        before = script()
        for i in range(MOVES):
            mouse("mouseMoved", 10 + 80 * math.sin(i / 10), 60 * math.cos(i / 9))
        after = script()
        mouse("mouseReleased", 0, 0)
        frames = after[1] - before[1]
        print(f"{len(cards)} cards, {frames} frames: {1000 * (after[0] - before[0]) / frames:.1f} ms of script a frame")
    finally:
        driver.quit()


if __name__ == "__main__":
    main(sys.argv[1])
