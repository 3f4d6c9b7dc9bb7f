"""PROFINET from the screen: a device without a name is named, another module is put right, a bad name is mended."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.browser.test_ethercat import walked_to


def test_a_blank_device_is_found_and_named_and_another_module_is_told(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for", "nobody on the network is called bag-weigher", "2 of 4 exchange")
    page.says("slot 2: another module is there, ident 16#00000021; DO-8 is configured")
    page.click("nav.scans button", "Bagging")
    page.click("main button", "Scan")
    walked_to(page, "Nobody is called bag-weigher; a device of its type has no name")
    page.click("main button", "Name it bag-weigher")
    page.says("it is called bag-weigher")
    page.click("main button", "Scan again")
    walked_to(page, "1 of its modules is not as configured.")
    page.click("main button", "Put them in as configured")
    page.says("Undo Put them in as configured", "Something was done at a device since this scan")
    page.go("/p/skelder/live")
    page.says("running for", "4 of 4 exchange")
    # What it was given, it keeps: a power cut changes nothing.
    page.wait(lambda: "is called bag-weigher" not in page.body())


def test_a_bad_name_is_mended_by_one_key(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("nav button", "Bagging")
    page.click("[role=option]", "Pallet I/O")
    page.says("Arrives at worst after", "Records, written when it connects", "pallet-io")
    name = page.field("Name of station")
    name.send_keys(Keys.CONTROL, "a")
    name.send_keys("Pallet_1", Keys.ENTER)
    page.says("Name that is none", "only a–z, 0–9, hyphens and dots")
    page.says("Call it pallet-1")
    page.find("main h1, main h2").click()
    page.keys("m")
    page.wait(lambda: "Name that is none" not in page.body())
    page.says("pallet-1")
