"""A real browser against the real server, each test with a fresh demo plant."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from threading import Thread
from typing import Any

import pytest
from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    NoSuchElementException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select, WebDriverWait

from tests.server.running import RunningServer

ARGUMENTS = """--headless=new --no-sandbox --disable-dev-shm-usage --disable-gpu --hide-scrollbars
--force-device-scale-factor=1 --force-color-profile=srgb --font-render-hinting=none --disable-background-networking
--disable-component-update --no-first-run --no-default-browser-check --disable-extensions
--disable-features=BackForwardCache --lang=en-US --window-size=1280,800""".split()


@pytest.fixture(scope="session")
def first_data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The data folder as the first start of the demo leaves it: making it takes longer than starting on it."""
    data = tmp_path_factory.mktemp("first") / "data"
    RunningServer(data).stop()
    return data


class Servers:
    """A server a test; the next one starts while a test is running, and the last one ends meanwhile."""

    def __init__(self, first_data: Path, folders: pytest.TempPathFactory) -> None:
        self._first_data, self._folders = first_data, folders
        self._next = self._begun()
        self._ending: Thread | None = None

    def _begun(self) -> RunningServer:
        data = self._folders.mktemp("server") / "data"
        shutil.copytree(self._first_data, data)
        return RunningServer(data, soon=True)

    def take(self) -> RunningServer:
        """One that answers."""
        running, self._next = self._next, self._begun()
        running.until_it_answers()
        return running

    def give_back(self, running: RunningServer) -> None:
        """It is not needed any more."""
        self._over()
        self._ending = Thread(target=running.stop)
        self._ending.start()

    def _over(self) -> None:
        if self._ending is not None:
            self._ending.join()

    def end(self) -> None:
        """All of them."""
        self._over()
        self._next.stop()


@pytest.fixture(scope="session")
def servers(first_data: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Servers]:
    servers = Servers(first_data, tmp_path_factory)
    yield servers
    servers.end()


@pytest.fixture
def server(servers: Servers) -> Iterator[RunningServer]:
    running = servers.take()
    yield running
    servers.give_back(running)


def browser() -> webdriver.Chrome:
    """Headless Chromium with a page of 1280×800."""
    os.environ.update({"SE_OFFLINE": "true", "SE_AVOID_STATS": "true"})
    options = Options()
    options.binary_location = shutil.which("chromium") or ""
    for argument in ARGUMENTS:
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver") or ""))
    size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    return driver


@pytest.fixture(scope="session")
def chromium() -> Iterator[webdriver.Chrome]:
    driver = browser()
    yield driver
    driver.quit()


