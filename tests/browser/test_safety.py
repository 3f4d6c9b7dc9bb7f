"""Safety in the browser: a function made and found late, pairs set together and dragged in time, a stop and a fault."""

from __future__ import annotations

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page

INDEX = "ul[aria-label='Safety functions'] button"


def test_a_function_is_put_together_and_told_in_time(page: Page) -> None:
    page.go("/p/skelder/safety")
    page.says("Turner emergency stop", "469 ms")
    page.button("Add a function")
    page.says("Safety function 1", "no sensor yet", "nothing yet")
    page.fill("Name", "Gate")
    page.button("Add a sensor")
    page.choose("Kind", "guard door")
    page.button("Add it")
    # The first pair that nothing is wired to.
    page.says("Guard door", "-K12, channels 2 and 3", "not known is an actuator")
    page.fill("Responds within", "0")
    page.button("Add an actuator")
    page.choose("Is", "axis LIFT")
    page.button("Add it")
    page.says("not known is how long LIFT takes")
    page.fill("Acts within", "5")
    page.fill("Machine then stops within", "180")
    page.keys(Keys.ENTER)
    page.says("229 ms")
    page.button("Settings …")
    page.fill("Standstill asked within", "220 ms")
    page.keys(Keys.ENTER)
    page.says(
        "takes 229 ms from demand to standstill; 220 ms are asked", "171 ms instead of 180 ms for the machine's stop"
    )
    # Nothing resets it: of the one signal that is called so the mend is offered.
    page.says("is to be reset by hand, and no signal does that")
    page.button("Reset by TurnerReset")
    page.no_longer("and no signal does that")
    page.button("Undo")
    page.says("and no signal does that")


def test_pairs_are_set_together_and_an_edge_is_dragged_until_it_fails(page: Page) -> None:
    page.go("/p/skelder/safety/pairs")
    page.says("10 pairs", "35 of 50 ms: passes")
    b = "section[aria-label='In time'] [role=slider][aria-label='B opens']"
    before = int(page.find(b).get_attribute("aria-valuenow") or 0)
    ActionChains(page.driver).drag_and_drop_by_offset(page.find(b), 60, 0).perform()
    page.says("a fault")
    assert int(page.find(b).get_attribute("aria-valuenow") or 0) > before + 15
    page.button("Just passes")
    page.says("50 of 50 ms: passes")
    page.find(b).send_keys(Keys.ARROW_RIGHT)
    page.says("51 of 50 ms: a fault")
    page.find(b).send_keys(Keys.ARROW_LEFT)
    page.says("50 of 50 ms: passes")
    # Two that are marked are set together, and go back in one step.
    for pair in ("channels 0 and 1", "channels 2 and 3"):
        page.click(f"input[aria-label='Mark -K7, {pair}']")
    page.says("2 pairs marked")
    entry = "input[aria-label='May differ, -K7 channels 0 and 1']"
    page.find(entry).send_keys(Keys.CONTROL, "a")
    page.find(entry).send_keys("80", Keys.TAB)
    other = "input[aria-label='May differ, -K7 channels 2 and 3']"
    page.wait(lambda: page.find(other).get_attribute("value") == "80")
    page.says("35 of 80 ms: passes")
    page.button("Undo")
    page.wait(lambda: page.find(other).get_attribute("value") == "50")
    # What the settings of a pair make impossible is found, and mended here.
    page.driver.execute_script(
        "const s = document.querySelector(\"select[aria-label='Supply, -K7 channels 4 and 5']\");"
        "s.value = '\"external\"'; s.dispatchEvent(new Event('change', {bubbles: true}))"
    )
    page.says("Short and cross circuit are to be found at -K7, channels 4 and 5")
    page.button("Supply it with test pulses")
    page.no_longer("Short and cross circuit are to be found")


def _contact(page: Page, fault: str) -> None:
    """What is wrong with the first contact of the first door."""
    page.driver.execute_script(
        "const s = document.querySelector(\"select[aria-label='Contact A of Hall door 1']\");"
        "s.value = arguments[0]; s.dispatchEvent(new Event('change', {bubbles: true}))", fault,
    )  # fmt: skip


def test_the_turner_runs_falls_and_does_not_start_again_by_itself(page: Page) -> None:
    bench = "section[aria-label='On the bench']"
    page.go("/p/skelder/safety")
    page.click(INDEX, "Hall doors")
    page.button("Download and run")
    page.says("all good, waits for its reset", "without supply")
    page.button("All in turn")
    page.wait(lambda: "released" in page.find(bench).text and "has its supply" in page.find(bench).text)
    page.click(f"{bench} tbody button", "Demand")
    page.wait(lambda: "held off" in page.find(bench).text and "has its supply" not in page.find(bench).text)
    page.click(f"{bench} tbody button", "End it")
    page.says("all good, waits for its reset")
    # A contact that stays as it is shows itself with the next demand, and is not acknowledged away.
    _contact(page, "stuck")
    page.click(f"{bench} tbody button", "Demand")
    page.wait(lambda: "fault" in page.find(f"{bench} table").text)
    page.click(f"{bench} tbody button", "End it")
    page.button("All in turn")
    page.wait(lambda: "held off" in page.find(bench).text)
    _contact(page, "")
    page.click(f"{bench} tbody button", "Demand")
    page.wait(lambda: page.find(f"{bench} tbody button", "End it"))
    page.click(f"{bench} tbody button", "End it")
    page.button("All in turn")
    page.wait(lambda: "released" in page.find(bench).text)
    # Cut off, a module is held safe until it is heard again and acknowledged.
    page.click(f"{bench} ul[aria-label='Safe modules'] button", "Cut off")
    page.wait(lambda: "held safe" in page.find(bench).text)
    page.click(f"{bench} ul[aria-label='Safe modules'] button", "Connect")
    page.button("All in turn")
    page.wait(lambda: "released" in page.find(bench).text and "held safe" not in page.find(bench).text)


