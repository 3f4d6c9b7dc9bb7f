"""Editing on the screen: trying out, refusing, losing the connection, looking back."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.server.running import RunningServer, Visitor


def note_of(server: RunningServer, name: str) -> str:
    rows = Visitor(server.url).call("GET", "plants/skelder")["rows"]["signals"]
    return str(next(r for r in rows if r["name"] == name)["note"])


def test_typing_tries_out_enter_commits_escape_drops_and_a_refusal_stands_beside_the_field(page: Page) -> None:
    page.go("/p/skelder/networks")
    page.click("tbody tr", "Measured")
    field = page.field("Period")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("0,1 s")
    page.says("If: Period: 0,1 s", "Busiest station, Utilities", "Slower than asked")
    field.send_keys(Keys.ESCAPE)
    page.no_longer("If: Period")
    assert field.get_attribute("value") == "200"
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("0", Keys.ENTER)
    page.says("Period 0 ms is below 1 ms.")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("16#64 ms", Keys.ENTER)
    page.wait(lambda: page.field("Period").get_attribute("value") == "100")
    page.says("Undo Utilities, Humidifier, Meas")


def test_an_edit_made_while_the_server_is_away_is_kept_and_saved_when_it_is_back(
    page: Page, server: RunningServer
) -> None:
    page.go("/p/skelder/signals")
    page.click(".line", "Tank1Full")
    page.says("Response asked")
    server.kill()
    note = page.field("Note")
    note.send_keys(Keys.CONTROL, "a")
    note.send_keys("written in the dark")
    page.click(".grid")
    page.says("Connection lost at", "1 not saved yet")
    server.start()
    page.no_longer("not saved yet")
    page.no_longer("Connection lost")
    assert note_of(server, "Tank1Full") == "written in the dark"


def test_an_earlier_revision_is_looked_at_and_made_the_present(page: Page) -> None:
    page.go("/p/skelder/signals")
    page.click(".line", "Tank1Full")
    page.find(".grid").send_keys(Keys.DELETE)
    page.wait(lambda: not page.all(".line", "Tank1Full"))
    page.button("revision")
    page.says("History", "Remove Tank1Full")
    page.click("tbody tr:last-child button", "Look at it")
    page.says("Revision 1, as it was.")
    page.find(".line", "Tank1Full")
    page.button("Make it the present")
    page.no_longer("as it was")
    page.find(".line", "Tank1Full")
    page.button("revision")
    page.says("Restore revision 1")


def test_a_conflict_keeps_both_values_until_one_is_chosen(page: Page, server: RunningServer) -> None:
    # Deafen this tab, so that it edits on the older revision.
    page.driver.execute_cdp_cmd("Network.enable", {})
    page.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*/api/stream*"]})
    page.go("/p/skelder/signals")
    page.click(".line", "Tank2Full")
    page.says("Response asked")
    visitor = Visitor(server.url)
    plant = visitor.call("GET", "plants/skelder")
    signal = next(r for r in plant["rows"]["signals"] if r["name"] == "Tank2Full")
    edit = {"kind": "set", "ids": [signal["id"]], "values": {"name": "Theirs"}}
    body = {"base": plant["revision"], "client": "other", "client_key": "c1", "label": "rename", "edit": edit}
    visitor.call("POST", "plants/skelder/edits", body)
    page.find(".grid").send_keys(Keys.ENTER)
    page.keys(Keys.CONTROL, "a")
    page.keys("Mine", Keys.ENTER)
    page.says("somebody else changed the same thing meanwhile", "Theirs", "Mine", "demo, r2")
    page.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
    page.button("Use mine")
    page.find(".line", "Mine")
    assert not page.all(".line", "Theirs")


def test_nothing_is_dead_in_a_stage_that_is_not_built_yet(page: Page) -> None:
    page.go("/p/skelder/handover")
    page.says("This stage is not built yet", "What will be done here")
    assert not page.all("main button")
    page.go("/p/nobody/hardware")
    page.says("There is nothing here, or nothing for you.")
