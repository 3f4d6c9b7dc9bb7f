"""The bench from the screen: an output written once and one forced change what the plant does."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page


def row_of(page: Page, signal: str) -> WebElement:
    return page.find("tbody tr", f".{signal}")


def value(page: Page, signal: str) -> float:
    return float(
        row_of(page, signal).find_element(By.CSS_SELECTOR, ".value .value").text.replace("−", "-").replace("\u202f", "")
    )


def act(page: Page, signal: str, what: str) -> None:
    """Press a button in a signal's row."""
    button = f".//button[starts-with(normalize-space(), '{what}')]"
    page.press(lambda: row_of(page, signal).find_element(By.XPATH, button), f"{signal}, {what}")


def in_row(page: Page, signal: str) -> str:
    return str(row_of(page, signal).text)


def test_writing_and_forcing_move_the_plant(page: Page) -> None:
    page.go("/p/skelder/live")
    page.says("The bench is idle")
    page.button("Download and run")
    page.enter(".tools input", "humid | tank1")
    page.wait(lambda: value(page, "HumidifierPulse") > 1)
    humidity, level = value(page, "HumidifierHumidity"), value(page, "Tank1Level")
    assert value(page, "HumidifierRunning") == 0
    # What is shown is asked for when it changes, and not with every state that comes.
    asked = "return performance.getEntriesByType('resource').filter(one => one.name.endsWith('/follow')).length"
    assert page.driver.execute_script(asked) < 10

    act(page, "HumiditySetpoint", "Write")
    page.find("td input")
    # What is there is selected: typing replaces it, and a refusal stands in the row.
    page.keys("wet", Keys.ENTER)
    page.wait(lambda: "“wet” is not a number" in in_row(page, "HumiditySetpoint"))
    page.keys(Keys.CONTROL, "a")
    page.keys("70000", Keys.ENTER)
    page.wait(lambda: "70000 is beyond" in in_row(page, "HumiditySetpoint"))
    page.keys(Keys.CONTROL, "a")
    page.keys("16#5A", Keys.ENTER)
    page.wait(lambda: value(page, "HumiditySetpoint") == 90)
    # The row has the focus: keys go on from there.
    focused = "return document.activeElement.tagName + document.activeElement.innerText"
    page.wait(lambda: "HumiditySetpoint" in page.driver.execute_script(focused))
    page.keys("w", "88", Keys.ENTER)
    page.wait(lambda: value(page, "HumiditySetpoint") == 88)
    # Counts and what is at the terminals stand beside the value of an analogue channel.
    page.wait(lambda: " mA · " in in_row(page, "Tank1Level"))
    act(page, "HumidifierStart", "Write 1")
    page.wait(lambda: value(page, "HumidifierRunning") == 1)
    act(page, "Tank1FillValve", "Force 1")
    page.says("1 forced")
    page.wait(lambda: value(page, "HumidifierHumidity") > humidity + 0.5)
    page.wait(lambda: value(page, "Tank1Level") > level + 0.02)
    page.button("Release all")
    page.no_longer("1 forced")
    # An edit made meanwhile leaves the bench where it is, and says so.
    page.go("/p/skelder/hardware")
    page.says("bench r1")
    page.click(".rail .module[data-label$='-K4']")
    page.says("Tank1Level")
    page.field("Location").send_keys("Cabinet 2", Keys.ENTER)
    page.says("Undo HALL, -K4")
    page.go("/p/skelder/live")
    page.enter(".tools input", "tank1")
    act(page, "Tank1DrainValve", "Force 1")
    # Downloading again says once what it ends.
    page.button("Download r2 (restarts the bench)")
    page.says("ends 1 force: Tank1DrainValve")
    page.button("Cancel")
    page.button("Stop")
    page.says("The bench is idle")


def test_what_is_built_otherwise_is_found_by_scans_and_put_right_by_each_hand(page: Page) -> None:
    """The demo's differences: a moved drive over the network, a meter's rate by hand, modules either way."""
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for", "9 with faults")
    page.click("nav.scans button", "Hall cell")
    page.says("Nothing has been asked yet", "takes 2.1 s at most")
    page.click("main button", "Scan")
    page.says("Nobody answers at 10.20.4.22; a device of its type does at 10.20.4.59.", "vendor 64209")
    # n walks the differences; the scanner is older than its file, which can be expected or mended.
    page.driver.find_element(By.TAG_NAME, "body").send_keys("n")
    page.says("refused, 01/0127", "Look at its connection and exchanges")
    page.driver.find_element(By.TAG_NAME, "body").send_keys("n")
    page.says("Revision 2.3 instead of 2.4.", "Expect what is there: 2.3", "Mount one of revision 2.4")
    page.driver.find_element(By.TAG_NAME, "body").send_keys("p", "p")
    page.click("main button", "Give it the address 10.20.4.22")
    page.says("it has the address 10.20.4.22 now", "scan again to see it", "8 with faults")
    page.click("main button", "Scan again")
    page.says("3 agree", "1 of 2")
    # What was set in the device is undone as what was built, and nothing else is.
    page.button("Undo Set in the device over the network")
    page.says("9 with faults")

    page.go("/p/skelder/live")
    page.click("nav.scans button", "Burner")
    page.field("From station").send_keys(Keys.CONTROL, "a")
    page.field("From station").send_keys("11", Keys.TAB)
    page.field("To station").send_keys(Keys.CONTROL, "a")
    page.field("To station").send_keys("14", Keys.TAB)
    page.click("main button", "Scan")
    page.says("It is set to 9600 bit/s.")
    page.click("main button", "Set it at the device to what the line has")
    page.click("main button", "Scan again")
    page.says("What was found agrees with what is configured.")

    page.go("/p/skelder/live")
    page.click(".line button.name", "Well house")
    page.click(".line button", "As built")
    page.click(".built button", "Take out")
    page.says("exception 02")
    page.click("nav.scans button", "Utilities")
    page.click("main button", "Scan")
    page.says("1 of its modules is not as configured.", "-K1W DI-16", "Take them over as they are there")
    page.click("main button", "Put them in as configured")
    page.click("main button", "Scan again")
    page.says("What was found agrees with what is configured.")


