"""EtherCAT from the screen: an unknown device is found, read, taken over and lives; objects are walked and written."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page
from tests.browser.test_catalogue import hand_in
from tests.browser.test_live import act, value
from tests.paths import DEMO


def walked_to(page: Page, words: str) -> None:
    """Difference by difference, while the scan still finds more of them."""

    def there() -> bool:
        if words in page.body():
            return True
        page.driver.find_element(By.TAG_NAME, "body").send_keys("n")
        return False

    page.wait(there, f"no difference says “{words}”")


def test_an_unknown_device_is_found_its_file_read_and_it_lives(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for", "not TA-4: vendor 16#FAD0, product 16#4002 is there", "AL status 16#002D", "16 of 15")
    page.click("nav.scans button", "Turner")
    page.click("main button", "Scan")
    page.says("2 of its modules are not as configured.", "Put them in as configured")
    walked_to(page, "AE-1 answers at 16; the plant has nobody there.")
    page.says("no file of this plant names vendor 16#FAD4")
    page.click("main button", "Read its description file")
    page.says("Catalogue")
    hand_in(page, DEMO / "inbox" / "ashgill_tape.xml")
    page.says("taken in", "Magnetic tape encoder")

    page.go("/p/skelder/live")
    page.click("nav.scans button", "Turner")
    page.click("main button", "Scan again")
    page.says("2 of its modules are not as configured.")
    walked_to(page, "Take it over as Magnetic tape encoder")
    page.click("main button", "Take it over as Magnetic tape encoder")
    page.says("1 of 2")
    page.click("main button", "Put them in as configured")

    page.go("/p/skelder/networks")
    page.click("nav button", "Turner")
    # The line is longer than the screen: whoever is chosen below is brought into sight.
    page.click("tbody tr", "AE-1 → HALL")
    page.click("[role=option]", "AE-1")
    clock = Select(page.field("Runs"))
    clock.select_by_visible_text(next(o.text for o in clock.options if "Sync0" in o.text))
    page.says("Sync0 behind the cycle")
    page.click("nav a", "Signals")
    for name, kind, place in (("TapePosition", "UDINT", "AE-1: Inputs"), ("TapeLamp", "BOOL", "AE-1: Outputs")):
        page.button("Add signals")
        page.find("form input.mono").send_keys(name)
        page.fill("Type", kind)
        Select(page.find("form select option", place).find_element(By.XPATH, "..")).select_by_visible_text(place)
        page.click("form button.primary")
        page.wait(lambda: not page.all("form input.mono"))
    page.click("nav a", "Live")
    page.button("Download r")
    page.says("running for", "16 of 16")
    page.enter(".tools input", "tape")
    page.wait(lambda: value(page, "TapePosition") > 0)
    first = value(page, "TapePosition")
    page.wait(lambda: value(page, "TapePosition") != first)
    act(page, "TapeLamp", "Write 1")
    page.wait(lambda: value(page, "TapeLamp") == 1)


def test_objects_are_walked_read_compared_written_and_kept(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("nav button", "Turner")
    page.click("[role=option]", "Light gates")
    page.says("At the start", "16#8000:01", "FA 00", "download to read what is in the device")
    page.enter("[aria-label='Go to an index']", "0x8010:1")
    page.keys(Keys.ENTER)
    page.says("16#8010", "of the module in slot 2", "1 to 999", "as it comes")
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for")
    page.driver.back()
    page.button("Read all and compare")
    page.says("36 values read; none differs from what is configured.")
    page.enter("[aria-label='Go to an index']", "9000:1")
    page.keys(Keys.ENTER)
    page.says("LG-16")
    page.enter("[aria-label='Go to an index']", "8010:1")
    page.keys(Keys.ENTER)
    # Too great is the device's word, and nothing has changed.
    for typed, told in (("2000", "16#06090031, the value is too great"), ("16#12C", "2#0000_0001_0010_1100")):
        page.click("article:nth-child(2) button", "Write …")
        page.keys(typed, Keys.ENTER)
        page.says(told)
    page.says("1 value differs", "8010:01 Threshold: 300, not 200", "configured 200, as it comes")
    page.click("article:nth-child(2) button", "Keep for every start")
    page.says("none differs from what is configured.", "2C 01")
    page.button("Undo Write 16#8010:01 at every start")
    page.says("1 value differs")
    page.enter("[aria-label='Go to an index']", "1234")
    page.keys(Keys.ENTER)
    page.click("article button", "Read")
    page.says("not in its file", "16#06020000, there is no such object")


def test_process_data_is_chosen_named_and_asked_for_by_the_program(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("nav button", "Turner")
    page.click("tbody tr", "HALL → Wrist")
    page.click("[role=option]", "Wrist")
    page.says("12 octets, 1 of 3 RxPDO", "instead of Position and velocity")
    # What excludes another takes its place.
    page.click("[aria-label='Process data'] label", "Velocity alone")
    page.says("6 octets, 1 of 3 RxPDO", "instead of Velocity alone", "Undo Take Velocity alone")
    # Its axis has named the words it is commanded by; what is left of what it gives is named in one step.
    page.click("tbody tr", "Wrist → HALL")
    page.button("Name all its values")
    page.says("WristVelocityActualValue", "WristModeShown")
    page.button("Add a connection to Wrist …")
    page.button("Add it")
    page.says("Request that comes to nothing", "nobody has said for which object")
    page.enter(f"[id='{page.field('Index').get_attribute('id')}']", "24677\t")
    page.no_longer("Request that comes to nothing")
    page.choose("Asked", "every period")
    page.says("Following error window", "4 octets read")
    page.click("nav a", "Live")
    page.button("Download and run")
    # Without its target position its axis cannot be commanded: said, and not in the way of this.
    page.button("Download all the same")
    page.says("running for")
    page.click(".line button.name", "Wrist")
    page.says("answered with 4 octets")
