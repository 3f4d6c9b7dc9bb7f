"""A little program: written with what its margin says, seen running, stopped by a fault and started again."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.browser.test_lists import named
from tests.server.running import RunningServer, Visitor


def write(page: Page, *lines: str) -> None:
    """Instead of what is there; what completes a name by itself stays away."""
    text = page.find(".cm-content")
    text.click()
    text.send_keys(Keys.CONTROL, "a")
    for n, line in enumerate(lines):
        text.send_keys(*([Keys.ENTER] if n else []), line, Keys.ESCAPE)


def values(page: Page) -> list[str]:
    """Those beside the lines, in order."""
    return [one.get_attribute("data-says") or "" for one in page.all(".st-values b")]


def download(page: Page) -> None:
    page.go("/p/skelder/live")
    page.button("Download")
    page.says("running for")
    page.go("/p/skelder/signals/programs")


def program(server: RunningServer, name: str) -> dict[str, str]:
    rows = Visitor(server.url).call("GET", "plants/skelder")["rows"]["programs"]
    found: dict[str, str] = next(row for row in rows if row["name"] == name)
    return found


def test_a_program_is_mended_by_its_margin_runs_and_follows_a_rename(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals/programs")
    page.says("Heartbeat", "no faults")
    page.find("button[aria-label='New program in KILN']").click()
    page.says("Undo Add a program")
    page.wait(lambda: page.find("label + .entry input").get_attribute("value") == "Program1")
    write(page, "Conveyor1Run := PaletSeen1;", "Conveyor2Run = NOT Conveyor1Run")
    # The second line cannot be read at all: until it can, the first one's name is not looked at.
    page.says("2:14", "A value is given by")
    assert len(page.all(".finding.error")) == 1
    page.button("Write “:=” for “=”")
    page.says("a semicolon may be missing")
    page.find(".cm-content").send_keys(Keys.CONTROL, Keys.END)
    page.find(".cm-content").send_keys(";")
    page.says("1:17", "PaletSeen1 is not known here.")
    page.button("Write “PalletSeen1” for “PaletSeen1”")
    page.says("no faults", "Undo Text of Program1")
    page.wait(lambda: program(server, "Program1")["text"].startswith("Conveyor1Run := PalletSeen1;"))
    page.no_longer("Program that cannot be translated")
    download(page)
    page.click("nav button", "Program1")
    page.wait(lambda: values(page) in (["0", "0", "1", "0"], ["1", "1", "0", "1"]), lambda: str(values(page)))
    # By whatever way a signal is called otherwise, the text says so.
    signal = named(server, "skelder")["Conveyor1Run"]["id"]
    other, edit = Visitor(server.url), {"kind": "set", "ids": [signal], "values": {"name": "FirstConveyor"}}
    base = other.call("GET", "plants/skelder")["revision"]
    body = {"base": base, "client": "other", "client_key": "c1", "label": "rename", "edit": edit}
    other.call("POST", "plants/skelder/edits", body)
    page.wait(lambda: "FirstConveyor := PalletSeen1;" in page.find(".cm-content").text)
    page.go(f"/p/skelder/signals/{signal}")
    page.says("KILN.FirstConveyor")
    page.find(".grid").send_keys(" ")
    page.says("Program1", "reads it in line", "writes it in line")
    page.find("button[aria-label='line 2']").click()
    page.says("Programs", "NOT FirstConveyor")


def test_a_program_that_cannot_go_on_stops_its_controller_until_it_is_mended(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals/programs")
    page.click("nav button", "Beat")
    page.says("SteepLamp4")
    write(page, "VAR n, none : INT; END_VAR", "n := n + 1;", "IF n > 100 THEN n := n / none; END_IF;")
    page.says("no faults", "Undo Text of Beat")
    download(page)
    page.click("nav button", "Beat")
    page.says("STEEP has stopped", "line 3", "A division by zero.")
    page.wait(lambda: page.all(".st-stopped"))
    page.says("stopped")
    # Those of the other controllers go on.
    page.click("nav button", "Pallets")
    page.wait(lambda: page.all(".st-values b"))
    page.no_longer("has stopped")
    page.click("nav button", "Beat")
    write(page, "VAR n : INT; END_VAR", "n := n + 1000;")
    page.says("Undo Text of Beat")
    page.button("Save")
    page.wait(lambda: "1000" in program(server, "Beat")["text"])
    page.button("Download again")
    page.no_longer("STEEP has stopped")
    # What leaves its type wraps, and is marked in its line.
    page.wait(lambda: page.all(".finding.warning"))
    assert page.find(".finding.warning").get_attribute("aria-label").startswith("Overflow or invalid result here")
