"""The demo's two issues: the first changes nothing in the plant that was made of it, the second differs in each way."""

from __future__ import annotations

from collections import Counter

from highmoor.core.demo.plant import demo_plant
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.lists.comparing import compare
from highmoor.core.project.lists.proposing import proposal
from highmoor.intake.sheets import Sheet, read_sheet
from tests.core.plants import BUILTIN, built
from tests.paths import DEMO


def issue(plant: Plant, sheet: Sheet, name: str) -> edits.ListIssue:
    found = proposal(plant, sheet.rows)
    return edits.ListIssue(
        of=found.of.id if found.of else None,
        name=name,
        controller=plant.all(Controller)[0].id,
        headings=[edits.ListHeading(text=one.text, key=one.key) for one in found.headings],
        rows=[edits.ListRow(row=row, cells=list(cells)) for row, cells in found.rows],
    )


def test_the_first_issue_changes_nothing_and_the_second_differs_in_each_way() -> None:
    plant = demo_plant()
    first = read_sheet((DEMO / "inbox" / "skelder_io_a.xlsx").read_bytes())
    told = compare(plant, issue(plant, first, "a"))
    # Two texts changed by hand since, ten lines of reserve left.
    assert (told.differences, told.refused, told.kept) == ([], [], 12)
    second = read_sheet((DEMO / "inbox" / "skelder_io_b.csv").read_bytes())
    told = compare(plant, issue(plant, second, "b"))
    assert Counter((one.kind, one.both) for one in told.differences) == {
        ("changed", True): 1, ("changed", False): 10, ("renamed", False): 2, ("new", False): 3, ("gone", False): 2,
    }  # fmt: skip
    assert [(len(one.rows), one.reason) for one in told.refused] == [
        (2, "The tag stands in several lines."),
        (1, "The line has no tag."),
    ]
    level = next(one for one in told.differences if one.tag == "10-LT-001")
    assert (level.column, level.old, level.new, level.name) == ("range", "0 … 3.2", "0 … 3.5", "Tank1Level")
    wanted = edits.TakeList(**issue(plant, second, "b").model_dump(), taken=[level.id])
    taken = apply(plant, BUILTIN, wanted).plant
    (link,) = (taken.get(i, Link) for i in taken.referring("links", "signal", level.signal or ""))
    assert (link.scaling or {})["hi"] == 3.5


def test_a_plant_of_two_hundred_signals_is_made_of_the_first_issue() -> None:
    plant = built(edits.AddController(type="tarnfell.tf-42", name="HALL", address="10.0.0.1"))
    wanted = issue(plant, read_sheet((DEMO / "inbox" / "skelder_io_a.xlsx").read_bytes()), "a")
    differences = compare(plant, wanted).differences
    made = apply(plant, BUILTIN, edits.TakeList(**wanted.model_dump(), taken=[one.id for one in differences])).plant
    signals = made.all(Signal)
    assert len(signals) == 200
    assert Counter(signal.type for signal in signals) == {"BOOL": 154, "REAL": 46}
    # The area stands once for all its lines, in merged cells.
    assert {signal.area for signal in signals} == {"Steep", "Germination", "Kiln", "Well"}
