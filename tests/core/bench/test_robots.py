"""The demo's robot on the bench: initialised as far as it goes, led along its line, stopped by what one arm does."""

from __future__ import annotations

import re
from math import dist
from typing import Any

import pytest

from highmoor.core.bench.axes.powered import OVERLOAD
from highmoor.core.errors import Refusal
from highmoor.core.motion.robots.line import LineTold
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Robot
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.bench.test_axes import RIGHT, Moved, _set
from tests.core.demo import LIBRARY
from tests.core.motion.robots import joint

PICKER = RIGHT.all(Robot)[0].id


def arm(plant: Plant, place: str = "arm2") -> Axis:
    return joint(plant, place)


def built(plant: Plant, place: str, **values: Any) -> Plant:
    """What stands there of a joint's drive, otherwise."""
    drive = arm(plant, place).drive
    fields = {key.replace("__", "."): value for key, value in values.items()}
    return apply(plant, LIBRARY, edits.SetBuilt(ids=[drive or ""], values=fields)).plant


def kept(plant: Plant, place: str, **settings: Any) -> Plant:
    """A drive that keeps what was set, and the project other than that."""
    saved = apply(plant, LIBRARY, edits.DriveCopies(axis=arm(plant, place).id, do="save")).plant
    return _set(saved, LIBRARY, arm(plant, place).id, **settings)


class Picker(Moved):
    """The robot on a bench."""

    def __init__(self, plant: Plant = RIGHT) -> None:
        super().__init__(plant, LIBRARY, arm(plant, "arm1").name)

    def say(self, do: str, seconds: float) -> dict[str, Any]:
        self.bench.robots.command(PICKER, do)
        return self.seen(seconds)

    def seen(self, seconds: float = 0.0) -> dict[str, Any]:
        self.after(seconds)
        told: dict[str, Any] = self.bench.robots.seen(PICKER)
        return told

    def machine_of(self, place: str) -> Any:
        return self.bench.axes.axes[arm(self.plant, place).id].machine


def test_it_is_initialised_step_by_step() -> None:
    robot = Picker()
    with pytest.raises(Refusal, match="initialise it first"):
        robot.say("go", 0)
    robot.bench.robots.command(PICKER, "initialise")
    counts = [sum(step["state"] == "good" for step in robot.seen(0.02)["steps"]) for _ in range(100)]
    assert counts == sorted(counts) and counts[0] < 3 and counts[-1] == 8
    told = robot.seen()
    assert (told["state"], told["text"]) == ("ready", "")
    assert dist(told["place"], told["really"]) < 1e-3
    with pytest.raises(Refusal, match="no command"):
        robot.say("dance", 0)


WRONG = {
    "no sheet": (lambda p: apply(p, LIBRARY, edits.SetFields(ids=[PICKER], values={"type": "own"})).plant,
                 "data", "upper arm"),
    "no axis": (lambda p: apply(p, LIBRARY, edits.SetFields(ids=[arm(p).id], values={"robot": None})).plant,
                "joints", "No axis is arm 2"),
    "no words": (lambda p: apply(p, LIBRARY, edits.SetFields(ids=[arm(p).id], values={"profile": None})).plant,
                 "joints", "ARM2 is not commanded"),
    "not as asked": (lambda p: _set(p, LIBRARY, arm(p).id, peak_a=4), "asked",
                     "ARM2, peak current: 4 A; its type asks 4.2 A"),
    "turns the other way": (lambda p: _set(p, LIBRARY, arm(p).id, reversed=True), "asked",
                            "ARM2, turns the other way: yes; its type asks no"),
    "no offset": (lambda p: _set(p, LIBRARY, arm(p).id, encoder_offset=None), "asked", "ARM2, encoder offset: not set"),
    "other in its drive": (lambda p: kept(_set(p, LIBRARY, arm(p).id, peak_a=4), "arm2", peak_a=4.2),
                           "drives", "in the drive of ARM2, peak current: 4 A, and not 4.2 A"),
    "nothing in its drive": (lambda p: kept(_set(p, LIBRARY, arm(p).id, encoder_offset=None), "arm2",
                                            encoder_offset=-31.86), "drives", "offset: not set, and not .31.86"),
    "no answer": (lambda p: built(p, "arm2", powered=False), "answer", "does not answer"),
    "no place": (lambda p: built(p, "arm2", settings__encoder_offset=-95), "angles", "arm 2 stands at .*encoder off"),
    "no reach": (lambda p: _set(p, LIBRARY, PICKER, work_x=600), "reach", "not reached: arm"),
    "too quick": (lambda p: _set(p, LIBRARY, PICKER, line_speed=3000, line_acceleration=80_000), "reach",
                  "would turn at"),
}  # fmt: skip


