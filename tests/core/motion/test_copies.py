"""What of an axis stands in its drive: written, saved, restarted, taken; and what the bench's drive makes of it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.copies import PARAMETERS, CopiesTold, copies_told, in_drive, values_of
from highmoor.core.motion.units import unit_of
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, BuiltDevice, ChainLink
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.draft import Draft
from tests.core.bench.test_axes import RIGHT, Moved, _link, _set
from tests.core.demo import LIBRARY
from tests.core.motion.plain_words import lift_of


def do(plant: Plant, what: Any, *keys: str) -> Plant:
    return apply(plant, LIBRARY, edits.DriveCopies(axis=lift_of(plant).id, do=what, keys=list(keys))).plant


def values(plant: Plant) -> dict[str, float | None]:
    axis = lift_of(plant)
    unit = unit_of(axis.kind, axis.unit)
    return values_of(axis, chain_of(plant.children(ChainLink, axis.id), linear=unit.linear), unit)


def told(plant: Plant) -> CopiesTold:
    axis = lift_of(plant)
    built = next((row for row in plant.all(BuiltDevice) if row.station == axis.drive), None)
    return copies_told(values(plant), None, in_drive(axis.id, values(plant), built.settings if built else {}), "mm")


def test_what_a_drive_has_to_have() -> None:
    found = values(RIGHT)
    assert list(found) == [one.key for one in PARAMETERS]
    assert (found["counts"], found["gear"], found["feed"], found["drive_digits"]) == (2**20, 4, 10, None)
    assert (found["speed"], found["acceleration"], found["gain"], found["home_method"]) == (200, 500, 50, 1)
    assert told(RIGHT).differing == () and told(RIGHT).alike == len(PARAMETERS)


def test_written_saved_and_restarted() -> None:
    kept = do(RIGHT, "save")
    assert told(kept).differing == ()
    # From now on the drive has its own: what changes in the project is not in it.
    changed = _set(_set(kept, LIBRARY, _link(kept, "screw").id, lead_mm=5), LIBRARY, lift_of(kept).id, window=0.2)
    assert [(one.key, one.project, one.drive, one.acting) for one in told(changed).differing] == [
        ("feed", 5, 10, 10), ("window", 0.2, 0.05, 0.05),
    ]  # fmt: skip
    written = do(changed, "write")
    feed, window = told(written).differing
    # The way of a turn counts from the restart on, the window at once; both are gone without power.
    assert (feed.drive, feed.acting, feed.waits, feed.unsaved, feed.kept) == (5, 10, True, True, 10)
    assert (window.drive, window.acting, window.waits, window.unsaved) == (0.2, 0.2, False, True)
    lost = do(written, "restart")
    assert [(one.key, one.drive, one.acting, one.waits) for one in told(lost).differing] == [
        ("feed", 10, 10, False), ("window", 0.05, 0.05, False),
    ]  # fmt: skip
    saved = do(written, "save")
    assert [(one.key, one.waits, one.unsaved) for one in told(saved).differing] == [("feed", True, False)]
    assert told(do(saved, "restart")).differing == ()


def test_taken_from_the_drive_into_the_project() -> None:
    kept = do(RIGHT, "save")
    axis = lift_of(kept).id
    changed = _set(kept, LIBRARY, axis, window=0.2, reversed=True, drive_digits=3, home_method=17, speed=100)
    assert {one.key for one in told(changed).differing} == {
        "window",
        "reversed",
        "drive_digits",
        "home_method",
        "speed",
    }
    back = do(changed, "take", "window", "reversed")
    assert {one.key for one in told(back).differing} == {"drive_digits", "home_method", "speed"}
    assert lift_of(do(changed, "take")).settings == {**lift_of(RIGHT).settings, "reversed": False}
    # What comes of several links is not taken, and said so by its row.
    gear = _set(kept, LIBRARY, _link(kept, "gear").id, motor_turns=5)
    assert [one.takes for one in told(gear).differing] == [False]
    assert told(do(gear, "take")).differing == told(gear).differing


def test_bad_ones_are_refused() -> None:
    with pytest.raises(Refusal, match="no parameter"):
        do(RIGHT, "write", "nonsense")
    loose = apply(RIGHT, LIBRARY, edits.SetFields(ids=[lift_of(RIGHT).id], values={"drive": None})).plant
    with pytest.raises(Refusal, match="needs a drive"):
        do(loose, "save")
    # What a file says of it that cannot be read counts as nothing.
    for wrong in (
        {"saved": {"drive_digits": 1e9, "feed": 1e300, "counts": float("nan")}},
        [3],
        {"saved": {"gear": "x", "window": True, "no": 1}},
        {"saved": 3},
        {"told": ["gear"], "restarts": "x"},
    ):
        read = in_drive("a1", values(RIGHT), {"copies": {"a1": wrong}})
        assert set(read.acting) == set(values(RIGHT)) and read.restarts == 0


def test_a_drive_that_has_other_units_goes_another_way_until_they_are_written_saved_and_it_restarted() -> None:
    axis = lift_of(RIGHT).id
    # The drive counts in thousandths of a millimetre; it was set up when the gear was drawn as 1 : 1.
    metric = _set(RIGHT, LIBRARY, axis, drive_digits=3)
    single = _set(metric, LIBRARY, _link(RIGHT, "gear").id, motor_turns=1)
    plant = _set(do(single, "save"), LIBRARY, _link(RIGHT, "gear").id, motor_turns=4)

    def goes(plant: Plant) -> float:
        moved = Moved(plant, LIBRARY)
        moved.do("enable")
        moved.after(1)
        begin = moved.machine.position
        moved.move(20, 20, 125)
        moved.after(4)
        assert moved.state == "standstill" and moved.at == pytest.approx(200 + 20, abs=0.002)
        return float(moved.machine.position - begin)

    assert goes(metric) == pytest.approx(20, abs=0.002)
    # Of four motor turns it believes that they are four of the screw.
    assert goes(plant) == pytest.approx(5, abs=0.002)
    for steps, way in (
        (("write",), 5),
        (("write", "save"), 5),
        (("write", "restart"), 5),
        (("write", "save", "restart"), 20),
    ):
        after = plant
        for step in steps:
            after = do(after, step)
        assert goes(after) == pytest.approx(way, abs=0.002), steps


def test_what_is_written_while_it_runs_counts_at_once_and_a_restart_takes_its_power() -> None:
    plant = do(RIGHT, "save")
    moved = Moved(plant, LIBRARY)
    moved.do("enable")
    moved.after(1)
    written = do(_set(plant, LIBRARY, moved.id, gain=20), "write")
    moved.bench.rebuilt(written)
    moved.after(0.1)
    assert moved.drive.facts.gain == 20 and moved.state == "standstill" and moved.drive.powered
    moved.bench.rebuilt(do(written, "restart"))
    moved.after(0.3)
    assert moved.drive.facts.gain == 50 and moved.state == "off" and not moved.drive.powered


def test_random_orders_never_lose_what_was_saved() -> None:
    plant = do(RIGHT, "save")
    axis = lift_of(plant).id
    for n, step in enumerate(["write", "restart", "write", "save", "restart", "save"] * 3):
        plant = do(_set(plant, LIBRARY, axis, window=0.05 + n / 100), step)
        row = next(row for row in plant.all(BuiltDevice) if row.station == lift_of(plant).drive)
        has = in_drive(axis, values(plant), row.settings)
        if step == "restart":
            assert has.acting == has.told == has.saved
        if step == "save":
            assert has.told == has.saved
        assert isinstance(plant.get(axis, Axis), Axis)


@pytest.mark.parametrize("copies", [3, [1], {"AXIS": 3}, {"AXIS": {"saved": {"drive_digits": 1e9, "feed": 1e300}}}])
def test_a_bench_stands_whatever_a_file_says_of_its_drives(copies: Any) -> None:
    drive, axis = lift_of(RIGHT).drive, lift_of(RIGHT).id
    row = next(row for row in RIGHT.all(BuiltDevice) if row.station == drive)
    said = {axis: copies["AXIS"]} if isinstance(copies, dict) else copies
    draft = Draft(RIGHT, LIBRARY)
    draft.put(replace(row, settings={**row.settings, "copies": said}))
    moved = Moved(draft.plant, LIBRARY)
    moved.bench.rebuilt(RIGHT)
    assert moved.after(0.1).drive.facts.a_turn == 2.5
    # What is written over it can be read again.
    assert in_drive(axis, values(RIGHT), _built(do(draft.plant, "write")).settings).told == values(RIGHT)


def _built(plant: Plant) -> BuiltDevice:
    return next(row for row in plant.all(BuiltDevice) if row.station == lift_of(plant).drive)
