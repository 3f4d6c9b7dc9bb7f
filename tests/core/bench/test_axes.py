"""Axes on the bench: what they are told happens through the exchange, and what is told of them holds for them."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.demo import DEMO, LIBRARY
from tests.core.motion.axes import applied
from tests.core.motion.plain_words import lift_of, plain, text_of


class Moved:
    """An axis on a bench, with a hand on it."""

    def __init__(self, plant: Plant, catalogue: Any = BUILTIN, name: str = "LIFT") -> None:
        self.plant = plant
        self.bench = Bench(plant, catalogue)
        self.id = lift_of(plant, name).id
        for controller in self.bench.safety.of:
            self.bench.safety.restart(controller)
        self.until = 2.0
        self.bench.run_until(self.until)

    def do(self, key: str, **value: Any) -> None:
        self.bench.axes.command(self.id, key, value)

    def after(self, seconds: float) -> Moved:
        self.until += seconds
        self.bench.run_until(self.until)
        return self

    @property
    def state(self) -> str:
        return self.bench.axes.commanders[self.id].state

    @property
    def at(self) -> float:
        return self.bench.axes.commanders[self.id].feedback

    @property
    def machine(self) -> Any:
        return self.bench.axes.axes[self.id].machine

    @property
    def drive(self) -> Any:
        return self.bench.axes.axes[self.id].drive

    def move(self, distance: float, speed: float = 200, acceleration: float = 500, **more: Any) -> None:
        self.do("move", distance=distance, speed=speed, acceleration=acceleration, **more)


def _set(plant: Plant, catalogue: Any, row_id: str, **values: Any) -> Plant:
    fields = {f"settings.{key}": value for key, value in values.items()}
    return apply(plant, catalogue, edits.SetFields(ids=[row_id], values=fields)).plant


def _link(plant: Plant, kind: str, name: str = "LIFT") -> ChainLink:
    return next(link for link in plant.children(ChainLink, lift_of(plant, name).id) if link.kind == kind)


def _as_built(plant: Plant, catalogue: Any, **settings: Any) -> Plant:
    drive = lift_of(plant).drive
    assert drive is not None
    values = {f"settings.{path.replace('__', '.')}": value for path, value in settings.items()}
    return apply(plant, catalogue, edits.SetBuilt(ids=[drive], values=values)).plant


RIGHT = _as_built(DEMO, LIBRARY, **{f"chain__{_link(DEMO, 'gear').id}__motor_turns": 4})
"""The demo with the lift's gear as it is drawn."""
COUNT = 2.4e-6


@pytest.fixture
def lift() -> Moved:
    moved = Moved(RIGHT, LIBRARY)
    moved.do("enable")
    assert moved.after(1).state == "standstill"
    return moved


def test_a_move_ends_within_a_count_and_the_load_is_there(lift: Moved) -> None:
    begin = lift.machine.position
    lift.move(100, 150)
    assert lift.after(0.5).state == "moving"
    assert lift.after(2).state == "standstill"
    assert lift.at == pytest.approx(begin + 100, abs=2 * COUNT)
    assert lift.machine.position == pytest.approx(begin + 100, abs=3 * COUNT)
    trace = lift.bench.axes.commanders[lift.id].trace
    # 100 mm at 150 mm/s by 500 mm/s²: 0.967 s, and a little until it is seen to be there.
    moving = [t for t, wanted, _ in trace if wanted < begin + 100 - 1e-9]
    assert moving[-1] == pytest.approx(100 / 150 + 150 / 500, abs=0.011)


def test_the_load_follows_by_no_more_than_is_told(lift: Moved) -> None:
    told = analyse(RIGHT, LIBRARY).result("axis.travel", lift.id)
    lift.move(150)
    worst = 0.0
    for _ in range(100):
        lift.after(0.01)
        worst = max(worst, abs(lift.drive.wanted.at - lift.drive.shown))
    assert worst <= told.following_error * 1.001
    assert worst > told.following_error * 0.85


