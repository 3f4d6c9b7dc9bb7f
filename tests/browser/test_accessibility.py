"""Every main view, in both themes, against axe-core's rules of WCAG: no violation."""

from __future__ import annotations

from collections.abc import Iterator

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.paths import DEMO, ROOT

AXE = (ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text(encoding="utf-8")
# One line a node: the rule, the node's own markup, and what about it.
RUN = """
const done = arguments[arguments.length - 1];
axe.run(document, {resultTypes: ['violations']}).then((told) => done(told.violations.flatMap((v) =>
  v.nodes.map((n) => `${v.id} · ${n.target.join(' ')} · ${n.html.slice(0, 160)} · ` +
    [...n.any, ...n.all, ...n.none].map((c) => c.message).join(' | ')))));
"""


def violations(page: Page) -> list[str]:
    """What axe finds on the page as it stands, in either theme."""
    driver = page.driver
    if not driver.execute_script("return typeof axe === 'object'"):
        driver.execute_script(AXE)
    found = []
    for theme in ("light", "dark"):
        driver.execute_script("document.documentElement.dataset.theme = arguments[0]", theme)
        found += [f"{theme} · {line}" for line in driver.execute_async_script(RUN)]
    driver.execute_script("document.documentElement.dataset.theme = 'light'")
    return found


def hardware(page: Page) -> Iterator[str]:
    page.go("/")
    page.says("Skelder")
    yield "plants"
    page.go("/p/skelder/hardware")
    page.find(".rail .module")
    page.says("Open in Hardware")
    yield "hardware"
    page.click(".rail .module[data-label$='-K4']")
    page.says("Tank1Level")
    yield "a module chosen"
    # Behind the feed-in no room is left.
    page.click(".rail .module[data-label$='-K6']")
    page.find(".rail").send_keys("i")
    page.keys("ai-8")
    page.says("crosses its limit")
    yield "a pending edit"
    page.keys(Keys.ESCAPE)
    page.click(".rail .module[data-label$='-K4']")
    page.button("Channels of -K4")
    page.button("Wiring")
    yield "channels and wiring"
    page.go("/p/skelder/hardware")
    page.find(".rail .module")
    page.find("body").send_keys("/")
    page.keys("tank1")
    page.find("#found [role=option]")
    yield "the finder"
    page.go("/p/skelder/hardware")
    page.find(".rail .module")
    page.find("body").send_keys("?")
    page.says("Keys")
    yield "the keys"
    page.go("/p/skelder/hardware")
    page.button("revision")
    page.says("History")
    yield "history"


def catalogue(page: Page) -> Iterator[str]:
    page.go("/p/skelder/networks")
    page.button("From the catalogue")
    page.says("Modbus TCP server")
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(ROOT / "demo" / "inbox" / "em310.gsd"))
    page.says("taken in")
    yield "catalogue"
    page.find(".list").send_keys("]")
    page.says("Energy exported")
    yield "a type's facts"


def networks(page: Page) -> Iterator[str]:
    for name, text in (("Utilities", "read 9 registers"), ("Burner", "42.5 %"), ("Hall cell", "Weigh head")):
        page.go("/p/skelder/networks")
        page.click("nav button", name)
        page.says(text)
        yield name
    page.click("[role=option]", "Weigh head")
    page.says("430 packets/s")
    yield "a station chosen"
    page.click("nav button", "Steep house")
    page.click("[role=option]", "Drain I/O")
    page.says("A rotation to scale")
    page.click("button.parameter", "T_SL")
    page.says("Slot time")
    yield "segments and a rotation"
    page.click("nav button", "Bagging")
    page.click("[role=option]", "Bagging I/O")
    page.says("Arrives at worst after", "Records, written when it connects")
    yield "names, phases and records"
    page.go("/p/skelder/networks/between")
    page.says("HALL asks every 200 ms over House")
    yield "between controllers"
    page.go("/p/skelder/networks/addresses")
    page.says("10.20.")
    yield "addresses"
    page.go("/p/skelder/networks")
    page.click("[role=option]", "Humidifier")
    # The form beside is whole once it tells how many more there is room for.
    page.says("Room for")
    page.button("Replicate")
    page.says("What it takes")
    yield "replicate"