def test_a_stop_that_was_measured_longer_is_found_mended_and_voided(page: Page) -> None:
    page.go("/p/skelder/safety")
    page.says("how long it takes CARRIAGE, LIFT and AUGERS to stop")
    page.click("[aria-label='Record CARRIAGE: Stop time measured']")
    page.fill("Readings of CARRIAGE, ms", "402 405,5 399 401 403 400 398 404 406")
    page.says("At least 10 readings are needed, not 9.")
    page.fill("Readings of CARRIAGE, ms", "402 405,5 399 401 403 400 398 404 406 440")
    page.says("10 readings: mean 405.9 ms")
    page.fill("Done by", "J. Ross")
    page.button("Record it")
    # The mean and three deviations of 12.29 ms: 405.85 + 36.86.
    page.says("CARRIAGE, stop time", "J. Ross", "how long it takes LIFT and AUGERS to stop", "in time")
    page.click("table[aria-label=Due] button", "CARRIAGE")
    page.says("CARRIAGE took 442.71 ms to stop when it was measured", "420 ms are reckoned with")
    page.button("Reckon with 443 ms in 3 functions")
    page.no_longer("are reckoned with")
    page.click("button[aria-label^='Void the record of CARRIAGE']")
    page.fill("Why it does not hold", "Another load.")
    page.button("Void it")
    page.says("void: Another load.")
    page.button("Settings …")
    page.says("how long it takes CARRIAGE, LIFT and AUGERS to stop")


def test_a_zone_is_dragged_too_near_and_traced(page: Page) -> None:
    page.go("/p/skelder/safety/scanners")
    page.says("Aisle eye", "2305 of 2194.4", "answers within 140 ms")
    # Each scan more confirms later, and asks for more distance.
    page.click("[aria-label='One scan more']")
    page.says("answers within 180 ms", "2305 of 2258.4")
    page.click("[aria-label='Draw zone A']")
    corner = page.find("circle[aria-label^='Corner 3']")
    dragging = ActionChains(page.driver).click_and_hold(corner)
    for _ in range(10):
        dragging = dragging.move_by_offset(-3, 5)
    dragging.perform()
    # While it is dragged, before anything is kept.
    page.says("passed by", "If: Draw it", "Zone too near to the hazard")
    assert "Undo Draw" not in page.body()
    ActionChains(page.driver).release().perform()
    page.says("Undo Draw zone A", "Hazard reached past the zone")
    page.button("Undo")
    page.says("2305 of 2258.4")
    # By the keyboard, and by numbers.
    page.find("circle[aria-label^='Corner 1']").send_keys(Keys.ARROW_UP)
    page.says("Undo Draw zone A")
    page.wait(lambda: page.field("Depth, mm").get_attribute("value") == "3350", "the depth is not 3350")
    page.fill("Depth, mm", "3400")
    page.keys(Keys.ENTER)
    page.button("Trace the surroundings")
    page.says("by points", "Undo Trace zone A")
    page.choose("Out 1", "B")
    page.says("Undo Northward: zone of output 1", "Zone in no situation")
    # What stands there is drawn in the same way.
    page.click("ul[aria-label='Around it'] button", "hazard, Northward")
    page.find("circle[aria-label^='Corner 3 of hazard']").send_keys(Keys.SHIFT, Keys.ARROW_UP)
    page.says("Undo Draw hazard", "454 mm short")


def test_somebody_walks_in_and_is_seen_in_time(page: Page) -> None:
    page.go("/p/skelder/safety/scanners")
    page.button("Download and run")
    page.says("watches", "Northward", "output 1 on", "output 2 on")
    page.button("Somebody walks in")
    page.says("ms after setting out")
    # Without its reset the turner has been off before; what an input does is seen at once.
    page.click("[aria-label='Input 1']")
    page.says("none: all off", "output 1 off", "output 2 off")
    page.click("[aria-label='Input 2']")
    # He stands where that zone is.
    page.says("Southward", "output 2 on", "output 1 off")
    page.button("Is gone")
    page.says("output 1 on")
    page.button("Mark another way in the plan")
    plan = page.find("svg[aria-label=Plan]")
    for x, y in ((180, -150), (60, -150)):
        ActionChains(page.driver).move_to_element_with_offset(plan, x, y).click().perform()
    page.button("That is the way")
    page.button("Somebody walks in")
    page.says("walks at 1600 mm/s")
    page.button("Is gone")
    page.no_longer("walks at 1600 mm/s")
