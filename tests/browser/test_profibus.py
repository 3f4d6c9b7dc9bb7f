"""PROFIBUS from the screen: swapped modules are found and put right, a stranger is read and taken over."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.browser.test_catalogue import hand_in
from tests.browser.test_ethercat import walked_to
from tests.paths import DEMO


def test_swapped_modules_are_found_and_put_right_and_the_stranger_is_taken_over(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for", "configuration fault: its modules are not those configured", "7 of 8 exchange")
    page.says("slot 1 (DI-16 24 V) has something to say", "diagnosis 0E 05", "somebody answers at 20")
    page.click("nav.scans button", "Steep house")
    page.click("main button", "Scan")
    page.says("2 of its modules are not as configured.", "Put them in as configured")
    page.click("main button", "Put them in as configured")
    walked_to(page, "ident 16#FA5E answers at 20; the plant has nobody there.")
    page.says("no file of this plant names ident 16#FA5E")
    page.click("main button", "Read its description file")
    hand_in(page, DEMO / "inbox" / "em310.gsd")
    page.says("taken in", "EM-310 energy meter")
    page.go("/p/skelder/live")
    page.says("running for", "8 of 8 exchange")
    page.click("nav.scans button", "Steep house")
    page.click("main button", "Scan again")
    walked_to(page, "Take it over as EM-310 energy meter with 4 modules")
    page.click("main button", "Take it over as EM-310 energy meter with 4 modules")
    page.no_longer("Take it over as EM-310 energy meter with 4 modules")
    page.go("/p/skelder/live")
    page.button("Download r")
    page.says("running for", "9 of 9 exchange")


def test_what_the_bus_runs_by_is_set_where_it_acts(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("nav button", "Steep house")
    page.click("[role=option]", "Tank I/O")
    page.says("A rotation to scale", "One exchange, with Tank I/O", "Signal kind 1 0-20 mA")
    page.click("button.parameter", "T_SL")
    entry = page.find(".picked-form input")
    entry.send_keys("100", Keys.ENTER)
    page.says("Slot time too short", "need 1")
    page.button("Let the slot time be")
    page.wait(lambda: "Slot time too short" not in page.body())
    # Longer than its rate allows.
    length = page.field("Cable to it")
    length.send_keys(Keys.CONTROL, "a")
    length.send_keys("400", Keys.ENTER)
    page.says("Segment too long for the rate")
    page.button("Run Steep house at 187.5 kbit/s")
    page.wait(lambda: "Segment too long" not in page.body())