def signals_and_live(page: Page) -> Iterator[str]:
    page.go("/p/skelder/signals")
    page.enter(".tools input", "humid")
    page.click(".line", "HumidifierHumidity")
    page.find(".grid").send_keys(" ")
    page.says("Path of HumidifierHumidity")
    yield "signals"
    page.button("Columns")
    page.button("Rename")
    yield "signals, with what opens there"
    page.find("[aria-label='Put together'] option[value=variable]").click()
    page.says("single signals")
    yield "signals, put together"
    page.go("/p/skelder/signals/structures")
    page.says("HALL.Recipes")
    yield "structures"
    page.go("/p/skelder/signals/programs")
    page.says("Heartbeat", "no faults")
    page.find(".cm-content").send_keys(Keys.CONTROL, Keys.END)
    page.find(".cm-content").send_keys("Lamp := 1;", Keys.ESCAPE)
    page.says("Lamp is not known here.")
    yield "a program with a fault"
    page.says("Undo Text of Service")
    page.button("Undo")
    page.go("/p/skelder/signals/image")
    page.says("Process image", "%IX0.7")
    yield "process image"
    page.go("/p/skelder/signals/files")
    page.says("Drop a file of signals here")
    yield "signals from a file"
    page.go("/p/skelder/signals/list")
    page.says("skelder_io_a.xlsx")
    yield "lists"
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(DEMO / "inbox" / "skelder_io_b.csv"))
    page.says("both changed")
    page.button("columns known")
    page.find(".grid").send_keys(Keys.ENTER, Keys.BACKSPACE)
    yield "an issue of a list"
    page.go("/p/skelder/live")
    page.says("Download and run")
    yield "live before it runs"
    page.button("Download and run")
    page.says("running for")
    page.click(".line button.name", "Humidifier")
    page.says("Pull its cable")
    yield "live"
    page.go("/p/skelder/signals/programs")
    page.wait(lambda: page.all(".st-values b"))
    yield "a program that runs"
    page.go("/p/skelder/live")
    page.click("nav.scans button", "Hall cell")
    page.click("main button", "Scan")
    page.says("a device of its type does at 10.20.4.59.")
    yield "a scan"
    for stage in ("safety", "handover"):
        page.go(f"/p/skelder/{stage}")
        page.find("main")
        yield stage


def safety(page: Page) -> Iterator[str]:
    page.go("/p/skelder/safety")
    page.says("Turner aisle", "figures reach")
    page.button("Add a sensor")
    page.click("summary", "Written out")
    page.says("SF_EmergencyStop")
    yield "safety: a function"
    page.go("/p/skelder/safety/pairs")
    page.says("of 50 ms: passes")
    yield "safety: pairs"
    page.go("/p/skelder/safety/scanners")
    page.click("[aria-label='Draw zone D']")
    page.says("by points", "answers within")
    yield "safety: scanners"
    page.button("Add what stands there")
    page.says("Points, mm")
    yield "safety: what stands around a scanner"
    page.button("Signals …")
    page.click("[aria-label='In the device'] button", "Compare")
    page.click("[aria-label='In the device'] button", "Reset it")
    page.says("Make the signals", "As if its reset was pressed")
    yield "safety: a scanner's signals and its device"
    page.click("[aria-label='In the device'] button", "Send …")
    page.says("Factory password")
    yield "safety: sending to a scanner"


def motion(page: Page) -> Iterator[str]:
    for name, words in (
        ("LIFT", "Torque at the motor"),
        ("DISPENSER", "Which wires are a coil"),
        ("PICKER", "What its type asks"),
    ):
        page.go("/p/skelder/motion")
        page.click("ul[aria-label=Axes] button", name)
        page.says(words)
        yield f"motion: {name}"
    page.button("Side by side")
    page.says("set on all axes")
    yield "side by side"
    page.button("Add a robot")
    page.says("Arm 3")
    yield "a new robot"


def test_nobody_is_kept_out_of_any_view(page: Page) -> None:
    found = [
        f"{view} · {line}"
        for walk in (hardware, catalogue, networks, signals_and_live, motion, safety)
        for view in walk(page)
        for line in violations(page)
    ]
    assert not found, f"{len(found)} violations:\n" + "\n".join(found)