def test_a_switch_stops_it_before_the_end_and_lets_it_out_again(lift: Moved) -> None:
    told = analyse(RIGHT, LIBRARY).result("axis.travel", lift.id)
    # Nobody is sent beyond a soft limit: the switch is for when that is wrong.
    with pytest.raises(Refusal, match="beyond soft limit"):
        lift.move(300)
    free = _set(RIGHT, LIBRARY, lift.id, soft_plus=None)
    runs = Moved(free, LIBRARY)
    runs.do("enable")
    runs.after(1)
    runs.move(480)
    edge, past = 450.0, 0.0
    for _ in range(400):
        runs.after(0.01)
        past = max(past, runs.machine.position - edge)
    assert 0 < past <= told.stopping
    assert runs.machine.speed == 0 and runs.machine.switch("plus")
    assert any("only away" in fact["text"] for fact in runs.bench.axes.seen(runs.id)["facts"])
    assert (runs.state, "limit switch stopped it" in runs.bench.axes.commanders[runs.id].text) == ("standstill", True)
    runs.move(-200, 100)
    assert runs.after(4).machine.position < 300


def test_twice_the_load_reaches_the_torque_limit_and_alarms() -> None:
    motor = _link(RIGHT, "motor").id
    # It takes 1.873 Nm to lift 300 kg, so 1.9 Nm are enough for that and not for 600.
    plant = _set(_set(RIGHT, LIBRARY, motor, peak_nm=1.9), LIBRARY, lift_of(RIGHT).id, peak_a=None)
    for mass, state in ((300, "standstill"), (600, "fault")):
        heavy = Moved(_as_built(plant, LIBRARY, **{f"chain__{_link(plant, 'load').id}__mass_kg": mass}), LIBRARY)
        heavy.do("enable")
        heavy.after(1)
        if heavy.state != "fault":
            heavy.move(100)
        assert heavy.after(2).state == state, mass
    assert heavy.drive.fault in (0x8611, 0x2310)
    with pytest.raises(Refusal, match="fault"):
        heavy.move(10)
    heavy.do("reset")
    assert heavy.after(1).drive.fault == 0


def test_without_power_it_sags_no_more_than_is_told_and_the_brake_holds(lift: Moved) -> None:
    told = analyse(RIGHT, LIBRARY).result("axis.load", lift.id).brake
    begin = lift.machine.position
    lift.do("disable")
    lift.after(1)
    assert 0 < begin - lift.machine.position <= told.sag
    assert begin - lift.machine.position > told.sag * 0.5
    assert lift.machine.held
    # What the gear and the screw keep back helps a weak brake; less than what is left, and it is let down.
    weak = Moved(_as_built(RIGHT, LIBRARY, **{f"chain__{_link(RIGHT, 'motor').id}__brake_nm": 0.8}), LIBRARY)
    weak.do("enable")
    weak.after(1)
    weak.do("disable")
    assert weak.after(3).machine.position < begin - 50


def test_a_jog_goes_as_long_as_somebody_holds_on(lift: Moved) -> None:
    begin = lift.at
    for _ in range(10):
        lift.do("jog", speed=50)
        lift.after(0.1)
    assert lift.state == "jogging" and lift.at > begin + 40
    lift.after(0.3 + 0.3)
    stopped = lift.at
    assert lift.state == "standstill"
    assert lift.after(1).at == pytest.approx(stopped, abs=COUNT)
    # Towards the soft limit it stops by itself.
    for _ in range(60):
        lift.do("jog", speed=200)
        lift.after(0.1)
    assert 395 < lift.at <= 400


def test_a_stop_brakes_and_a_lost_link_does(lift: Moved) -> None:
    lift.move(150)
    lift.after(0.6).do("stop")
    lift.after(1)
    assert lift.state == "standstill" and lift.at < 330
    lift.move(-100)
    lift.after(0.4)
    drive = lift_of(RIGHT).drive
    assert drive is not None
    built = apply(lift.plant, LIBRARY, edits.SetBuilt(ids=[drive], values={"cable": False})).plant
    lift.bench.rebuilt(built)
    lift.after(1)
    assert lift.drive.fault == 0x8100
    assert lift.machine.speed == 0 and lift.state == "fault"


def test_one_that_only_stands_with_power_sees_that_its_link_is_gone_as_well(lift: Moved) -> None:
    lift.after(1)
    assert lift.drive.settled
    drive = lift_of(RIGHT).drive
    assert drive is not None
    lift.bench.rebuilt(apply(lift.plant, LIBRARY, edits.SetBuilt(ids=[drive], values={"cable": False})).plant)
    lift.after(1)
    assert lift.drive.fault == 0x8100 and lift.machine.held