@pytest.mark.parametrize("wrong", WRONG)
def test_it_stops_at_the_step_that_fails(wrong: str) -> None:
    change, step, text = WRONG[wrong]
    told = Picker(change(RIGHT)).say("initialise", 2)
    states = [each["state"] for each in told["steps"]]
    failing = next(each for each in told["steps"] if each["state"] == "bad")
    assert (failing["key"], told["state"], failing["text"]) == (step, "failed", told["text"])
    at = states.index("bad")
    assert states == ["good"] * at + ["bad"] + ["open"] * (7 - at)
    assert re.search(text, told["text"], re.IGNORECASE)


def test_along_its_line_it_is_where_it_is_told() -> None:
    line: LineTold = analyse(RIGHT, LIBRARY).result("robot.line", PICKER)
    robot = Picker()
    robot.say("initialise", 1.5)
    robot.bench.robots.command(PICKER, "go")
    quickest = dict.fromkeys(("arm1", "arm2", "arm3", "wrist"), 0.0)
    really: list[tuple[float, float, float]] = []
    while robot.seen(0.01)["state"] == "moving":
        told = robot.seen()
        if told["trace"]:
            really.append(told["really"])
            for place in quickest:
                quickest[place] = max(quickest[place], abs(robot.machine_of(place).speed))
    told = robot.seen(0.5)
    assert (told["state"], told["text"]) == ("ready", "")
    assert dist(told["place"], line.end) < 0.1 and dist(told["really"], line.end) < 0.3
    # The line, by what the arms show and where the platform really is; the load is behind by the loop.
    for at in [tuple(each[1:]) for each in told["trace"]] + really:
        off = dist(line.begin, at) + dist(at, line.end) - line.length
        assert off < 0.15, at
    assert line.takes - 0.02 <= told["trace"][-1][0] <= line.takes + 0.25
    for told_joint in line.joints:
        assert 0.9 * told_joint.most < quickest[told_joint.place] <= told_joint.most * 1.02
    assert told["joints"]["wrist"] == pytest.approx(120, abs=0.3)
    # Once more from where it is.
    assert robot.say("go", 3)["state"] == "ready"


def test_when_one_arm_is_in_fault_all_others_stop() -> None:
    robot = Picker()
    robot.say("initialise", 1.5)
    robot.bench.robots.command(PICKER, "go")
    robot.after(0.3)
    robot.bench.axes.axes[arm(RIGHT).id].drive.fault = OVERLOAD
    told = robot.seen(1)
    assert told["state"] == "failed" and told["text"].startswith("Arm 2: ")
    assert all(abs(robot.machine_of(place).speed) < 1e-3 for place in ("arm1", "arm3", "wrist"))
    with pytest.raises(Refusal, match="initialise"):
        robot.say("go", 0)


@pytest.mark.parametrize("after_s", [0.0, 0.06, 0.15, 0.22, 0.3])
def test_stopped_on_its_line_it_brakes_along_it(after_s: float) -> None:
    line: LineTold = analyse(RIGHT, LIBRARY).result("robot.line", PICKER)
    settings = RIGHT.get(PICKER, Robot).settings
    speed, rate = float(settings["line_speed"]), float(settings["line_acceleration"])
    robot = Picker()
    robot.say("initialise", 1.5)
    robot.bench.robots.command(PICKER, "go")
    while not robot.seen(0.01)["trace"]:
        pass
    robot.after(after_s)
    here = robot.say("stop", 0)["place"]
    assert robot.seen()["state"] == "moving"
    really = [robot.seen(0.005)["really"] for _ in range(100)]
    assert max(dist(line.begin, at) + dist(at, line.end) - line.length for at in really) < 0.15
    told = robot.seen()
    assert (told["state"], told["text"]) == ("ready", "It was stopped")
    # What it takes to brake, and what the arms are behind what they are told.
    assert dist(here, told["place"]) < speed**2 / (2 * rate) + speed * 0.06
    assert all(abs(robot.machine_of(place).speed) < 1e-3 for place in ("arm1", "arm2", "arm3", "wrist"))
    assert robot.say("go", 3)["text"] == ""


