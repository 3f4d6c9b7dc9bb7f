"""Takes the pictures in docs/screenshots from the demo plant: `python -m tests.browser.pictures`."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, browser
from tests.browser.test_live import act
from tests.paths import ROOT
from tests.server.running import RunningServer

FOLDER, DEMO = ROOT / "docs" / "screenshots", ROOT / "demo"


def main() -> None:
    """One picture a main view, at 1280×800."""
    with tempfile.TemporaryDirectory() as data:
        server, driver = RunningServer(Path(data)), browser()
        try:
            _all(Page(driver, server.url))
        finally:
            driver.quit()
            server.stop()


def _all(page: Page) -> None:
    _hardware(page)
    _catalogue(page)
    _live(page)
    _safety(page)
    _motion(page)
    page.go("/p/skelder/networks")
    page.says("heard", "read 9 registers")
    _shot(page, "networks")
    _ports(page)
    _ethercat(page)
    page.click("nav button", "Steep house")
    page.click("[role=option]", "Drain I/O")
    page.says("A rotation to scale", "configuration fault")
    _shot(page, "profibus")
    page.click("nav button", "Bagging")
    page.click("[role=option]", "Bagging I/O")
    page.says("Arrives at worst after", "octets")
    _shot(page, "profinet")
    page.go("/p/skelder/signals/list")
    page.says("skelder_io_a.xlsx")
    page.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(DEMO / "inbox" / "skelder_io_b.csv"))
    page.says("both changed")
    page.find(".grid").send_keys(Keys.ARROW_DOWN, Keys.ENTER, Keys.ENTER, Keys.BACKSPACE, Keys.HOME)
    page.says("Take 2, leave 1")
    _shot(page, "io-list")
    page.go("/p/skelder/signals")
    page.enter(".tools input", "humid")
    page.click(".line", "HumidifierHumidity")
    page.find(".grid").send_keys(" ")
    page.says("Path of HumidifierHumidity")
    _shot(page, "signals")
    _program(page)
    page.driver.execute_script("localStorage.setItem('highmoor-theme', 'dark')")
    page.go("/p/skelder/signals/image")
    page.click(".stretches button", "Humidifier: Measured")
    page.says("HumidifierHours UDINT")
    word = "//section[starts-with(@aria-label, 'Octet')]//tr[contains(., '%ID')]//*[@data-free]"
    page.press(lambda: page.driver.find_element(By.XPATH, word), "the double word")
    page.driver.switch_to.active_element.send_keys("HumidifierPair", Keys.ENTER)
    page.says("part of HumidifierPair (DWORD)", "shares bits")
    _shot(page, "image-dark")


def _ports(page: Page) -> None:
    page.click("nav button", "Hall cell")
    page.click("[role=option]", "Bed sensors")
    page.click("section[aria-label=Ports] button", "-BG8")
    page.says("BN L+", "mm")
    page.driver.execute_script("document.querySelector('[aria-label=Ports]').scrollIntoView({block: 'start'})")
    _shot(page, "ports")


def _ethercat(page: Page) -> None:
    page.click("nav button", "Turner")
    page.click("[role=option]", "CARRIAGE")
    page.says("frames are back after", "Position and velocity")
    _shot(page, "ethercat")


def _hardware(page: Page) -> None:
    page.go("/p/skelder/hardware")
    _choose(page, "-K4")
    page.says("Tank1Level")
    _shot(page, "hardware")
    # Behind the feed-in, where no room is left.
    _choose(page, "-K6")
    page.find(".rail").send_keys("i")
    page.keys("ai-8")
    page.says("crosses its limit")
    _shot(page, "consequences")
    page.keys(Keys.ESCAPE)
    page.go("/p/skelder/hardware")
    _choose(page, "-K6")
    page.field("Location").send_keys("Cabinet 2, upper rail", Keys.ENTER)
    page.says("Undo")


def _catalogue(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("From the catalogue")
    page.says("Modbus TCP server")
    page.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(DEMO / "inbox" / "em310.gsd"))
    page.says("taken in")
    page.find(".list").send_keys("]")
    page.says("Energy exported")
    _shot(page, "catalogue")


def _safety(page: Page) -> None:
    page.go("/p/skelder/safety")
    page.click("ul[aria-label='Safety functions'] button", "Turner aisle")
    page.says("609 ms", "figures reach PL d")
    page.click("button.lane", "Aisle field")
    page.says("Has pulsed outputs")
    _shot(page, "safety")
    page.go("/p/skelder/safety/scanners")
    page.says("2305 of 2194.4", "watches")
    page.click("[aria-label='Draw zone A']")
    page.button("Somebody walks in")
    page.says("ms after setting out")
    page.driver.execute_script("document.querySelector('[aria-label=\"In the device\"]').scrollIntoView()")
    _shot(page, "scanner")
    page.click("a", "Seal")
    page.button("Seal HALL")
    page.button("Seal it")
    page.says("sealed by demo")
    page.click("a", "Scanners")
    page.click("[aria-label='One scan more']")
    page.says("answers within 180 ms")
    page.click("a", "Seal")
    page.says("What broke it")
    _shot(page, "seal")
    page.button("Undo")
    page.says("Whole")


def _motion(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click("ul[aria-label=Axes] button", "LIFT")
    page.button("Reset and start its safe stop")
    page.no_longer("Its safe stop holds it")
    page.button("Enable")
    page.says("stands, powered")
    page.button("Move 100 mm")
    hand = "div[aria-label=Hand]"
    page.wait(lambda: "moves" in page.find(hand).text)
    page.wait(lambda: "stands, powered" in page.find(hand).text)
    page.button("Hold the tape")
    page.says("gear 5 : 1: put a mark")
    page.click("nav[aria-label='Of this axis'] button", "Trial move")
    _shot(page, "motion")
    page.click("ul[aria-label=Axes] button", "PICKER")
    page.button("Initialise")
    page.says("ready")
    page.button("Go the straight move")
    page.says("platform at 67.9, 97, −420 mm")
    page.driver.execute_script("document.querySelector('main h2').scrollIntoView({block: 'start'})")
    _shot(page, "robot")


def _live(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for")
    page.enter(".tools input", "humid | tank1 | comp")
    act(page, "HumidifierStart", "Write")
    act(page, "HumiditySetpoint", "Write")
    page.keys(Keys.CONTROL, "a")
    page.keys("85,5", Keys.ENTER)
    act(page, "Tank1FillValve", "Force")
    page.says("1 forced")
    # The trends show the last fifteen seconds: they need them.
    time.sleep(12)
    page.click(".line button.name", "Humidifier")
    page.button("Pull its cable")
    # Six are silent anyway, because they are not built as they are configured.
    page.says("10 with faults", "last known", "Plug it back")
    page.driver.execute_script("document.querySelector('main').scrollTop = 0")
    _shot(page, "live")
    page.button("Plug it back")
    page.wait(lambda: "10 with faults" not in page.body())
    page.click("nav.scans button", "Hall cell")
    page.click("main button", "Scan")
    page.says("a device of its type does at 10.20.4.59.")
    _shot(page, "scan")


def _program(page: Page) -> None:
    """It runs since Live was looked at; a fault in it beside."""
    page.go("/p/skelder/signals/programs")
    page.says("Heartbeat", "no faults")
    page.wait(lambda: any(one.get_attribute("data-says") for one in page.all(".st-values b")))
    page.find(".cm-content").send_keys(Keys.CONTROL, Keys.END)
    page.find(".cm-content").send_keys("HumidifierStart := WaterTankFul;", Keys.ESCAPE)
    page.says("Write “WaterTankFull”")
    _shot(page, "program")
    page.says("Undo Text of Service")
    page.button("Undo")
    page.no_longer("Program that cannot be translated")


def _choose(page: Page, designation: str) -> None:
    page.click(f".rail .module[data-label$='{designation}']")


def _shot(page: Page, name: str) -> None:
    page.driver.execute_async_script("document.fonts.ready.then(() => setTimeout(arguments[0], 700))")
    FOLDER.mkdir(parents=True, exist_ok=True)
    page.driver.save_screenshot(str(FOLDER / f"{name}.png"))


if __name__ == "__main__":
    main()
