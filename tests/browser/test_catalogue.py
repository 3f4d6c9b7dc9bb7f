"""As a newcomer: a file from the inbox is read, types are compared, a rail is filled, copied and replicated."""

from __future__ import annotations

from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.paths import DEMO


def rail_order(page: Page) -> list[str]:
    labels = [e.get_attribute("data-label") or "" for e in page.all(".rail div.module")]
    return [name for label in labels if (name := label.split(": ")[1].split(",")[0]) != "open"]


def new_plant(page: Page, name: str, controller: str) -> None:
    page.go("/plants")
    page.enter("form input", name)
    page.button("Start it")
    page.button("Add a controller")
    page.field("Name").send_keys(controller)
    page.button("Add it")
    page.says("TF-42, firmware 3.4")


def hand_in(page: Page, *files: Path) -> None:
    page.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys("\n".join(str(f) for f in files))


def test_a_file_is_read_compared_placed_and_its_new_revision_taken_over(page: Page, tmp_path: Path) -> None:
    new_plant(page, "Import mill", "MILL")
    page.click("nav a", "Networks")
    page.button("Add a network")
    page.button("Add it")
    page.button("From the catalogue")
    page.says("Modbus TCP", "Modbus TCP server")

    # Several at once: one with slips of its maker, one good, one that is nothing.
    nothing = tmp_path / "nothing.eds"
    nothing.write_text("nothing")
    hand_in(page, DEMO / "inbox" / "em310.gsd", DEMO / "humidifier.csv", nothing)
    page.says("2 problems", "Module “Energy imported” is not ended before line 84", "not read", "EM-310 energy meter")
    page.find(".list").send_keys("]")
    page.says("Energy exported")
    page.find(".list").send_keys("]")
    page.wait(lambda: "Maximum demand" in page.find("pre .guilty").text)
    page.button("Put away")

    # What fits the network stands before what does not; the chosen one is placed there.
    page.enter("input[aria-label='Search the catalogue']", "humidifier")
    page.says("HU-6 humidifier skid", "12 words of 16 bits", "30001")
    page.find("input[aria-label='Search the catalogue']").send_keys(Keys.ENTER)
    page.says("Undo Add station HU-6", "1 station")

    # A new revision names what differs and who uses the old one, and takes the station along.
    page.button("From the catalogue")
    newer = tmp_path / "humidifier-21.csv"
    newer.write_text((DEMO / "humidifier.csv").read_text().replace("revision: 2.0", "revision: 2.1"))
    hand_in(page, newer)
    page.says("another revision", "Used by Modbus TCP, HU-6", "2.0", "2.1")
    page.button("Move 1 station to it")
    page.no_longer("Keep both")
    page.enter("input[aria-label='Search the catalogue']", "maker:ashgill from:map")
    page.wait(lambda: [e.text.splitlines()[-1] for e in page.all(".entry", "HU-6")])

    # The old one is used by nobody now and may go; the new one says who needs it.
    page.click(".entry", "2.0")
    page.wait(lambda: "humidifier.csv" in page.find(".below").text)
    page.click(".below button", "Delete")
    page.wait(lambda: not page.all(".entry", "2.0"))
    page.click(".entry", "2.1")
    page.wait(lambda: "humidifier-21.csv" in page.find(".below").text)
    page.click(".below button", "Delete")
    page.says("The type is in use: HU-6")


def test_types_are_compared_and_placed_from_the_catalogue(page: Page) -> None:
    new_plant(page, "Compare mill", "MILL")
    page.find(".rail").send_keys("c")
    page.says("≤ 1700 mA", "slot 1")
    page.enter("input[aria-label='Search the catalogue']", "kind:module ai")
    page.click(".entry", "AI-8")
    page.find(".list").send_keys(" ")
    page.click(".entry", "AI-4T")
    page.find(".list").send_keys(" ")
    page.says("2 types, where they differ", "310 mA", "210 mA", "4 ms", "80 ms")
    page.button("Unmark all")
    page.find(".list").send_keys(Keys.ENTER)
    page.wait(lambda: rail_order(page) == ["AI-4T"])