def _press_offered(page: Page, station: str, button: str) -> None:
    """Whatever moves meanwhile: a card grows while more is known of what fails."""

    def pressed() -> bool:
        path = f".//button[normalize-space()='{button}']"
        page.driver.execute_script("arguments[0].click()", page.find("article", station).find_element(By.XPATH, path))
        return True

    page.wait(pressed, f"{button} of {station} cannot be pressed")


def _unfolded(page: Page, summary: str, text: str) -> bool:
    """Whether a text shows, unfolding what holds it where it does not: the line above it is drawn anew meanwhile."""
    if text not in page.body():
        page.find("summary", summary).click()
    return text in page.body()


def test_what_is_wrong_leads_to_its_setting_and_is_noted_when_it_went(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for", "9 with faults", "framing errors", "Run/idle header of To it")
    page.click(".line button.name", "Gallery fan 1")
    page.click(".line .faults button", "Pull its cable")
    page.says("10 with faults")
    page.wait(lambda: "Look at IP address" in page.find("article", "Gallery fan 1").text.replace("\n", " "))
    _press_offered(page, "Gallery fan 1", "IP address")
    page.wait(lambda: page.field("IP address").get_attribute("value") == "10.20.4.21")
    page.driver.back()
    _press_offered(page, "Gallery fan 1", "Plug it back")
    page.says("9 with faults", "Was wrong and is good again")
    page.wait(lambda: _unfolded(page, "Was wrong", "Gallery fan 1, From it"), "what was wrong is not unfolded")
    # Over the network: it restarts, is away, and comes back.
    page.click(".line button.name", "Gallery fan 1")
    page.wait(lambda: page.all(".line .faults button", "As built"))
    page.click(".line .faults button", "As built")
    page.says("On its label: MAC 02-00-")
    page.click(".acts button", "Restart it")
    page.says("10 with faults")
    page.says("9 with faults")


def test_a_coupler_nobody_knows_is_found_taken_over_and_used(page: Page) -> None:
    """From an empty plant: two picks lead to its channel, and no address is typed."""
    page.go("/plants")
    page.enter("form input", "Malting two")
    page.button("Start it")
    page.button("Add a controller")
    page.field("Name").send_keys("HALL")
    page.field("IP address").send_keys("10.1.0.1")
    page.button("Add it")
    page.says("TF-42, firmware")
    page.click("nav a", "Networks")
    page.button("Add a network")
    page.choose("Fieldbus", "Modbus TCP")
    page.button("Add it")
    page.says("Modbus TCP on HALL A")
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("running for")
    page.click("nav.scans button", "Modbus TCP")
    page.click("main button", "Add a device that the plant does not know")
    page.field("Address").send_keys("10.1.0.5")
    page.choose("Type", "TC-16")
    for module in ("DI-16", "DO-16"):
        page.choose("Modules behind it", module)
    page.says("DI-16, DO-16")
    page.click("main button", "Add it")
    page.field("To").send_keys(Keys.CONTROL, "a")
    page.field("To").send_keys("10.1.0.20", Keys.TAB)
    page.click("main button", "Scan")
    page.says("answers at 10.1.0.5; the plant has nobody there.")
    page.click("main button", "Take it over as TC-16 with 2 modules")
    page.says("What was found agrees with what is configured.")
    page.click("nav a", "Networks")
    page.click("aside button", "Read input register")
    page.click("aside button", "Write holding register")
    page.no_longer("Outputs that nobody writes")
    page.click("nav a", "Signals")
    page.button("Add signals")
    page.find("form input.mono").send_keys("Spray")
    place = Select(page.find("form select option", "DO-16").find_element(By.XPATH, ".."))
    place.select_by_visible_text("TC-16-MT: slot 2 DO-16, 16 DO")
    page.click("form button.primary")
    page.says("TC-16-MT, DO-16")
    page.click("nav a", "Live")
    page.button("Download r")
    page.says("running for")
    page.click("tbody tr button", "Write 1")
    page.wait(lambda: page.find("tbody tr .value .value").text == "1")
