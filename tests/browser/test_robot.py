"""A robot in the browser: made of axes, brought to what its type asks, initialised as far as it goes, led on a line."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page

INDEX = "ul[aria-label=Axes] button"


def test_a_robot_from_a_type_stops_at_the_step_that_fails_and_then_goes(page: Page) -> None:
    page.go("/p/skelder/motion")
    page.click(INDEX, "PICKER")
    page.says("Ø 488 mm", "220 mm in", "What its type asks")
    page.find("h2", "PICKER").click()
    page.keys(Keys.DELETE)
    page.says("Undo Remove robot PICKER")
    # From its type, of the axes that are there.
    page.button("Add a robot")
    page.choose("Type", "Arms of 200 and 460 mm, with a wrist")
    for place, axis in (("Arm 1", "ARM1"), ("Arm 2", "ARM2"), ("Arm 3", "ARM3"), ("Wrist", "WRIST")):
        page.choose(place, f"{axis} · axis")
    page.enter("form input[placeholder=Robot1]", "SORTER")
    page.button("Add it")
    page.says("robot of ARM1 · ARM2 · ARM3 · WRIST", "set from where, to where")
    for field, value in (("Frame z", "-470"), ("From x", "-80"), ("To x", "80"), ("Speed", "1 m/s"),
                         ("Acceleration", "9000")):  # fmt: skip
        page.fill(field, value)
        page.keys(Keys.ENTER)
    page.says("160 mm in 0.2711 s", "of 360")
    # What is not as asked is said here, and stops the initialisation at its step.
    page.click(INDEX, "Arm 2")
    page.fill("Drive's peak current", "4")
    page.keys(Keys.ENTER)
    page.click(INDEX, "SORTER")
    page.says("Set 4.2 A on all", "Not as a robot's type asks")
    page.button("Download and run")
    page.says("not initialised")
    page.button("Initialise")
    page.says("ARM2, peak current: 4 A; its type asks 4.2 A")
    assert [item.get_attribute("class").split()[0] for item in page.all("ol[aria-label=Initialisation] li")] == [
        "good", "good", "bad", "open", "open", "open", "open", "open",
    ]  # fmt: skip
    page.button("Set 4.2 A on all")
    page.no_longer("Set 4.2 A on all")
    page.button("Download r")
    page.says("not initialised")
    page.button("Initialise")
    page.says("ready", "platform at 0, 0, −440.6 mm")
    page.button("Go the straight move")
    page.says("platform at 80, 0, −470 mm")
