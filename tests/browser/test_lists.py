"""The list from design taken issue by issue; cells to and from the clipboard of a spreadsheet."""

from __future__ import annotations

from pathlib import Path

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.paths import DEMO
from tests.server.running import RunningServer, Visitor

# As a spreadsheet puts a block of cells: tabs, CR LF, a quoted cell with a line in it, an empty row's end.
BLOCK = 'Trough1Depth\tREAL\tm\t"first\r\nsecond line"\r\nTrough2Depth\tREAL\tm\t"a ""big"" one"\r\n'


def named(server: RunningServer, plant: str) -> dict[str, dict[str, object]]:
    return {row["name"]: row for row in Visitor(server.url).call("GET", f"plants/{plant}")["rows"]["signals"]}


def put(page: Page, text: str) -> None:
    """Something else was copied elsewhere."""
    page.driver.execute_cdp_cmd(
        "Browser.grantPermissions", {"permissions": ["clipboardReadWrite", "clipboardSanitizedWrite"]}
    )
    page.driver.execute_async_script("navigator.clipboard.writeText(arguments[0]).then(arguments[1])", text)


def held(page: Page) -> str:
    return str(page.driver.execute_async_script("navigator.clipboard.readText().then(arguments[0])"))


def read(page: Page, file: Path) -> None:
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(file))


def test_the_next_issue_is_taken_line_by_line_in_one_step(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals")
    page.button("I/O list")
    page.says("skelder_io_a.xlsx", "190", "10 lines")
    read(page, DEMO / "inbox" / "skelder_io_b.csv")
    page.says("204 lines", "18 open", "3 lines not taken", "both changed")
    page.button("3 lines not taken")
    page.says("rows 203, 204", "The tag stands in several lines.", "The line has no tag.")
    grid = page.find(".grid")
    # What was changed on both sides stands first: it is left, and the next one taken.
    grid.send_keys(Keys.BACKSPACE, Keys.ENTER)
    page.says("Take 1, leave 1")
    page.enter(".tools input", "kind:renamed")
    page.wait(lambda: len(page.all(".line")) == 2)
    # The one is the same signal under another tag; the other is not, and so one comes and one goes.
    grid.send_keys(Keys.HOME, Keys.ENTER, Keys.BACKSPACE)
    page.enter(".tools input", "30-XS-012E | 30-XS-002E")
    page.wait(lambda: sorted(row.text.split()[0] for row in page.all(".line")) == ["gone", "new"])
    page.enter(".tools input", " ")
    page.button("undisputed")
    page.says("0 open")
    before = named(server, "skelder")
    page.button("Take 18, leave 1")
    page.says("Nothing differs")
    after = named(server, "skelder")
    assert after["KilnDraught"]["note"] == "Draught, seen from the loft"
    assert after["Elevator1Running"]["tag"] == "30-XS-011E"
    assert {"Elevator2Running", "SteepHeater2", "WellLamp2"} == set(before) - set(after)
    assert {"T30_XS_012E", "T10_QT_001", "T10_QT_002", "T10_QT_003"} == set(after) - set(before)
    assert after["AirOnTemp1"]["note"] == "=Air-on temperature, left"
    page.find("h1").click()
    page.find("body").send_keys(Keys.CONTROL, "z")
    page.says("both changed")
    assert named(server, "skelder") == before


def test_a_block_of_a_spreadsheet_is_pasted_and_copied_back(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals")
    page.find(".line", "Tank1Full")
    put(page, BLOCK)
    page.find(".grid").send_keys(Keys.CONTROL, Keys.END)
    page.find(".new.chosen")
    page.find(".grid").send_keys(Keys.CONTROL, "v")
    page.wait(lambda: "Trough2Depth" in named(server, "skelder"))
    made = named(server, "skelder")
    assert (made["Trough1Depth"]["type"], made["Trough1Depth"]["unit"]) == ("REAL", "m")
    assert made["Trough1Depth"]["note"] == "first\r\nsecond line".replace("\r\n", "\n")
    assert made["Trough2Depth"]["note"] == 'a "big" one'
    # Over cells that are there: a column of units, from the cursor down.
    page.enter(".tools input", "depth")
    page.wait(lambda: len(page.all(".line:not(.new)")) == 2)
    page.click(".line [data-column=unit]", "m")
    put(page, "mm\r\ncm\r\n")
    page.find(".grid").send_keys(Keys.CONTROL, "v")
    page.wait(lambda: [named(server, "skelder")[f"Trough{n}Depth"]["unit"] for n in (1, 2)] == ["mm", "cm"])
    page.find(".grid").send_keys(Keys.HOME, Keys.SHIFT, Keys.ARROW_DOWN, Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    page.find(".grid").send_keys(Keys.CONTROL, "c")
    page.wait(lambda: held(page) == "REAL\t\tmm\r\nREAL\t\tcm")
    page.find(".grid").send_keys(Keys.CONTROL, "z")
    page.wait(lambda: [named(server, "skelder")[f"Trough{n}Depth"]["unit"] for n in (1, 2)] == ["m", "m"])
