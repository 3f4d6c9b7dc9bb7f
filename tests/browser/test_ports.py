"""Ports of an IO-Link master in the browser: plugged in, fields taken at once, a parameter written, what it tells."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page


def test_fields_of_a_device_on_a_port_are_taken_and_live(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Hall cell")
    page.click("[role=option]", "Bed sensors")
    page.says("Its file says where each port lies")
    page.click("section[aria-label=Ports] button", "-BG8")
    page.says("gives octets 226–229 of From it")
    page.button("Unplug")
    page.says("Undo Unplug -BG8")

    # Another one is plugged in, and all it gives and takes is named, with unit and scale, in one step.
    Select(page.find("select[aria-label='Plug into port 8']")).select_by_visible_text("Distance sensor PD-20")
    page.says("It gives 4 octets", "BN L+", "name it")
    page.button("Take its fields")
    page.says("PD20M12Distance", "PD20M12Quality", "PD20M12Laser", "PD20M12DataValid")
    assert "× 0.1 mm" in page.body()
    page.button("Undo")
    page.no_longer("PD20M12Distance")
    page.button("Redo")
    page.says("PD20M12Distance")

    # On the bench its data is valid; a parameter is written in its unit.
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("stations that answer")
    page.click("nav a", "Networks")
    page.button("Hall cell")
    page.click("[role=option]", "Bed sensors")
    page.click("section[aria-label=Ports] button", "-BT1")
    page.wait(lambda: "Bed1ClimateGood 1" in page.body())
    page.click("summary", "7 parameters")
    page.button("Read all")
    page.says("Pellmar Sensing Pellmar Sensing")
    page.click("button[aria-label='Write Damping']")
    page.keys(Keys.CONTROL, "a")
    page.keys("0.05 s", Keys.ENTER)
    page.says("it goes in steps of 0.1 s")
    page.keys(Keys.CONTROL, "a")
    page.keys("15 s", Keys.ENTER)
    page.says("15 s read")


def test_a_port_tells_what_is_wrong_on_it(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("stations that answer")
    page.click(".line button.name", "Bed sensors")
    page.click(".line button", "As built")
    page.click("summary", "Port 2: -BT2")
    page.choose("It tells", "Filter wet")
    page.says("port 2: Filter wet. Dry the filter cap, or change it")
    # Folded, its line says it as well.
    page.click(".line button.name", "Bed sensors")
    page.wait(lambda: "port 2: Filter wet" in page.find(".line", "Bed sensors").text)
