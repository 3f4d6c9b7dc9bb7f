"""A drive by plain Modbus TCP words, from an empty plant to a second axis, as somebody goes it in the page."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page


def _typed(page: Page, label: str, text: str) -> None:
    page.fill(label, text)
    page.keys(Keys.ENTER)


def test_from_an_empty_plant_to_two_axes_by_plain_words(page: Page) -> None:
    page.go("/plants")
    page.enter("form input", "Hoist")
    page.button("Start it")
    page.button("Add a controller")
    page.field("Name").send_keys("PLC")
    page.field("IP address").send_keys("10.1.0.1")
    page.button("Add it")
    page.says("TF-42")

    # Eleven words each way.
    page.click("nav a", "Networks")
    page.button("Add a network")
    page.button("Add it")
    page.button("Add a station")
    page.field("Address")
    page.button("Add it")
    page.says("10.1.0.2")
    for name, reference in (("State", "40101"), ("Command", "40001")):
        if name == "Command":
            page.button("Add an exchange")
            page.field("Function").send_keys("16")
        page.field("Name").send_keys(name)
        page.fill("From reference", reference)
        page.fill("Count", "11")
        page.fill("Period", "20 ms")
        page.button("Add it")
        page.says(name)

    # The axis: its chain, how quick it is, its words.
    page.click("nav a", "Motion")
    page.says("No axis yet")
    page.button("Add an axis")
    page.field("Name").send_keys("HOIST1")
    drive = Select(page.field("Drive"))
    drive.select_by_visible_text(next(one.text for one in drive.options if "Station 1" in one.text))
    page.button("Add it")
    page.says("HOIST1", "the screw lacks its lead")
    for link, values in (
        ("motor", {"Counts a turn": "4096", "Rotor inertia": "2 kg cm²"}), ("gear", {"Turns on the motor's side": "4"}),
        ("screw", {"Lead": "10"}), ("load", {"Mass": "50"}),
    ):  # fmt: skip
        page.click("section[aria-label=Chain] li button", link)
        for label, value in values.items():
            _typed(page, label, value)
    page.button("Settings …")
    for label, value in (("Highest speed", "200"), ("Acceleration", "500"), ("In position within", "0.05")):
        _typed(page, label, value)
    page.says("8192/5")
    page.button("Name its words")
    page.says("Plain words", "Start seen")

    # On the bench: home here, a move there and back, jog.
    page.button("Download and run")
    page.says("without power", "No program writes its words")
    hand = "div[aria-label=Hand]"
    page.button("Enable")
    page.says("stands, powered")
    page.button("Home here")
    page.says("Home Done")
    page.fill("Distance", "30")
    page.button("Move 30 mm")
    page.wait(lambda: "MoveRelative Done" in page.find(hand).text, lambda: page.find(hand).text)

    # The second: drive, exchanges, words and axis in one replication.
    page.click("nav a", "Networks")
    page.click("[role=option]", "Station 1")
    page.button("Replicate …")
    page.says("HOIST2")
    page.button("Make")
    page.says("Undo Replicate")
    page.click("nav a", "Motion")
    page.click("ul[aria-label=Axes] button", "HOIST2")
    page.says("8192/5", "Plain words", "Start seen")

    # The profile is kept as a template, and an axis without words is commanded by it.
    page.button("Keep its profile")
    page.enter("input[aria-label='Name of the template']", "Hoist words")
    page.button("Keep")
    page.says("Kept as “Hoist words”")
    commanded = Select(page.field("Commanded by"))
    commanded.select_by_index(0)
    page.says("no profile yet")
    Select(page.find("select[aria-label=Profile]")).select_by_visible_text("Hoist words")
    page.button("Name its words")
    page.says("Start seen", "Undo Name the words of HOIST2")
