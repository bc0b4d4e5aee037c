"""A real Chromium, driven by what the screens call their parts (data-test)."""

from __future__ import annotations

from collections.abc import Callable
from itertools import islice
from pathlib import Path
from typing import TypeVar

from selenium import webdriver
from selenium.common.exceptions import NoSuchElementException, StaleElementReferenceException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select, WebDriverWait

from tests.kit.lifeline import ends_with_us
from tests.kit.waiting import PATIENCE_S

T = TypeVar("T")

FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--disable-dev-shm-usage", "--window-size=1280,800", "--hide-scrollbars",
    "--remote-debugging-pipe",  # which ends it when its driver ends
)  # fmt: skip


class Chromium(webdriver.Chrome):
    def find_element(self, by: str = By.ID, value: str | None = None) -> WebElement:
        """No test may ask for a part that is perhaps on its way without waiting for it."""
        raise TypeError(f"wait for {value} by Page.find or Page.one")


def start_chromium(folder: Path) -> Chromium:
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*FLAGS, f"--user-data-dir={folder}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    service = Service("/usr/bin/chromedriver", popen_kw={"preexec_fn": ends_with_us()})
    driver = Chromium(options=options, service=service)
    size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    return driver


EXPECTED = ("the server responded with a status of", "net::ERR_INTERNET_DISCONNECTED")
"""What Chromium says of a refusal or of a network that a test cut; not errors of the page."""


class Page:
    def __init__(self, driver: Chromium, url: str) -> None:
        self.driver = driver
        self.url = url

    def go(self, path: str) -> None:
        self.driver.get(self.url + path)

    @property
    def path(self) -> str:
        return self.driver.current_url.removeprefix(self.url)

    def until(self, condition: Callable[[], T], seconds: float = PATIENCE_S) -> T:
        ignored = (NoSuchElementException, StaleElementReferenceException, IndexError)
        waiting = WebDriverWait(
            self.driver, seconds, poll_frequency=0.1, ignored_exceptions=ignored
        )
        return waiting.until(lambda _: condition())

    def all(self, name: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, f'[data-test="{name}"]')

    def scroll_to(self, name: str) -> None:
        """To the top of its panel."""
        self.driver.execute_script("arguments[0].scrollIntoView()", self.find(name))

    def one(self, css: str, at: int = 0) -> WebElement:
        """The first (or `at`) that is shown, waited for."""
        up_to = at + 1 if at >= 0 else None
        return self.until(lambda: self.every(css, up_to)[at])

    def every(self, css: str, up_to: int | None = None) -> list[WebElement]:
        """What is shown at this moment; `up_to` saves asking about each of a long list."""
        found = self.driver.find_elements(By.CSS_SELECTOR, css)
        return list(islice((element for element in found if element.is_displayed()), up_to))

    def find(self, name: str, inside: str = "", at: int = 0) -> WebElement:
        return self.one(f'[data-test="{name}"] {inside}', at)

    def text(self, name: str) -> str:
        return self.find(name).text

    def texts(self, name: str) -> list[str]:
        """As they stand at one moment: a list may be drawn anew while it is read."""
        while True:
            try:
                return [element.text for element in self.all(name)]
            except StaleElementReferenceException:
                continue

    def click(self, name: str, inside: str = "", at: int = 0) -> None:
        self.click_on(f'[data-test="{name}"] {inside}', at)

    def click_on(self, css: str, at: int = 0) -> None:
        """Once it is there and can be pressed."""

        def clicked() -> bool:
            element = self.one(css, at)
            if not element.is_enabled():
                return False
            element.click()
            return True

        self.until(clicked)

    def reads(self, name: str, words: str, seconds: float = PATIENCE_S) -> None:
        """Wait until that part reads so."""
        self.until(lambda: words in self.text(name), seconds)

    def fill(self, name: str, text: str, at: int = 0) -> None:
        field = self.find(name, at=at)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def choose(self, name: str, value: str, at: int = 0) -> None:
        """Once it is there: what can be chosen may be on its way."""

        def chosen() -> bool:
            found = self.all(name)
            if len(found) > at:
                Select(found[at]).select_by_value(value)
            return len(found) > at

        self.until(chosen)

    def pick_case(self, name: str, number: int | None) -> None:
        """Search for a case by its number in the box `name`, or take what is no case."""
        box = self.find(name)
        box.click()
        if number is not None:
            box.send_keys(str(number))
        self.click("no-case" if number is None else f"case-{number}")

    def editor(self, part: str) -> WebElement:
        return self.find(f"part-{part}", ".cm-content")

    def type_into(self, part: str, text: str) -> None:
        """At the end of a part's text."""
        editor = self.editor(part)
        editor.click()
        editor.send_keys(Keys.CONTROL, Keys.END)
        editor.send_keys(text)

    def press(self, *keys: str) -> None:
        """As if nothing were being typed."""
        self.driver.execute_script("document.activeElement && document.activeElement.blur()")
        self.one("body").send_keys(*keys)

    def set_offline(self, offline: bool, *, then: str = "") -> None:
        """Cut the browser's network, or bring it back (and go to `then` at once)."""
        conditions = {
            "offline": offline,
            "latency": 0,
            "downloadThroughput": -1,
            "uploadThroughput": -1,
        }
        if then:
            self.driver.execute_script("window.stop()")
            self.driver.execute_cdp_cmd("Page.navigate", {"url": "about:blank"})
        self.driver.execute_cdp_cmd("Network.enable", {})
        self.driver.execute_cdp_cmd("Network.emulateNetworkConditions", conditions)
        if then:
            self.go(then)

    def complaints(self) -> list[str]:
        """Errors in the browser's console that no test asked for."""
        severe = [e["message"] for e in self.driver.get_log("browser") if e["level"] == "SEVERE"]
        return [said for said in severe if not any(expected in said for expected in EXPECTED)]
