"""The seal in the browser: a walk recorded, sealed, broken by name, whole again; the report."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page


def test_a_walk_is_tried_on_the_bench_and_recorded_on_site(page: Page) -> None:
    page.go("/p/skelder/safety/scanners")
    page.says("Walked in Northward", "not walked on site")
    page.button("Download and run")
    page.button("Try all on the bench")
    page.button("Record the bench's")
    page.says("it counts for nothing on site")
    page.fill("Done by", "Ada")
    page.button("Record it")
    page.says("on the bench")
    assert "not walked on site" in page.body()
    page.button("Record a walk")
    page.button("Seen everywhere")
    page.click("[aria-label='Place 2: seen']")
    page.fill("Done by", "Ada")
    page.button("Record it")
    page.says("not seen somewhere")
    # It was another piece: the record stays, and says so; the next one counts.
    page.click("[aria-label^='Void the record of output 1']")
    page.fill("Why it does not hold", "another piece")
    page.button("Void it")
    page.says("void: another piece", "not walked on site")
    page.button("Record a walk")
    page.button("Seen everywhere")
    page.fill("Done by", "Ada")
    page.button("Record it")
    page.wait(lambda: page.all("section[aria-label=Walked] .mark.good"), "it is not walked")
    # What was walked is not what stands there any more.
    page.fill("Stands at x", "40")
    page.keys(Keys.ENTER)
    page.says("changed since")


def test_a_seal_is_broken_by_name_and_whole_again(page: Page) -> None:
    page.go("/p/skelder/safety")
    page.click("a", "Seal")
    page.says("Not sealed", "CARRIAGE: stop time measured, not yet on site", "Northward, output 1: not walked on site")
    page.button("Seal HALL")
    page.says("find it good")
    page.button("Seal it")
    page.says("Whole", "sealed by demo", "as sealed")
    # A confirmation more at the scanner makes the function later, and its zones too small a distance.
    page.click("a", "Scanners")
    page.click("[aria-label='One scan more']")
    page.says("answers within 180 ms", "Seal broken")
    page.click("a", "Seal")
    page.says(
        "Broken", "not as sealed", "Scans that confirm", "189 ms", "229 ms", "What broke it", "Aisle eye: 3 scans"
    )
    page.click("a", "scanner Aisle eye")
    page.says("answers within 180 ms")
    page.button("Undo")
    page.says("answers within 140 ms")
    page.click("a", "Seal")
    page.says("Whole")
    assert "What broke it" not in page.body() and "Seal broken" not in page.body()
    # A record cannot be taken back, so neither can the seal.
    assert page.find("button", "Undo").get_attribute("disabled")
    report = page.find("a", "Report, to print").get_attribute("href")
    page.driver.get(report or "")
    page.says("Safety of HALL", "whole: sealed by demo", "ISO 13855:2010")
    assert len(page.all("svg.plan")) == 4 and len(page.all("svg.bar")) == 3


def test_a_fault_of_the_plan_is_tried_on_the_bench_and_recorded(page: Page) -> None:
    page.go("/p/skelder/safety")
    page.says("0 of 14 as expected on site")
    page.button("Download and run")
    page.button("Show the plan")
    page.click("[aria-label='Try Contact 2 stuck of Emergency stop 2']")
    page.click("[aria-label='Mend Contact 2 stuck of Emergency stop 2']")
    page.find("[aria-label='Try Contact 2 stuck of Emergency stop 2']")
    page.click("[aria-label='Record Contact 2 stuck of Emergency stop 2']")
    page.fill("Done by", "Ada")
    page.button("Record it")
    page.says("1 of 14 as expected on site")


def test_a_scanner_is_sent_by_its_password_compared_taken_over_and_reset(page: Page) -> None:
    page.go("/p/skelder/safety/scanners")
    page.says("nothing was sent to it yet", "factory password")
    page.button("Download and run")
    page.says("output 1 on")
    page.button("Send …")
    page.fill("Factory password", "wyndrake")
    page.fill("New password", "gate-4-north")
    page.fill("The same again", "gate-4-south")
    page.button("Send it")
    page.says("not the same both times")
    page.fill("Factory password", "wyndrake")
    page.fill("The same again", "gate-4-north")
    page.button("Send it")
    page.says("sent by demo")
    page.no_longer("factory password")
    page.click("[aria-label='One scan more']")
    page.says("1 thing not as configured")
    page.button("Compare")
    page.button("Take over what is in the device")
    page.says("answers within 140 ms", "Device and configuration are alike")
    page.button("Send …")
    page.fill("Password of the device", "gate-4-south")
    page.button("Send it")
    page.says("The password is not right; 4 more")
    page.button("Cancel")
    # By hand it is empty: on the bench its outputs go off, until something is sent.
    page.button("Reset it …")
    page.click("button.primary", "Reset it")
    page.says("it was reset by demo", "factory password", "output 1 off", "none: all off")
    page.button("Send …")
    page.fill("Factory password", "wyndrake")
    page.fill("New password", "gate-4-north")
    page.fill("The same again", "gate-4-north")
    page.button("Send it")
    page.says("sent by demo", "output 1 on", "Northward")


def test_a_scanner_is_selected_by_signals_that_are_made_by_a_pattern(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.click("[data-label='Slot 3: DO-16, -K3']")
    page.find(".rail").send_keys("d")
    page.says("Undo")
    page.wait(lambda: len(page.all("[data-label*='DO-16']")) == 2, "there is no second one")
    page.go("/p/skelder/safety/scanners")
    page.button("Signals …")
    # Beside the first one, whose channels are taken.
    linked = Select(page.field("Linked to"))
    next(o for o in reversed(linked.options) if o.text.startswith("-K") and "DO-16" in o.text).click()
    page.button("Make the signals")
    page.says("From the program to its inputs within")
    page.choose("Signals for", "its outputs, plain")
    page.choose("Linked to", "nothing yet")
    page.button("Make the signals")
    page.wait(lambda: "AisleEyeWarnsD" in page.find("[aria-label='Signal of output 2']").text, "it has no signal")
    page.button("Download and run")
    page.says("watches", "none: all off", "output 1 off")
    assert page.find("[aria-label='Input 2']").get_attribute("disabled")
    page.go("/p/skelder/live")
    page.enter(".tools input", "AisleEyeSelectSouthward")
    page.click("td button", "Write 1")
    page.go("/p/skelder/safety/scanners")
    page.says("output 1 on")
    page.wait(lambda: "Southward" in page.find("section[aria-label='On the bench'] strong").text, "it is not selected")
