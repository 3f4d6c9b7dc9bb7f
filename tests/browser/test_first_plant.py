"""The whole way, as a newcomer goes it: from an empty rail to live values, undo, and everything still there."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page
from tests.server.running import RunningServer


def rail_order(page: Page) -> list[str]:
    labels = [e.get_attribute("data-label") or "" for e in page.all(".rail .module")]
    return [label.split(": ")[1].split(",")[0] for label in labels]


def test_from_an_empty_rail_to_live_values(page: Page, server: RunningServer) -> None:
    page.go("/plants")
    page.enter("form input", "Test mill")
    page.button("Start it")

    # Hardware: a controller, modules by keyboard, the supply going short and mended.
    page.says("No controller yet")
    page.button("Add a controller")
    page.field("Name").send_keys("MILL")
    page.field("IP address").send_keys("10.1.0.256")
    page.button("Add it")
    page.says("10.1.0.256", "is not an IPv4 address")
    page.enter("form input.mono", "10.1.0.1")
    page.button("Add it")
    page.says("TF-42, firmware 3.4", "8 slots")
    page.click(".rail")
    for wanted in ("di-16", "do-16", "ai-8", "ai-8", "ai-8", "ai-8"):
        page.find(".rail").send_keys("i")
        page.keys(wanted)
        page.says("If: Insert")
        page.keys(Keys.ENTER)
        page.no_longer("If: Insert")
    page.wait(lambda: rail_order(page).count("AI-8") == 4)
    page.find(".rail").send_keys("i")
    page.keys("ai-8")
    page.says("crosses its limit of 0 mA", "Internal supply short")
    page.keys(Keys.ENTER)
    page.says("1 to mend")
    page.button("Insert a feed-in before it")
    page.wait(lambda: "FI-12" in rail_order(page))
    page.wait(lambda: "goes short" not in page.body())

    # Undo says what it will undo, and redo brings it back.
    page.find(".rail").send_keys(Keys.CONTROL, "z")
    page.wait(lambda: "FI-12" not in rail_order(page))
    page.button("Redo")
    page.wait(lambda: "FI-12" in rail_order(page))

    # Networks: a generic device with an exchange; its octets with the padding the controller adds.
    page.click("nav a", "Networks")
    page.button("Add a network")
    page.button("Add it")
    page.button("Add a station")
    page.field("Address")
    page.button("Add it")
    page.says("10.1.0.2")
    name = page.field("Name")
    name.send_keys("Measured")
    page.field("From reference").send_keys(Keys.CONTROL, "a")
    page.field("From reference").send_keys("40101")
    page.field("Count").send_keys(Keys.CONTROL, "a")
    page.field("Count").send_keys("9")
    page.field("Period").send_keys(Keys.CONTROL, "a")
    page.field("Period").send_keys("0,2 s")
    page.button("Add it")
    page.says(
        "read 9 registers",
        "40101",
        "= 100",
        "200",
        "2 octets of padding, because MILL aligns data to 4",
        "status bit",
        "none until named",
    )

    # Signals: a run with a counting pattern on the registers, one scaled analogue signal.
    page.click("nav a", "Signals")
    page.button("Add signals")
    page.field("Name or pattern").send_keys("Skid{n}Word")
    page.field("How many").send_keys(Keys.CONTROL, "a")
    page.field("How many").send_keys("3")
    page.fill("Type", "UINT")
    page.choose("Linked to", "Station 1: Measured")
    page.says("makes Skid1Word, Skid2Word, Skid3Word")
    page.click("form button", "Add")
    page.says("Skid3Word", "in, octets")
    page.button("Add signals")
    page.field("Name or pattern").send_keys("Level")
    page.fill("Type", "REAL")
    linked = Select(page.field("Linked to"))
    linked.select_by_visible_text(next(o.text for o in linked.options if "AI-8" in o.text))
    page.click(".check input")
    page.click("form button", "Add")
    page.says("Level", "0 … 100")
    page.find(".grid").send_keys(" ")
    page.says("Path of")

    # Live: the bench with real octets; the cable pulled and plugged back.
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("running for", "1 station answers", "times")
    page.click(".line button", "Station 1")
    page.button("Pull its cable")
    page.says("no answer within 1000 ms", "1 with faults", "last known")
    page.button("Plug it back")
    page.wait(lambda: "1 with faults" not in page.body() and "no answer" not in page.body())

    # Everything is there after the server was stopped and started.
    address = page.driver.current_url.replace(server.url, "").rsplit("/", 1)[0]
    server.stop()
    page.says("Connection lost at")
    server.start()
    page.no_longer("Connection lost at")
    page.go(f"{address}/hardware")
    page.wait(lambda: rail_order(page).count("AI-8") == 5 and "FI-12" in rail_order(page))
    page.button("revision")
    page.says("History", "Insert a feed-in before it", "Add controller MILL")


def test_modules_are_dragged_onto_the_rail_and_along_it(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.wait(lambda: len(rail_order(page)) == 16)
    rail = page.find(".rail")
    page.drag(page.find("ul[aria-label='Module types'] li", "SER-2"), rail, 96)
    page.wait(lambda: rail_order(page)[0] == "SER-2")
    # The last open place went, and nothing else.
    assert rail_order(page)[1:12] == [
        "DI-16",
        "DI-16",
        "DO-16",
        "AI-8",
        "AI-4T",
        "SI-8",
        "FI-12",
        "AO-4",
        "SI-8",
        "SO-4",
        "SER-2",
    ]
    last = page.all(".rail .module")[10]
    page.drag(last, rail, 96)
    page.wait(lambda: rail_order(page)[0] == "SO-4")
    page.driver.find_element("css selector", "body").send_keys(Keys.CONTROL, "z")
    page.wait(lambda: rail_order(page)[0] == "SER-2")


def test_two_tabs_see_each_other(page: Page) -> None:
    driver = page.driver
    page.go("/p/skelder/signals")
    page.says("Tank1Full")
    first = driver.current_window_handle
    driver.switch_to.new_window("tab")
    page.go("/p/skelder/signals")
    page.says("Tank1Full")
    page.click(".line", "Tank1Full")
    page.find(".grid").send_keys(Keys.ENTER)
    page.keys(Keys.CONTROL, "a")
    page.keys("TankOneFull", Keys.ENTER)
    page.says("TankOneFull")
    driver.switch_to.window(first)
    page.says("TankOneFull")


def test_a_module_more_on_a_remote_rail_is_asked_for(page: Page) -> None:
    """The coupler's registers grow with its rail; what brings them is lengthened from the finding."""
    page.go("/p/skelder/hardware")
    page.click("button", "Well house")
    page.wait(lambda: len(rail_order(page)) == 4)
    page.find(".rail").send_keys(Keys.END)
    page.find(".rail").send_keys("i")
    page.keys("di-16")
    page.says("If: Insert")
    page.keys(Keys.ENTER)
    page.wait(lambda: rail_order(page).count("DI-16") == 2)
    page.click("nav a", "Networks")
    page.says("Inputs that nobody reads", "input register 30010")
    page.button("Lengthen Rail in to 10 registers")
    page.says("read 10 registers")
    page.no_longer("Inputs that nobody reads")


