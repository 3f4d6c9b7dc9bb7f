"""The process image: an octet by every unit, a word over bits that have names, live, and back from a signal's path."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.conftest import Page
from tests.browser.test_lists import named
from tests.server.running import RunningServer


def row(page: Page, address: str) -> WebElement:
    return page.find("section[aria-label^='Octet'] tbody tr", address)


def line(page: Page, address: str) -> list[str]:
    """A line of the views, cell by cell."""
    return [cell.text for cell in row(page, address).find_elements(By.TAG_NAME, "td")]


def test_a_word_over_named_bits_is_named_seen_live_and_found_from_its_path(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals")
    page.button("Process image")
    page.says("Inputs", "-K1", "%IX0.7", "Bed4DoorClosed")
    page.press(lambda: row(page, "%IW0").find_element(By.CSS_SELECTOR, "[data-free]"), "the word")
    page.driver.switch_to.active_element.send_keys("TankMask", Keys.ENTER)
    page.says("Undo Add signal TankMask", "shares bits with another", "part of TankMask (WORD)")
    assert "TankMask" in named(server, "skelder")
    assert line(page, "%IW0")[2].startswith("TankMask WORD")
    # From octet to octet, and into the next stretch, by the keyboard.
    page.find(".octet[aria-current=true]").send_keys(Keys.ARROW_RIGHT)
    page.says("%IX1.0", "Bed5DoorClosed")
    page.driver.switch_to.active_element.send_keys(Keys.ARROW_DOWN)
    page.says("%IX5.0", "-K2, octet 1 of it")
    page.go("/p/skelder/live")
    page.button("Download")
    page.says("running")
    page.go("/p/skelder/signals")
    page.enter(".tools input", "TankMask")
    page.click(".line", "TankMask")
    page.find(".grid").send_keys(" ")
    page.click("button[title^='Show it']", "in, octets 0–1")
    page.says("Octet 0", "%IW0", "16#0FF0", "UINT", "4080")
    assert line(page, "%IX0.4")[2:3] == ["1"]
    assert line(page, "%IX0.0")[2:3] == ["0"]