def test_the_tape_finds_the_gear_that_was_built() -> None:
    from fractions import Fraction

    from highmoor.core.project.tape import Measured, read_tape

    moved = Moved(DEMO, LIBRARY)
    moved.do("enable")
    moved.after(1)
    begin = moved.bench.axes.tape(moved.id)
    moved.move(100, 100)
    moved.after(3)
    went = Fraction(moved.bench.axes.tape(moved.id) - begin)
    assert moved.at == pytest.approx(300, abs=0.001)
    told = read_tape(analyse(DEMO, LIBRARY), moved.id, [Measured(Fraction(100), went)], None)
    assert [one.says for one in told.classes[0].suspects] == ["gear 5 : 1", "lead 8 mm"]


def test_nobody_moves_what_is_not_enabled_or_a_program_holds() -> None:
    moved = Moved(RIGHT, LIBRARY)
    with pytest.raises(Refusal, match="not enabled"):
        moved.move(10)
    with pytest.raises(Refusal, match="not enabled"):
        moved.do("home", distance=0)
    with pytest.raises(Refusal, match="not commanded"):
        moved.bench.axes.command("a0", "enable", {})
    moved.do("enable")
    moved.after(1)
    for wrong in ({"speed": 900}, {"acceleration": 9000}, {"speed": 0}):
        with pytest.raises(Refusal):
            moved.move(10, **{"speed": 100, "acceleration": 100, **wrong})
    held = Moved(plain(program=True))
    with pytest.raises(Refusal, match="program Drives writes"):
        held.do("enable")


# ── a drive of plain words over Modbus TCP


def test_a_drive_of_plain_words_homes_goes_and_jogs() -> None:
    moved = Moved(plain())
    controller = moved.plant.all(Axis)[0].controller
    image = analyse(moved.plant, BUILTIN).result("controller.image", controller)
    sizes = [item.octets for name, item in image.items.items() if name.startswith("x")]
    # Eleven words are 22 octets; where each next begins, four by four, leaves two as padding.
    assert sizes == [22, 22]
    assert sorted(item.offset % 4 for item in image.items.values() if item.octets == 22) == [0, 0]
    moved.do("enable")
    assert moved.after(1).state == "standstill"
    moved.move(80, 100)
    assert moved.after(0.5).state == "moving"
    assert moved.after(2).state == "standstill"
    assert moved.at == pytest.approx(80, abs=0.05)
    moved.do("home", distance=0)
    assert moved.after(1).state == "standstill"
    assert moved.at == pytest.approx(0, abs=0.01)
    assert moved.machine.position == pytest.approx(80, abs=0.05)
    moved.do("home", distance=80)
    assert moved.after(1).at == pytest.approx(80, abs=0.01)
    moved.move(-20, 100, absolute=True)
    assert moved.after(3).machine.position == pytest.approx(-20, abs=0.05)
    for way in (1, -1):
        begin = moved.at
        for _ in range(10):
            moved.do("jog", speed=way * 40)
            moved.after(0.1)
        assert (moved.at - begin) * way > 25
        moved.after(1)
    moved.move(100, 50)
    moved.after(0.5).do("stop")
    assert moved.after(1).state == "standstill"
    assert moved.machine.speed == 0


def test_a_second_axis_by_one_replication_moves_on_its_own() -> None:
    plant = applied(plain(program=True), edits.Replicate(id=plain().all(Station)[0].id, count=1))
    assert [axis.name for axis in plant.all(Axis)] == ["LIFT", "LIFT2"]
    text = text_of(plant)
    assert "Again2(IN := LIFTMoving2, PT := T#2s);" in text and "  Again2 : TON;" in text
    assert text.count("Again(IN := LIFTMoving,") == 1
    second = lift_of(plant, "LIFT2")
    told = analyse(plant, BUILTIN)
    assert told.result("axis.commands", second.id).whole
    assert {f.code for f in told.findings.values()} == {"HW-102"}
    assert second.drive == next(s.id for s in plant.all(Station) if s.name == "Drive2")
    alone = applied(plain(), edits.Replicate(id=plain().all(Station)[0].id, count=1))
    moved = Moved(alone, name="LIFT2")
    moved.do("enable")
    moved.after(1)
    moved.move(60, 100)
    assert moved.after(2).at == pytest.approx(60, abs=0.05)
    assert moved.bench.axes.axes[lift_of(alone).id].machine.position == 0
