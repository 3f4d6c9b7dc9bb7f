"""Axes in the browser: a trial move and the tape that finds a wrong gear, a limit that is too near, a second drive."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page


def free(page: Page) -> None:
    """The turner's safe stop is reset and started, as whoever stands at the panel does it."""
    page.says("Its safe stop holds it")
    page.button("Reset and start its safe stop")
    page.no_longer("Its safe stop holds it")


def test_the_tape_finds_the_wrong_link_and_mends_it(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click("ul[aria-label=Axes] button", "LIFT")
    page.says("screw 10 mm", "2097152/5", "1.063 Nm", "The bench does not run")
    page.button("Download and run")
    free(page)
    page.says("without power", "No program writes its words")
    page.button("Enable")
    page.says("stands, powered")
    # What is typed is drawn by the core: 5 mm at this speed never come to it.
    page.fill("Distance", "0.5 mm")
    page.says("is not reached")
    page.button("As proposed")
    page.button("Move 100 mm")
    page.wait(lambda: "moves" in page.find("div[aria-label=Hand]").text)
    page.wait(lambda: "stands, powered" in page.find("div[aria-label=Hand]").text)
    page.button("Hold the tape")
    page.says("gear 5 : 1: put a mark", "lead 8 mm: turn the screw")
    page.button("Set gear 5 : 1")
    page.says("Undo Set gear 5 : 1, by the tape", "524288")
    page.button("Undo")
    page.says("2097152/5")


def test_a_jog_goes_while_its_key_is_held_and_space_stops_a_move(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.button("Download and run")
    page.click("ul[aria-label=Axes] button", "LIFT")
    free(page)
    page.button("Enable")
    page.says("stands, powered")
    hand = "div[aria-label=Hand]"
    page.button("Move 100 mm")
    page.wait(lambda: "moves" in page.find(hand).text)
    page.keys(Keys.SPACE)
    page.wait(lambda: "stands, powered" in page.find(hand).text)
    before = page.find(hand + " b").text
    jog = page.find(hand + " button", "Jog −")
    page.driver.execute_script("arguments[0].dispatchEvent(new PointerEvent('pointerdown', {bubbles: true}))", jog)
    page.wait(lambda: "is jogged" in page.find(hand).text)
    # Whoever looks elsewhere lets go.
    page.driver.execute_script("window.dispatchEvent(new Event('blur'))")
    page.wait(lambda: "stands, powered" in page.find(hand).text)
    assert page.find(hand + " b").text != before


def test_home_is_drawn_chosen_and_found(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click("ul[aria-label=Axes] button", "LIFT")
    # 0.42 of a turn of 2.5 mm above the edge at −50.
    page.says("between the limits: home after at most", "−48.95 mm")
    page.choose("Finds home by", "8 · first index above the lower edge of the home switch, sets out in +")
    page.says("Homing without its switch", "needs the lower edge of a home switch")
    page.button("Home by method 17, edge of the limit switch −")
    page.no_longer("Homing without its switch")
    page.button("Undo")
    page.button("Undo")
    page.button("Download and run")
    free(page)
    page.button("Enable")
    page.says("stands, powered")
    page.button("Find home")
    page.says("finds home", "Homing · Home Busy")
    page.says("Standstill · Home Done", "It stands beyond soft limit −: it moves only inwards")


def test_what_was_never_saved_in_a_drive_is_written_saved_and_counts_from_its_restart_on(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click("ul[aria-label=Axes] button", "AUGERS")
    page.says("1 value not alike, 17 alike", "Motor turns a turn of the load")
    page.button("Write all")
    page.says("1 until it restarts", "not saved: 1 after power off")
    page.button("Save in the drive")
    page.no_longer("not saved")
    page.button("Restart the drive")
    page.says("all 18 values as configured")


def test_one_value_of_several_axes_is_changed_on_one_scale(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.button("Side by side")
    page.choose("Value", "Position gain")
    page.says("not set on 5 axes")
    page.choose("Value", "Highest speed")
    beside = "section[aria-label='Side by side']"
    page.says("set on all axes")
    for name in ("ARM1", "ARM2", "ARM3"):
        page.click(f"{beside} label", name)
    page.enter("input[aria-label='Value of the marked axes']", "180")
    page.keys(Keys.ENTER)
    page.says("Undo Highest speed of 3 axes")
    mark = page.find(f"{beside} [aria-label='Highest speed of ARM2']")
    assert mark.get_attribute("aria-valuenow") == "180"
    # A key moves the marked ones together, by a hundredth.
    mark.send_keys(Keys.ARROW_RIGHT)
    page.wait(
        lambda: page.find(f"{beside} [aria-label='Highest speed of ARM3']").get_attribute("aria-valuenow") == "182"
    )
    page.button("Undo")
    page.button("Undo")
    page.wait(
        lambda: page.find(f"{beside} [aria-label='Highest speed of ARM3']").get_attribute("aria-valuenow") == "360"
    )


def test_a_limit_too_near_is_found_and_mended(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click("ul[aria-label=Axes] button", "LIFT")
    page.says("soft 400")
    page.fill("Soft limit +", "430")
    page.keys(Keys.ENTER)
    page.says("Soft limit too near to the switch", "Soft limit + at 404 mm")
    page.button("Soft limit + at 404 mm")
    page.says("Undo Soft limit + at 404 mm")
    page.no_longer("Soft limit too near to the switch")


def test_a_second_fan_comes_with_its_axis_and_words(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Hall cell")
    page.click("[role=option]", "Gallery fan 2")
    page.button("Replicate …")
    page.says("FAN3")
    page.button("Make")
    page.says("Undo Replicate")
    page.click("nav a", "Motion")
    page.click("ul[aria-label=Axes] button", "FAN3")
    page.says("GalleryFan3Start", "GalleryFan3Speed")
