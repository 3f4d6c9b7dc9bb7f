"""Commands through the real exchange: homing, turning at a speed, stopping, and what a program would see of them."""

from __future__ import annotations

from dataclasses import replace

import pytest

from highmoor.core.errors import Refusal
from highmoor.core.motion.path import Along
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import BuiltDevice, Controller, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.draft import Draft
from tests.core.bench.test_axes import RIGHT, Moved, _as_built, _link, _set
from tests.core.demo import LIBRARY
from tests.core.motion.plain_words import lift_of, plain, with_lift
from tests.core.networks.ethernet_ip.test_ethernet_ip import cell

COUNT = 2.5 / 2**20


def _seen(moved: Moved) -> tuple[str, str, str]:
    told = moved.bench.axes.seen(moved.id)
    return told["plc_open"], told["command"], told["out"]


@pytest.mark.parametrize(
    ("settings", "start"),
    [
        ({"home_method": 1}, 40), ({"home_method": 1}, -60), ({"home_method": 18}, 400),
        ({"home_method": 8, "home_from": 30, "home_to": 55}, 60), ({"home_method": 37}, 40),
    ],
)  # fmt: skip
def test_the_drive_finds_home_and_says_when(settings: dict[str, float], start: float) -> None:
    plant = _set(RIGHT, LIBRARY, lift_of(RIGHT).id, home_fast=40, home_slow=2, **settings)
    moved = Moved(_as_built(plant, LIBRARY, position=start), LIBRARY)
    # It counts from somewhere else than it is drawn.
    moved.drive.zero += 7.25
    moved.do("enable")
    moved.after(1)
    told, ways = (analyse(plant, LIBRARY).result(f"axis.{part}", moved.id) for part in ("home", "homing"))
    moved.do("home", distance=0)
    assert _seen(moved) == ("Homing", "Home", "Busy")
    began = moved.until
    while moved.state == "homing" and moved.until < began + 60:
        moved.after(0.02)
    assert _seen(moved) == ("Standstill", "Home", "Done")
    home = told.home if told.home is not None else start
    counted = told.position or 0.0
    assert moved.drive.shown - moved.machine.position == pytest.approx(counted - home, abs=2 * COUNT)
    # What is told of how long it takes holds: at most the longest way there is, and a moment to be seen.
    assert moved.until - began <= max(way.takes for way in ways.paths) + 0.5
    moved.move(5 if moved.at < 200 else -5, 50)
    moved.after(2)
    assert moved.at == pytest.approx(moved.drive.shown, abs=2 * COUNT) and moved.state == "standstill"


def test_a_switch_wired_the_other_way_is_told_from_a_limit() -> None:
    moved = Moved(_as_built(RIGHT, LIBRARY, limit_plus_closes=True), LIBRARY)
    moved.do("enable")
    moved.after(1)
    # Held as far as the drive can see: it goes down, and not up.
    assert [fact["text"] for fact in moved.bench.axes.seen(moved.id)["facts"] if not fact["good"]] == [
        "Switch + is held: it moves only away from it"
    ]
    begin = moved.machine.position
    moved.move(20, 50)
    moved.after(2)
    assert moved.machine.position == pytest.approx(begin, abs=0.5) and _seen(moved)[2] == "Error"
    moved.move(-20, 50)
    moved.after(3)
    assert moved.machine.position < begin - 15 and _seen(moved)[2] == "Done"


def test_both_limits_at_once_hold_it_and_are_said() -> None:
    moved = Moved(_as_built(RIGHT, LIBRARY, limit_plus_closes=True, limit_minus_closes=True), LIBRARY)
    moved.do("enable")
    moved.after(1)
    begin = moved.machine.position
    for way in (20, -20):
        moved.move(way, 50)
        moved.after(2)
        assert moved.machine.position == pytest.approx(begin, abs=0.5)
    facts = [fact["text"] for fact in moved.bench.axes.seen(moved.id)["facts"]]
    assert facts[-1] == "Both limit switches are held: look at their wiring, nothing moves either way"


