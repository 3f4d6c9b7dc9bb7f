"""Networks in the browser: EtherNet/IP from the file to live packets, cables by drag, and a fieldbus nobody foresaw."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from highmoor.core.demo.generated import generated_cell
from highmoor.core.project.exchange_format import export_text
from tests.browser.conftest import Page
from tests.server.running import RunningServer


def stations(page: Page) -> list[str]:
    return [
        e.find_element(By.TAG_NAME, "strong").get_attribute("textContent") or "" for e in page.all("main [role=option]")
    ]


def test_a_connection_from_the_file_to_the_wire(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Hall cell")
    page.says("430 packets/s", "queue at worst 52.6", "HALL can take 5000 packets/s")
    assert stations(page)[:3] == ["Hall switch", "Gallery fan 1", "Gallery fan 2"]

    # What the file says stands in the form; a shorter interval than it allows is a finding with its mend.
    page.click("[role=option]", "Gallery fan 1")
    page.says("Forward_Open, service 54", "34 04 D1 FA 02 00 4B 00 83 01", "size 10 = 4 data + 2 count + 4 header")
    page.click("tr", "Gallery fan 1 → HALL")
    page.enter(f"[id='{page.field('Packet interval').get_attribute('id')}']", "2\t")
    page.says("Interval the device cannot keep", "takes 5–3200 ms")
    page.button("Ask for a packet every 5 ms")
    page.no_longer("Interval the device cannot keep")

    # A listener needs somebody to listen to, by multicast; what is offered mends it.
    page.click("[role=option]", "Bed sensors")
    page.button("Add a connection to Bed sensors")
    page.says("Data to and from all ports")
    page.choose("Connection", "Listen only")
    page.says("Needs another connection to the same point")
    page.button("Add it")
    page.says("Nobody to listen to")
    page.button("sent by multicast")
    page.no_longer("Nobody to listen to")

    # On the bench: the drive that has another address, the header that is left out, and how the latter is mended.
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("01/0127: wrong size O→T", "no answer to the request")
    page.click("nav a", "Networks")
    page.button("Hall cell")
    page.click("[role=option]", "Weigh head")
    page.click("tr", "HALL → Weigh head")
    page.tick("Run/idle header")
    page.says("size 8 = 2 data + 2 count + 4 header")
    page.click("nav a", "Live")
    page.button("restarts the bench")
    page.no_longer("01/0127")


def test_a_cable_is_hung_elsewhere_by_dragging(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Hall cell")
    page.click("[role=option]", "Weigh head")
    page.wait(lambda: Select(page.field("Cable from")).first_selected_option.text == "Bed sensors")
    page.drag(page.find("[role=option]", "Weigh head"), page.find("rect.bar"), 200)
    page.wait(lambda: Select(page.field("Cable from")).first_selected_option.text == "Hall switch")
    page.button("Undo")
    page.wait(lambda: Select(page.field("Cable from")).first_selected_option.text == "Bed sensors")


def test_a_cable_closes_a_ring_is_found_and_taken_away(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Hall cell")
    page.click("[role=option]", "Weigh head")
    page.says("Further cables")
    offered = page.find("aside select option", "choose …").find_element(By.XPATH, "..")
    # The fans have one socket each: nothing can be passed on there.
    assert [o.text for o in Select(offered).options] == ["choose …", "the controller", "Hall switch", "Bed sensors"]
    Select(offered).select_by_visible_text("Hall switch")
    page.click("aside button", "Add")
    page.says("closes a ring through 3 stations, and", "cannot be in one", "1 to mend")
    assert page.find("path.closing").is_displayed()
    page.click("aside button", "from socket 2 to Hall switch")
    page.says("Socket of Hall switch")
    page.field("Length").send_keys("140", Keys.TAB)
    page.says("copper may be at most 100 m")
    page.click("aside button", "Take the cable away")
    page.no_longer("closes a ring")
    page.wait(lambda: not page.all("path.closing"))


def test_what_one_controller_writes_another_reads_on_one_screen(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Between controllers")
    page.says("STEEP → HALL", "HALL asks every 200 ms over House", "BatchNumber", "BatchOfHall")
    page.click("button", "Add a transfer …")
    page.choose("From", "KILN")
    page.choose("To", "STEEP")
    page.button("Add it")
    page.says("KILN → STEEP", "STEEP asks every 200 ms over STEEP and others")
    # Its first place is named where it stands, at either end.
    for end, name in (("KILN", "DraughtOut"), ("STEEP", "Draught")):
        free = f".//button[@data-free][contains(., 'in {end}')]"
        page.press(lambda f=free: page.find("section", "KILN → STEEP").find_element(By.XPATH, f), f"free in {end}")
        page.keys(name, Keys.ENTER)
        page.says(f"{name} UINT")
    page.click("button", "Add a transfer …")
    page.choose("Over", "EtherNet/IP")
    page.says("Connection point")
    page.field("Every").send_keys("0,04 s")
    page.button("Add it")
    page.says("HALL asks every 40 ms over Quick air", "8 octets T→O")

    # What is typed in one controller is seen to arrive in the other, over either fieldbus.
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("running for")
    page.click("nav a", "Networks")
    page.button("Between controllers")
    for signal, typed, there in (("BatchNumber", "4711", "4711"), ("KilnAirNow", "63,4", "63.4")):
        page.written(signal, typed, there)
    # What is no number is said, and nothing is lost.
    page.click("button[title='Write BatchNumber']")
    page.keys(Keys.CONTROL, "a")
    page.keys("many", Keys.ENTER)
    page.says("many")


def test_a_register_map_is_taken_over(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("[role=option]", "Humidifier")
    page.button("Take over its register map")
    # All but the fan speed has a signal already: that one comes, scaled as the map says.
    page.click("tr", "HALL → Humidifier")
    page.says("HumidifierFanSpeed", "0 … 100 %")
    page.button("Undo")
    page.no_longer("HumidifierFanSpeed")


@pytest.fixture
def flags(tmp_path: Path, chromium: webdriver.Chrome) -> Iterator[Page]:
    running = RunningServer(tmp_path / "data", "tests.toy_fieldbus")
    yield Page(chromium, running.url)
    chromium.get("about:blank")
    chromium.delete_all_cookies()
    running.stop()


def test_a_fieldbus_nobody_foresaw_reaches_form_check_and_ribbon(flags: Page) -> None:
    flags.go("/p/skelder/networks")
    flags.button("Add a network")
    Select(flags.field("Fieldbus")).select_by_visible_text("Flag rope")
    flags.button("Add it")
    flags.says("Flag rope on")
    flags.click("header button", "Add a station")
    flags.button("Add it")
    flags.says("Signal mast")
    flags.wait(lambda: flags.field("Flags").is_displayed())
    flags.enter("form [aria-label=Flags]", "9")
    flags.button("Add it")
    flags.says("9 flags", "rope 1", "of the signaller's time", "Rope too short")
    blocks = flags.wait(lambda: flags.all(".ribbon rect.request"))
    assert len(blocks) == 1
    flags.button("Hoist eight")
    flags.says("8 flags")
    flags.no_longer("Rope too short")


def test_hundreds_of_stations_are_drawn_as_far_as_they_are_seen(page: Page, tmp_path: Path) -> None:
    file = tmp_path / "cell.json"
    file.write_text(export_text(generated_cell(256)), encoding="utf-8")
    page.go("/plants")
    page.says("Import a file")
    page.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(file))
    page.says("Generated plant")
    page.click("nav a", "Networks")
    page.says("275 stations", "512 exchanges", "packets/s", "256 of 256 connections")
    # A comb of 275 is wider than there is room: what is seen is drawn, and the rest is to the right.
    assert 20 < len(page.all("[role=option]")) < 150
    assert 20 < len(page.all("tbody tr")) < 80
    assert "S255" not in stations(page)

    # Whatever is chosen comes into view, in the comb and in the table.
    page.keys("/")
    page.keys("S255")
    page.keys(Keys.ENTER)
    page.wait(lambda: "S255" in stations(page), lambda: f"S255 is not in view: {stations(page)}")
    page.wait(lambda: any("S255" in row.text for row in page.all("tbody tr.chosen")))
    assert len(page.all("[role=option]")) < 150

    # The same time while it is silent costs nobody else anything.
    page.button("S255 silent")
    page.says("nobody else is later for it")


def test_a_serial_line_while_one_station_is_silent(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Burner")
    page.click("[role=option]", "Moisture 3")
    page.wait(lambda: not page.all("rect.time-out"))
    page.button("Moisture 3 silent")
    # Its time-out of 30 ms stands in the drawing, and the meter behind it is told by how much it is late.
    page.says("Moisture 4, Malt 4: 110.4 ms late")
    assert len(page.driver.find_elements(By.CSS_SELECTOR, "rect.time-out")) == 1
    page.button("Moisture 3 silent")
    page.no_longer("110.4 ms late")


def test_what_is_free_is_named_where_it_stands_and_found_by_its_reference(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.wait(lambda: page.find("input[role=combobox]")).send_keys("40103")
    page.says("exchange of Humidifier")
    page.keys(Keys.ENTER)
    free = "//button[@data-free][contains(., 'name it: 40103')]"
    page.press(lambda: page.driver.find_element(By.XPATH, free), "name it")
    page.keys("7 wrong", Keys.ENTER)
    page.says("is no")
    page.keys(Keys.CONTROL, "a")
    page.keys("Spare40103", Keys.ENTER)
    page.wait(lambda: page.find("td a", "Spare40103"))
    page.says("Undo Add signal Spare40103")
    # From the filter Enter goes to the row it left, and a station that is switched off is said so.
    page.click("nav a", "Signals")
    page.enter(".tools input", "Spare40103")
    page.keys(Keys.ENTER)
    page.wait(lambda: page.driver.execute_script("return document.activeElement.className").startswith("grid"))
    page.says("Spare40103", "UINT")
    page.find("input[role=combobox]").send_keys("compressor")
    page.says("station 10.20.9.21")
    page.keys(Keys.ENTER)
    page.tick("Switched off")
    page.says("Compressor is switched off", "NET-130")