class Page:
    """What a person does: look for something by what it says, click it, type."""

    def __init__(self, driver: webdriver.Chrome, url: str) -> None:
        self.driver = driver
        self.url = url

    def go(self, path: str) -> None:
        self.driver.get(self.url + path)

    def wait(self, condition: Callable[[], Any], message: str | Callable[[], str] = "") -> Any:
        """Wait for a condition; a message that is called says what the page shows when waiting ends."""
        waiting = WebDriverWait(self.driver, 60, poll_frequency=0.05, ignored_exceptions=_PASSING)
        try:
            return waiting.until(lambda _: condition())
        except TimeoutException as end:
            raise TimeoutException(message() if callable(message) else message) from end

    def all(self, selector: str, text: str = "") -> list[WebElement]:
        """All that a selector finds and that say a text, in one question: one for each of a thousand takes seconds."""
        found: list[WebElement] = self.driver.execute_script(_SAYING + "return saying(...arguments)", selector, text)
        return found

    def find(self, selector: str, text: str = "") -> WebElement:
        found: WebElement = self.wait(
            lambda: next((e for e in self.all(selector, text) if e.is_displayed()), None),
            lambda: f"nothing is {selector} with “{text}”: {self.body()[:1500]}",
        )
        return found

    def press(self, find: Callable[[], WebElement], name: str) -> None:
        """Click what is looked for, once it can be and has come to rest."""

        def clicked() -> bool:
            target = find()
            if not self.driver.execute_async_script(_AT_REST, target):
                return False
            self.driver.execute_script(_ONLY_THERE, target)
            try:
                target.click()
            finally:
                arrived: bool = self.driver.execute_script("return window.arrived?.() ?? true")
            return arrived

        self.wait(clicked, f"{name} cannot be clicked")

    def click(self, selector: str, text: str = "") -> None:
        self.press(lambda: self.find(selector, text), f"{selector} “{text}”")

    def button(self, text: str) -> None:
        self.click("button", text)

    def written(self, signal: str, typed: str, there: str) -> None:
        """Type a value where it is given, and wait until it has arrived in the same row."""
        self.click(f"button[title='Write {signal}']")
        self.keys(Keys.CONTROL, "a")
        self.keys(typed, Keys.ENTER)
        self.wait(
            lambda: self.find("tr", signal).text.count(there) == 2,
            lambda: f"{there} is not at both ends of {signal}: {self.body()[:1500]}",
        )

    def keys(self, *keys: str) -> None:
        self.driver.switch_to.active_element.send_keys(*keys)

    def enter(self, selector: str, text: str) -> None:
        field = self.find(selector)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def field(self, label: str) -> WebElement:
        """A field of a form by its label."""

        def labelled() -> WebElement | None:
            for found in self.all("label", label):
                if found.text.startswith(label):
                    inner = found.find_elements(By.CSS_SELECTOR, "input, select, textarea")
                    target = found.get_attribute("for")
                    return inner[0] if inner else self.driver.find_element(By.ID, target or "")
            return None

        found: WebElement = self.wait(labelled, lambda: f"no field is called {label}: {self.body()[:800]}")
        return found

    def choose(self, label: str, text: str) -> None:
        """Choose from a list of a form; a list that is drawn anew meanwhile is looked for again."""

        def chosen() -> bool:
            Select(self.field(label)).select_by_visible_text(text)
            return True

        self.wait(chosen, f"{label} has no “{text}”")

    def tick(self, label: str) -> None:
        """Turn a box of a form, once it has come to rest."""
        self.press(lambda: self.field(label), label)

    def fill(self, label: str, text: str) -> None:
        """Put a text into a field instead of what is there."""
        field = self.field(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def body(self) -> str:
        text: str = self.driver.execute_script(_SAYING + "return said(document.body)")
        return text

    def says(self, *texts: str) -> None:
        """Wait until all these stand on the page."""

        def missing() -> str:
            body = self.body()
            return f"{[text for text in texts if text not in body]} not on the page: {body[:2500]}"

        self.wait(lambda: all(text in self.body() for text in texts), missing)

    def no_longer(self, text: str) -> None:
        self.wait(lambda: text not in self.body(), f"“{text}” is still on the page")

    def drag(self, source: WebElement, target: WebElement, x: int) -> None:
        """Drag with the pointer to x from the target's left edge."""
        from selenium.webdriver.common.action_chains import ActionChains

        half = target.size["width"] // 2
        actions = ActionChains(self.driver, duration=40).click_and_hold(source).move_by_offset(8, -8)
        actions.move_to_element_with_offset(target, x - half, 0).release().perform()


# What is read of an element, and those that say something. The browser tells it faster than the driver by far.
_SAYING = r"""
const said = (e) => (e.innerText ?? e.textContent).replace(/[\t\u00a0 ]+/g, ' ').trim();
const saying = (selector, text) =>
  [...document.querySelectorAll(selector)].filter((e) => !text || said(e).includes(text));
"""
# Whether an element can be clicked and stands where it stood two frames before: a click goes to a place, and what moves
# is missed.
_AT_REST = """
const [e, done] = arguments;
const place = () => { const r = e.getBoundingClientRect(); return `${e.isConnected} ${r.x} ${r.y}`; };
const before = place();
requestAnimationFrame(() => requestAnimationFrame(() => done(e.isConnected && !e.disabled && place() === before)));
"""
# A page that follows a bench can move between the two: what a click meets instead hears nothing of it, and the click is
# made again.
_ONLY_THERE = """
const wanted = arguments[0].closest('select') ?? arguments[0];
const kinds = ['pointerdown', 'mousedown', 'pointerup', 'mouseup', 'click'];
let missed = false;
const guard = (event) => {
  if (event.composedPath().includes(wanted)) { if (event.type === 'pointerdown') leave(); return; }
  missed = true;
  event.stopImmediatePropagation();
  event.preventDefault();
};
const leave = () => kinds.forEach((kind) => removeEventListener(kind, guard, true));
kinds.forEach((kind) => addEventListener(kind, guard, true));
window.arrived = () => { leave(); return !missed; };
"""
_PASSING = (
    StaleElementReferenceException,
    ElementClickInterceptedException,
    ElementNotInteractableException,
    NoSuchElementException,
)


@pytest.fixture
def page(server: RunningServer, chromium: webdriver.Chrome) -> Iterator[Page]:
    yield Page(chromium, server.url)
    problems = [e for e in chromium.get_log("browser") if e["level"] == "SEVERE" and "status of 4" not in e["message"]]
    while len(chromium.window_handles) > 1:
        chromium.close()
        chromium.switch_to.window(chromium.window_handles[0])
    chromium.get("about:blank")
    chromium.delete_all_cookies()
    lost = [e for e in problems if "ERR_CONNECTION_REFUSED" not in e["message"] and "ERR_" not in e["message"]]
    assert not lost, lost
