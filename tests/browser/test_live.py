"""The bench from the screen: an output written once and one forced change what the plant does."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page


def value(page: Page, signal: str) -> float:
    row = next(r for r in page.all("tbody tr") if f".{signal}" in r.text)
    return float(row.find_element(By.CSS_SELECTOR, ".value .value").text.replace("−", "-"))


def act(page: Page, signal: str, what: str) -> None:
    def done() -> bool:
        row = next(r for r in page.all("tbody tr") if f".{signal}" in r.text)
        next(b for b in row.find_elements(By.TAG_NAME, "button") if b.text.startswith(what)).click()
        return True

    page.wait(done)


def in_row(page: Page, signal: str) -> str:
    return str(next(r for r in page.all("tbody tr") if f".{signal}" in r.text).text)


def test_writing_and_forcing_move_the_plant(page: Page) -> None:
    page.go("/p/skelder/live")
    page.says("The bench is idle")
    page.button("Download and run")
    page.enter(".tools input", "humid | tank1")
    page.wait(lambda: value(page, "HumidifierPulse") > 1)
    humidity, level = value(page, "HumidifierHumidity"), value(page, "Tank1Level")
    assert value(page, "HumidifierRunning") == 0

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
    page.click(".rail .module[aria-label$='-K4']")
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