def test_stopped_on_the_way_to_its_line_it_does_not_go_on() -> None:
    line: LineTold = analyse(RIGHT, LIBRARY).result("robot.line", PICKER)
    robot = Picker()
    robot.say("initialise", 1.5)
    robot.bench.robots.command(PICKER, "go")
    robot.after(0.05)
    robot.say("stop", 0)
    # Once more is not more.
    robot.say("stop", 1)
    told = robot.seen()
    assert (told["state"], told["text"], told["trace"]) == ("ready", "It was stopped", [])
    assert dist(told["place"], line.begin) > 1


def test_it_is_stopped_and_loses_its_power_when_it_is_told_to() -> None:
    robot = Picker()
    robot.say("initialise", 1.5)
    robot.bench.robots.command(PICKER, "go")
    told = robot.seen(0.3)
    with pytest.raises(Refusal, match="busy"):
        robot.say("initialise", 0)
    told = robot.say("stop", 1)
    assert (told["state"], told["text"]) == ("ready", "It was stopped")
    assert all(abs(robot.machine_of(place).speed) < 1e-3 for place in ("arm1", "arm2", "arm3", "wrist"))
    told = robot.say("disable", 0.5)
    assert told["state"] == "off" and all(step["state"] == "open" for step in told["steps"])
    # Power gone by another hand is said as well.
    robot.say("initialise", 1.5)
    robot.do("disable")
    assert robot.seen(0.1)["state"] == "failed"


def test_an_encoder_that_is_built_in_otherwise_shows_another_place() -> None:
    robot = Picker(built(RIGHT, "arm1", settings__encoder_offset=12.4 - 2))
    told = robot.say("initialise", 1.5)
    begin = robot.machine_of("arm1").position
    assert told["state"] == "ready" and told["joints"]["arm1"] == pytest.approx(begin + 2, abs=1e-3)
    assert dist(told["place"], told["really"]) > 2


def _braked(plant: Plant) -> float:
    """How far an arm runs on in a quick stop, °."""
    moved = Moved(plant, LIBRARY, "ARM1")
    moved.do("enable")
    moved.after(1)
    moved.do("move", distance=-40, speed=200, acceleration=2000)
    moved.after(0.15)
    moved.do("quick-stop")
    begin = moved.machine.position
    return abs(begin - moved.after(1).machine.position)


def test_an_emergency_stop_brakes_by_the_ramp_in_the_drive() -> None:
    ways = [_braked(_set(RIGHT, LIBRARY, arm(RIGHT, "arm1").id, quick_ramp=rate)) for rate in (2000, 4000)]
    # v²/2a is 10 and 5; what comes until it hears of it is the same for both.
    assert ways[0] - ways[1] == pytest.approx(5, abs=0.6)


def test_the_peak_current_in_the_drive_is_the_torque_there_is() -> None:
    plant = _set(RIGHT, LIBRARY, arm(RIGHT, "arm1").id, peak_a=0.2)
    moved = Moved(plant, LIBRARY, "ARM1")
    assert moved.machine.most_nm == pytest.approx(0.2 * 0.52)
    drive = apply(plant, LIBRARY, edits.DriveCopies(axis=moved.id, do="save")).plant
    more = _set(drive, LIBRARY, moved.id, peak_a=1)
    written = apply(more, LIBRARY, edits.DriveCopies(axis=moved.id, do="write", keys=["peak_a"])).plant
    moved.bench.rebuilt(written)
    assert moved.after(0.1).machine.most_nm == pytest.approx(0.52)