def test_it_turns_at_a_speed_until_it_is_stopped_and_each_command_ends_once() -> None:
    moved = Moved(RIGHT, LIBRARY, "WRIST")
    moved.do("enable")
    assert _seen(moved)[1:] == ("Power", "Busy")
    moved.after(1)
    assert _seen(moved) == ("Standstill", "Power", "Done")
    moved.do("run", speed=90)
    moved.after(2)
    assert _seen(moved) == ("Continuous Motion", "MoveVelocity", "Busy")
    assert moved.drive.shown_speed == pytest.approx(90, rel=1e-3)
    moved.do("run", speed=-45)
    assert moved.after(2).drive.shown_speed == pytest.approx(-45, rel=1e-3)
    with pytest.raises(Refusal, match="still moves"):
        moved.move(10)
    moved.do("stop")
    assert _seen(moved)[:2] == ("Stopping", "Stop")
    assert _seen(moved.after(1)) == ("Standstill", "Stop", "Done")
    # A quick stop brakes and leaves it without power.
    moved.do("run", speed=90)
    moved.after(1)
    moved.do("quick-stop")
    moved.after(1)
    assert _seen(moved) == ("Disabled", "QuickStop", "Done") and moved.machine.speed == pytest.approx(0, abs=1)
    moved.do("enable")
    moved.after(1)
    moved.do("run", speed=90)
    moved.after(0.5)
    moved.do("disable")
    assert _seen(moved) == ("Disabled", "MoveVelocity", "CommandAborted")


def test_a_lost_link_in_mid_move_is_an_error() -> None:
    moved = Moved(RIGHT, LIBRARY)
    moved.do("enable")
    moved.after(1)
    moved.move(100, 50)
    moved.after(0.5)
    drive = lift_of(RIGHT).drive
    assert drive
    unplugged = apply(moved.plant, LIBRARY, edits.SetBuilt(ids=[drive], values={"powered": False})).plant
    moved.bench.rebuilt(unplugged)
    moved.after(1)
    assert _seen(moved)[::2] == ("ErrorStop", "Error")


def test_the_fans_turn_by_their_own_words() -> None:
    moved = Moved(RIGHT, LIBRARY, "FAN1")
    moved.do("enable")
    moved.after(1)
    # 730 of 1460 1/min are half of the 10 000 counts.
    moved.do("run", speed=730 / 60)
    moved.after(20)
    told = moved.bench.axes.seen(moved.id)
    assert told["turns"] == pytest.approx(730, rel=0.02) and told["torque"] is None
    assert _seen(moved) == ("Continuous Motion", "MoveVelocity", "Busy")
    moved.do("stop")
    assert _seen(moved.after(20)) == ("Standstill", "Stop", "Done")
    with pytest.raises(Refusal, match="no positions"):
        moved.move(10)
    with pytest.raises(Refusal, match="no homing"):
        moved.do("home", distance=0)