def test_a_serial_line_from_the_port_to_what_the_wire_shows(page: Page) -> None:
    """A line on the card's port, a station, its time; then the demo's line with a meter set otherwise."""
    page.go("/p/skelder/networks")
    page.button("Add a network")
    page.choose("Fieldbus", "Modbus RTU")
    port = Select(page.field("On port"))
    assert any("KILN S, carries Burner" in option.text for option in port.options)
    port.select_by_visible_text("HALL -K9 1")
    page.field("Name").send_keys("Scales")
    page.button("Add it")
    page.says("Modbus RTU on HALL -K9 1", "No station on this network yet")
    page.button("Add a station")
    page.field("Address")
    page.button("Add it")
    page.field("Count").send_keys(Keys.CONTROL, "a")
    page.field("Count").send_keys("4")
    page.button("Add it")
    # 8 + 13 characters of 0.572917 ms, 5 ms of thinking, 3.5 characters of silence; one end still open.
    page.says("read 4 registers", "19.04 ms", "End of the line without its resistor", "line busy")
    page.button("Put its resistor in")
    page.no_longer("End of the line without its resistor")
    page.click("nav button", "Burner")
    page.says("42.5 %", "107.3 ms", "cable 48 m of 1000", "10 of 32 unit loads")
    page.click("nav a", "Live")
    page.button("Download and run")
    page.says("Moisture 3", "no answer within 30 ms", "framing errors", "9 with faults")


def test_the_right_order_of_octets_is_picked_from_what_came(page: Page) -> None:
    """32-bit values in four orders from the last octets; a click takes another one, and undo takes it back."""
    page.go("/p/skelder/live")
    page.button("Download and run")
    page.says("running for")
    page.click("nav a", "Networks")
    # 4123 hours stand as 00 00 10 1B.
    page.says("Four orders, one right", "● 4123", "270 204 928".replace(" ", "\u202f"))
    page.click("table button", "6928")
    page.says("● 6928")
    page.button("Undo Read HumidifierHours")
    page.says("● 4123")


def test_the_address_plan_shows_whose_is_what_and_where_there_is_room(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.button("Address plan")
    page.says("10.20.9.0/24", "Burner, 1–247", "250 free", "room for 1 from 10.20.9.2")
    page.enter("input[type=number]", "20")
    # 18 from .2 to .19 are too few: the block lies behind the stations.
    page.says("room for 20 from 10.20.9.23", "18 from 10.20.9.2", "room for 20 from 15")
    page.click("svg[aria-label='Addresses of 10.20.9.0/24'] .cell", "WH")
    page.says("10.20.9.22")
    page.button("Well house")
    page.says("Modbus TCP on HALL B", "Reply delay")