def test_replacing_keeps_what_still_fits_and_lists_the_rest(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.click("nav[aria-label=Rails] button", "KILN")
    page.click("div.module[data-label*='-K3N']")
    page.find(".rail").send_keys("r")
    page.keys("ai-4t")
    page.says("If: Replace -K3N by AI-4T")
    page.keys(Keys.ENTER)
    page.wait(lambda: rail_order(page)[2] == "AI-4T")
    page.find(".rail").send_keys("r")
    page.keys("di-16")
    page.says("If: Replace -K3N by DI-16", "KilnDraught is linked to nothing")
    page.keys(Keys.ESCAPE)
    page.find(".rail").send_keys(Keys.CONTROL, "z")
    page.wait(lambda: rail_order(page)[2] == "AI-8")


def test_modules_are_copied_to_a_rail_of_another_plant_and_kept_as_a_template(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.click("nav[aria-label=Rails] button", "HALL")
    page.click("div.module[data-label*='-K4']")
    page.find(".rail").send_keys(Keys.SHIFT, Keys.ARROW_RIGHT)
    page.says("2 selected")
    page.find(".rail").send_keys(Keys.CONTROL, "c")
    page.says("Copied 2 modules")
    page.click("div.module[data-label*='-K6']")
    page.button("Keep it as a template")
    page.enter("aside form input", "Four outputs")
    page.click("aside form button", "Keep")
    page.says("Kept as “Four outputs”")
    new_plant(page, "Paste mill", "MILL")
    page.find(".rail").send_keys(Keys.CONTROL, "v")
    page.wait(lambda: rail_order(page) == ["AI-8", "AI-4T"])
    page.click(".template button", "Four outputs")
    page.wait(lambda: "AO-4" in rail_order(page))


def test_settings_of_several_channels_at_once_and_back(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.click("nav[aria-label=Rails] button", "STEEP")
    page.click("div.module[data-label*='-K3S']")
    page.button("Channels of -K3S")
    page.button("Choose all")
    page.says("8 channels chosen")
    page.click("tbody tr:nth-child(2) select[aria-label='Signal kind'] option", "0–20 mA")
    page.wait(lambda: len(page.all("tbody td.own")) == 8)
    page.button("Reset chosen")
    page.wait(lambda: not page.all("tbody td.own"))
    page.button("Wiring")
    row = "tbody tr:nth-child(1)"
    for label, value in (("Transmitter", "15"), ("Barrier", "200")):
        page.enter(f"{row} input[aria-label='{label}']", value)
        page.keys(Keys.TAB)
    page.says("320 of 257 Ω", "Loop burden too high")


def test_a_station_is_replicated_with_all_that_hangs_on_it(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("[role=option]", "Compressor")
    page.says("More of it")
    page.button("Replicate")
    page.says("Replicate Utilities, Compressor", "Compressor2", "Compressor4Pressure", "What it takes")
    page.enter(".how input[type=number]", "2")
    page.says("Make 2 copies")
    page.click("td.cell button", "Compressor3Good")
    page.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a")
    page.keys("Tank1Full", Keys.ENTER)
    page.says("1 name taken", "Tank1Full")
    assert page.find("button.primary", "Make 2 copies").get_attribute("disabled")
    page.click("td.cell button", "Tank1Full")
    page.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a")
    page.keys("SpareGood", Keys.ENTER)
    page.says("every name is free")
    page.button("Make 2 copies")
    page.says("Compressor2", "Compressor3")
    page.click("nav a", "Signals")
    page.enter("main input[placeholder]", "Compressor | Spare")
    page.says("Compressor2Pressure", "SpareGood")
    page.find("body").send_keys(Keys.CONTROL, "z")
    page.no_longer("Compressor2Pressure")
