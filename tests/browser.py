"""A real browser, for what is written as a page."""

import json
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from selenium import webdriver

MISSING = not (shutil.which("chromium") and shutil.which("chromedriver"))

CONTRASTS = """
const luminance = rgb => { const [r, g, b] = rgb.map(v => v / 255)
    .map(v => v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
  return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
const numbers = text => text.match(/[0-9.]+/g).map(Number);
const behind = node => { for (let one = node; one; one = one.parentElement) {
    const colour = numbers(getComputedStyle(one).backgroundColor);
    if (colour.length === 3 || colour[3] > 0) return colour.slice(0, 3); }
  return [255, 255, 255]; };
const found = [];
const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
while (walker.nextNode()) {
  const text = walker.currentNode.textContent.trim(), node = walker.currentNode.parentElement;
  if (!text || ["TITLE", "DESC", "STYLE"].includes(node.tagName.toUpperCase())) continue;
  const style = getComputedStyle(node), svg = node.namespaceURI.endsWith("svg");
  const [one, two] = [luminance(numbers(svg ? style.fill : style.color).slice(0, 3)), luminance(behind(node))];
  found.push([(Math.max(one, two) + 0.05) / (Math.min(one, two) + 0.05), text.slice(0, 40)]);
}
return found.sort((a, b) => a[0] - b[0]).slice(0, 5);
"""


class Browser:
    """Chromium without a window, at a chosen size and theme."""

    def __init__(self, driver: webdriver.Chrome) -> None:
        self.driver = driver

    def show(self, page: Path, width: int = 1280, height: int = 800, theme: str = "light") -> None:
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {
            "width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600})
        self.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {
            "features": [{"name": "prefers-color-scheme", "value": theme}]})
        self.driver.get(page.as_uri())

    def run(self, script: str) -> Any:
        return self.driver.execute_script(script)  # type: ignore[no-untyped-call]

    def requests(self) -> list[str]:
        """What was asked for since this was last asked."""
        events = [json.loads(one["message"])["message"] for one in self.driver.get_log("performance")]  # type: ignore
        return [one["params"]["request"]["url"] for one in events if one["method"] == "Network.requestWillBeSent"]

    def complaints(self) -> list[str]:
        return [one["message"] for one in self.driver.get_log("browser")]  # type: ignore[no-untyped-call]

    def picture(self, path: Path) -> None:
        self.driver.save_screenshot(str(path))


@contextmanager
def browser() -> Iterator[Browser]:
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for word in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--hide-scrollbars"):
        options.add_argument(word)
    options.set_capability("goog:loggingPrefs", {"performance": "ALL", "browser": "ALL"})
    driver = webdriver.Chrome(options, webdriver.ChromeService(shutil.which("chromedriver")))
    try:
        yield Browser(driver)
    finally:
        driver.quit()