@pytest.mark.parametrize("own", [False, True])
def test_a_pump_turns_by_profidrive_on_its_bus(own: bool) -> None:
    """Over the wire, to the process that the demo has behind it and to the drive that the bench makes of the axis."""
    pump = next(s for s in RIGHT.all(Station) if s.name == "Steep pump 1")
    hall = next(c for c in RIGHT.all(Controller) if c.name == "HALL")
    add = edits.AddAxis(controller=hall.id, axis="speed", name="PUMP1", drive=pump.id, tag="$a")
    made = apply(RIGHT, LIBRARY, add)
    plant, axis = made.plant, made.tags["$a"]
    motor = _link(plant, "motor", "PUMP1").id
    plant = _set(plant, LIBRARY, motor, counts=1024, inertia=0.01, rated_rpm=1500, peak_nm=40)
    plant = _set(plant, LIBRARY, axis, speed=1500, acceleration=600)
    plant = apply(plant, LIBRARY, edits.NameWords(axis=axis)).plant
    if own:
        draft = Draft(plant, LIBRARY)
        row = next(row for row in plant.all(BuiltDevice) if row.station == pump.id)
        draft.put(replace(row, model=""))
        plant = draft.plant
    moved = Moved(plant, LIBRARY, "PUMP1")
    moved.do("enable")
    moved.after(1.5)
    moved.do("run", speed=750 / 60)
    # 16#4000 are its rated 1500 1/min.
    assert moved.after(4).bench.axes.seen(axis)["turns"] == pytest.approx(750, abs=0.1)
    assert not own or moved.machine.speed * 60 == pytest.approx(750, abs=0.1)
    moved.do("stop")
    assert _seen(moved.after(4)) == ("Standstill", "Stop", "Done")
    if own:
        moved.do("run", speed=750 / 60)
        moved.after(2)
        moved.do("quick-stop")
        assert _seen(moved.after(3)) == ("Disabled", "QuickStop", "Done") and moved.machine.speed == 0
    # An axis of another controller does not reach it.
    other = next(c for c in RIGHT.all(Controller) if c.name == "STEEP")
    with pytest.raises(Refusal, match="another controller"):
        apply(RIGHT, LIBRARY, edits.AddAxis(controller=other.id, axis="speed", name="P", drive=pump.id))


def test_plain_words_count_from_here_on() -> None:
    moved = Moved(plain())
    moved.do("enable")
    moved.after(1)
    moved.do("home", distance=25)
    moved.after(1)
    assert _seen(moved)[1:] == ("Home", "Done") and moved.at == pytest.approx(25, abs=0.01)
    # Nobody leads a drive that goes by itself.
    with pytest.raises(Refusal, match="by itself"):
        moved.bench.axes.commanders[moved.id].follow(Along(25, 1, ()))
    # Words without a quick stop just stop.
    moved.move(50, 20, 100)
    moved.after(0.5)
    moved.do("quick-stop")
    assert _seen(moved.after(1)) == ("Standstill", "Stop", "Done")


def test_a_cip_position_drive_is_told_message_by_message_and_goes() -> None:
    octets = {"octets": 8, "rpi_ms": 10}
    drive = cell({"into": {"point": 100, **octets}, "out": {"point": 150, **octets}})
    moved = Moved(with_lift(drive, "cip-position"), LIBRARY)
    assert moved.bench.axes.seen(moved.id)["does"] == ["move"]
    moved.do("enable")
    moved.after(1)
    began = moved.at
    moved.move(50, 40, 200)
    quickest = 0.0
    for _ in range(400):
        quickest = max(quickest, abs(moved.after(0.01).drive.shown_speed))
    assert _seen(moved) == ("Standstill", "MoveRelative", "Done")
    assert moved.at == pytest.approx(began + 50, abs=0.05) and quickest == pytest.approx(40, rel=0.02)
    # Once more, the other way, stopped on it.
    moved.move(-50, 20, 200)
    moved.after(1)
    moved.do("stop")
    moved.after(1)
    assert _seen(moved) == ("Standstill", "Stop", "Done") and began + 5 < moved.at < began + 45
    moved.move(50, 40, 200)
    moved.after(0.5)
    moved.drive.fault = 0x2310
    assert moved.after(0.5).state == "fault"
    moved.do("reset")
    moved.after(1)
    moved.do("enable")
    assert moved.after(1).state == "standstill"


def test_a_drive_that_only_follows_needs_a_method_to_find_home() -> None:
    moved = Moved(_set(RIGHT, LIBRARY, lift_of(RIGHT).id, home_method=0), LIBRARY)
    assert moved.bench.axes.seen(moved.id)["does"] == ["move", "quick-stop", "turn"]
    with pytest.raises(Refusal, match="choose a homing method"):
        moved.do("home", distance=0)
