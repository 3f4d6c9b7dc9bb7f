"""A structure from its declaration to its variables, their links, and the files that go out and come in."""

from __future__ import annotations

from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.browser.test_lists import named, read
from tests.server.running import RunningServer, Visitor


def typed(page: Page, label: str, text: str) -> None:
    field = page.find(f"[aria-label='{label}']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(text)


def test_a_structure_is_declared_used_changed_and_put_together_in_the_grid(page: Page, server: RunningServer) -> None:
    page.go("/p/skelder/signals")
    page.button("Structures")
    page.says("MaltRecipe", "HALL.Recipes")
    page.button("New structure")
    page.find("label.name input").send_keys("PumpData")
    for n, (name, kind) in enumerate((("Runs", "BOOL"), ("Hours", "UDINT")), start=1):
        typed(page, f"Name of member {n}", name)
        typed(page, f"Type of member {n}", kind)
    page.button("Declare it")
    page.says("Undo Declare PumpData", "There is none yet.")
    page.find("form input.mono").send_keys("WellPumps")
    page.enter("form input[type=number]", "2")
    page.button("Add the array")
    page.says("HALL.WellPumps", "1 variable")
    assert {n for n in named(server, "skelder") if n.startswith("WellPumps")} == {
        "WellPumps[1].Runs", "WellPumps[1].Hours", "WellPumps[2].Runs", "WellPumps[2].Hours",
    }  # fmt: skip
    # A member renamed and another type for one, a third beside them: in each of the variables.
    typed(page, "Name of member 2", "Starts")
    typed(page, "Name of member 3", "Load")
    typed(page, "Type of member 3", "REAL")
    page.button("Change it and 1 variable")
    page.says("Undo Structure PumpData")
    page.wait(lambda: "WellPumps[2].Load" in named(server, "skelder"))
    assert "WellPumps[1].Hours" not in named(server, "skelder")
    page.go("/p/skelder/signals")
    page.says("linked")
    page.find("[aria-label='Put together'] option[value=variable]").click()
    page.says("HALL.WellPumps", ": ARRAY[1..2] OF PumpData", "[1].Runs")
    page.button("Fold all")
    page.wait(lambda: not page.all(".line:not(.new)"))
    page.says("single signals")
    page.click(".head button", "HALL.WellPumps")
    page.wait(lambda: len(page.all(".line:not(.new)")) == 6)
    page.find(".grid").send_keys(Keys.HOME, Keys.ALT, Keys.ARROW_LEFT)
    page.wait(lambda: not page.all(".line:not(.new)"))


def test_a_file_that_went_out_is_edited_read_in_and_taken(page: Page, server: RunningServer, tmp_path: Path) -> None:
    text = Visitor(server.url).download("plants/skelder/signals.csv").decode("utf-8-sig")
    edited = text.replace("Level tank 1", "Level of tank 1").replace("HALL,Tank2Full", "HALL,9Lives")
    file = tmp_path / "edited.csv"
    file.write_text(edited, encoding="utf-8")
    page.go("/p/skelder/signals")
    page.button("Read in")
    page.says("Drop a file of signals here")
    read(page, file)
    page.says("1 line cannot be taken", "begins with a digit", "HALL.Tank1Level", "Level of tank 1", "Take 1 signal")
    page.button("Take 1 signal")
    page.says("done. Undo takes it back.")
    assert named(server, "skelder")["Tank1Level"]["note"] == "Level of tank 1"
    page.button("Undo")
    page.wait(lambda: named(server, "skelder")["Tank1Level"]["note"] == "Level tank 1")
    # What an event is missed by, and what two signals come to together, stands with the path.
    page.go("/p/skelder/signals")
    page.enter(".tools input", "TurnerLimit1")
    page.click("[role=row]", "TurnerLimit1")
    page.find(".grid").send_keys(" ")
    page.says("Sees events from", "counts to")
    page.driver.find_element(By.CSS_SELECTOR, ".insights .other").send_keys("Bed1SprayValve", Keys.ENTER)
    page.says("from input to output")
