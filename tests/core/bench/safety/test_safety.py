"""Safety on the bench: what is told of a response is what happens, whatever fails once; faults, and taking back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.axes.powered import SAFELY_STOPPED
from highmoor.core.bench.bench import Bench
from highmoor.core.bench.safety.controller import ControllerSafety
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, SafetyFunction, SafetyPart, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.demo import DEMO, LIBRARY
from tests.core.safety.functions import CONTACTS, DI, SI, SO, at, do, of, on, pair, press, put, told, with_part


@dataclass
class Pressing:
    """The press on the bench, with hands on it."""

    plant: Plant
    bench: Bench
    safety: ControllerSafety

    @classmethod
    def of(cls, plant: Plant) -> Pressing:
        bench = Bench(plant, BUILTIN)
        return cls(plant, bench, next(iter(bench.safety.of.values())))

    def by(self, name: str, deed: str, value: Any = None) -> None:
        row = at(self.plant, name) if name.startswith("-") else of(self.plant, name)
        self.bench.safety.command(row, deed, value)

    def wait(self, seconds: float) -> None:
        self.bench.run_until(self.bench.seconds + seconds)

    def press(self, name: str = "Reset", seconds: float = 0.3) -> None:
        for pressed in (True, False):
            self.by(name, "press", pressed)
            self.wait(seconds)

    @property
    def runs(self) -> bool:
        return self.safety.actuators[of(self.plant, "Drive")][1].supplied

    @property
    def off_ms(self) -> float:
        return self.safety.actuators[of(self.plant, "Drive")][1].since / 1e6

    def started(self) -> Pressing:
        self.wait(1)
        self.press()
        assert self.runs
        return self


def test_it_runs_falls_and_does_not_start_again_by_itself() -> None:
    one = Pressing.of(press())
    one.wait(1)
    assert not one.runs
    one.press()
    assert one.runs
    one.by("Door", "demand", True)
    one.wait(0.1)
    assert not one.runs
    # Pressed while the door is open, and the door closed: neither starts it.
    one.press()
    one.by("Door", "demand", False)
    one.wait(0.5)
    assert not one.runs
    one.press()
    assert one.runs


def test_held_at_power_up_it_resets_nothing() -> None:
    one = Pressing.of(press())
    one.by("Reset", "press", True)
    one.wait(1)
    one.by("Reset", "press", False)
    one.wait(1)
    assert not one.runs


def test_with_a_start_it_waits_for_that_and_a_stop_takes_it_off() -> None:
    plant = press()
    add = edits.AddSignals(controller=plant.all(SafetyFunction)[0].controller, pattern="Halt", place=at(plant, DI),
                           key="ch2")  # fmt: skip
    plant = do(plant, add)
    uses = [edits.UseSignal(of=of(plant, "Press"), role=role, signal=of(plant, name))
            for role, name in (("start", "Start"), ("stop", "Halt"))]  # fmt: skip
    one = Pressing.of(do(plant, *uses))
    one.wait(1)
    one.press()
    assert not one.runs
    one.press("Start")
    assert one.runs
    one.press("Halt")
    assert not one.runs
    one.press("Reset")
    assert not one.runs
    one.press("Start")
    assert one.runs


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["Button", "Door"]), st.integers(0, 24_000), st.sampled_from([0, 5, 40]),
    st.sampled_from([None, "input", "output", "burden"]), st.integers(-30_000, 30_000), st.sampled_from([1, 3, 1000]),
    st.integers(4, 15), st.sampled_from([1, 3, 10]),
)  # fmt: skip
def test_no_demand_is_answered_later_than_is_told(
    name: str, phase_us: int, skew: int, fails: str | None, before_us: int, lost: int, cycle: int, delay: float
) -> None:
    """Whatever phase it comes in, with one thing failing about then: a link loses telegrams, or the safe part hangs."""
    plant = put(press(), of(press(), "HALL"), settings__safe_cycle_ms=cycle)
    plant = put(plant, at(plant, SI), settings__filter_ms=delay)
    time = told(plant).time
    assert time.response_ms is not None
    one = Pressing.of(plant).started()
    one.by(name, "skew", skew)
    demand_s = one.bench.seconds + 0.05 + phase_us / 1e6
    fault_s = demand_s + before_us / 1e6
    moments = sorted([(demand_s, "demand"), *([(fault_s, "fails")] if fails else [])])
    for moment, what in moments:
        one.bench.run_until(moment)
        if what == "demand":
            one.by(name, "demand", True)
        elif fails == "burden":
            one.by("HALL", "burden", 50)
        else:
            one.by(SI if fails == "input" else SO, "lose", lost)
    one.wait(0.3)
    assert not one.runs
    took = one.off_ms - demand_s * 1e3
    # Once something fails it may be off before the demand.
    assert took <= (time.response_ms if fails else time.response_ms - time.fault_ms) + 1e-6
    assert fails or took >= delay + 5 + 1 + 1 + 2 + 5


def test_the_latest_answer_comes_near_to_what_is_told() -> None:
    """What is told is not padded: some phase takes nearly as long."""
    time = told(press()).time
    assert time.response_ms is not None
    worst = 0.0
    for phase in range(48):
        one = Pressing.of(press()).started()
        one.wait(0.05 + phase * 0.0005)
        begun = one.bench.seconds
        one.by("Button", "demand", True)
        one.wait(0.1)
        worst = max(worst, one.off_ms - begun * 1e3)
    assert time.response_ms - time.fault_ms - 4 < worst <= time.response_ms - time.fault_ms


@pytest.mark.parametrize(
    ("wrong", "right", "fault"),
    [
        # Within 100 ms both open, or they do not.
        (("skew", 99), ("skew", 0), False),
        (("skew", 101), ("skew", 0), True),
        (("fault-a", "stuck"), ("fault-a", ""), True),
        (("fault-b", "stuck"), ("fault-b", ""), True),
    ],
)
def test_contacts_that_do_not_open_together(wrong: tuple[str, Any], right: tuple[str, Any], fault: bool) -> None:
    one = Pressing.of(press()).started()
    state = one.safety.inputs[at(one.plant, SI)].pairs["ch0"]
    one.by("Button", *wrong)
    one.by("Button", "demand", True)
    one.wait(0.1)
    # One contact is enough to stop it.
    assert not one.runs
    one.wait(0.5)
    assert state.fault == fault
    one.by("Button", "demand", False)
    one.wait(0.5)
    one.press()
    # A fault is acknowledged only after both have been off, and then it is reset.
    if fault and wrong[0] != "skew":
        assert state.fault and not one.runs
        one.by("Button", *right)
        one.by("Button", "demand", True)
        one.wait(0.3)
        one.by("Button", "demand", False)
        one.wait(0.3)
        one.press()
    if fault:
        assert not state.fault and not one.runs
        one.press()
    assert one.runs and not state.fault


def test_a_broken_wire_a_short_and_a_cross_circuit_are_found_without_a_demand() -> None:
    for wrong, right in ((("fault-a", "broken"), ("fault-a", "")), (("fault-b", "shorted"), ("fault-b", "")),
                         (("cross", True), ("cross", False))):  # fmt: skip
        one = Pressing.of(press()).started()
        state = one.safety.inputs[at(one.plant, SI)].pairs["ch0"]
        one.by("Button", *wrong)
        one.wait(0.3)
        assert state.fault and not one.runs, wrong
        one.press()
        assert state.fault, wrong
        one.by("Button", *right)
        for demand in (True, False):
            one.by("Button", "demand", demand)
            one.wait(0.2)
        one.press()
        one.press()
        assert one.runs, wrong


def test_without_test_pulses_a_cross_circuit_is_not_found_and_takes_a_channel_away() -> None:
    plant = pair(press(), SI, "ch0", supply="steady", cross_circuit=False)
    one = Pressing.of(plant).started()
    one.by("Button", "cross", True)
    one.wait(0.3)
    assert one.runs
    # One contact alone opens: nothing is seen.
    one.by("Button", "fault-a", "stuck")
    one.by("Button", "demand", True)
    one.wait(0.5)
    assert one.runs


def test_a_sensor_that_tests_itself_goes_off_by_a_short() -> None:
    plant = pair(on(press(), "Door", pulsed=True, pulse_ms=0.5), SI, "ch2", supply="external", cross_circuit=False)
    one = Pressing.of(plant).started()
    one.by("Door", "fault-a", "shorted")
    one.wait(0.2)
    assert not one.runs


@pytest.mark.parametrize("module", [SI, SO])
def test_what_is_not_heard_is_held_safe_until_it_is_acknowledged(module: str) -> None:
    one = Pressing.of(press()).started()
    # Six telegrams at 3 ms are within 20 ms, seven are not.
    one.by(module, "lose", 5)
    one.wait(0.2)
    assert one.runs
    one.by(module, "cut")
    one.wait(0.2)
    assert not one.runs
    one.press()
    assert not one.runs
    one.by(module, "connect")
    one.wait(0.2)
    assert not one.runs
    one.press()
    if module == SI:
        # To the functions it was a demand.
        assert not one.runs
        one.press()
    assert one.runs


def test_a_run_that_takes_too_long_stops_the_safe_part() -> None:
    one = Pressing.of(press()).started()
    run_ms = one.safety.part.run_ns / 1e6
    one.by("HALL", "burden", 2 - run_ms)
    one.wait(0.2)
    assert one.runs and one.safety.part.longest_ns == 2_000_000
    one.by("HALL", "burden", 2 - run_ms + 0.001)
    one.wait(0.2)
    assert not one.runs and one.safety.part.stopped
    one.by("HALL", "burden", 0)
    one.press()
    one.press()
    assert not one.runs


def test_a_welded_contactor_is_seen_by_its_feedback() -> None:
    plant = put(on(press(), "Drive", drop_out_ms=15, feedback_ms=40), of(press(), "Drive"), block="contactor")
    add = edits.AddSignals(controller=plant.all(SafetyFunction)[0].controller, pattern="Dropped", place=at(plant, DI),
                           key="ch3")  # fmt: skip
    plant = do(plant, add)
    plant = do(plant, edits.UseSignal(of=of(plant, "Drive"), role="feedback", signal=of(plant, "Dropped")))
    # Looked at often enough: the contact is read in the slowest task otherwise.
    fast = min(plant.tables["tasks"].values(), key=lambda task: task.period_ms)
    plant = put(plant, of(plant, "Dropped"), task=fast.id)
    one = Pressing.of(plant).started()
    one.by("Drive", "weld", True)
    one.by("Button", "demand", True)
    one.wait(0.5)
    assert one.safety.part.feedbacks[0].state.fault
    one.by("Button", "demand", False)
    one.wait(0.3)
    one.press()
    assert not next(iter(one.safety.part.outputs.values())).on
    one.by("Drive", "weld", False)
    one.by("Button", "demand", True)
    one.wait(0.1)


def test_safe_values_stand_in_the_image_within_what_is_told() -> None:
    plant = press()
    owner = plant.all(SafetyFunction)[0].controller
    plant = do(plant, edits.AddSignals(controller=owner, pattern="Closed", type="SAFEBOOL", place=at(plant, SI),
                                       key="ch2"))  # fmt: skip
    fast = min(plant.tables["tasks"].values(), key=lambda task: task.period_ms)
    plant = put(plant, of(plant, "Closed"), task=fast.id)
    worst = analyse(plant, BUILTIN).result("signal.path", of(plant, "Closed")).worst_ms
    signal = plant.get(of(plant, "Closed"), Signal)
    for phase in range(30):
        one = Pressing.of(plant)
        one.wait(1 + phase * 0.00073)
        assert one.bench.value(signal.id)[0] is True
        begun = one.bench.seconds
        one.by("Door", "demand", True)
        while one.bench.value(signal.id)[0]:
            one.wait(0.0005)
        assert (one.bench.seconds - begun) * 1e3 <= worst + 0.5


def test_what_hands_cannot_do_is_said() -> None:
    one = Pressing.of(press())
    for name, deed, value, why in (
        ("Button", "weld", True, "cannot be done"), ("Button", "fault-a", "melted", "There are stuck"),
        ("Button", "skew", -1, "A number of"), (SI, "lose", "x", "A number of"), ("Drive", "demand", True, "cannot"),
        ("HALL", "burden", 5000, "A number of"),
    ):  # fmt: skip
        with pytest.raises(Refusal, match=why):
            one.by(name, deed, value)
    with pytest.raises(Refusal, match="nothing of safety"):
        one.bench.safety.command(at(one.plant, DI), "cut")


def test_an_emergency_stop_takes_the_torque_of_the_demos_turner() -> None:
    bench = Bench(DEMO, LIBRARY)
    hall = next(iter(bench.safety.of))
    lift = next(axis.id for axis in DEMO.all(Axis) if axis.name == "LIFT")
    drive, machine = bench.axes.axes[lift].drive, bench.axes.axes[lift].machine
    button = next(part.id for part in DEMO.all(SafetyPart) if part.name == "Emergency stop 1")
    stop = next(one.id for one in DEMO.all(SafetyFunction) if one.name == "Turner emergency stop")
    response = analyse(DEMO, LIBRARY).result("function.told", stop).time.response_ms

    def later(seconds: float) -> None:
        bench.run_until(bench.seconds + seconds)

    # From power-up on it has none, and enabling it is in vain.
    later(1)
    bench.axes.command(lift, "enable", {})
    later(0.5)
    assert machine.torque_off and drive.fault == SAFELY_STOPPED
    bench.safety.command(hall, "restart")
    later(2)
    for key in ("reset", "enable"):
        bench.axes.command(lift, key, {})
        later(0.5)
    assert bench.axes.commanders[lift].state == "standstill"
    bench.axes.command(lift, "move", {"distance": 200, "speed": 200, "acceleration": 500})
    later(0.7)
    assert machine.speed > 150
    begun = bench.seconds
    bench.safety.command(button, "demand", True)
    while not machine.torque_off:
        later(0.001)
    assert (bench.seconds - begun) * 1e3 <= response + 1
    later(1)
    at_rest = machine.position
    # The brake holds what hangs.
    assert machine.speed == 0 and machine.held and drive.fault == SAFELY_STOPPED
    # Nothing starts again: not by releasing the button, nor by resetting the drive alone.
    bench.safety.command(button, "demand", False)
    later(0.5)
    bench.axes.command(lift, "reset", {})
    later(0.5)
    bench.axes.command(lift, "enable", {})
    later(0.5)
    assert machine.position == at_rest and drive.fault == SAFELY_STOPPED
    bench.safety.command(hall, "restart")
    later(2)
    for key in ("reset", "enable"):
        bench.axes.command(lift, key, {})
        later(0.5)
    assert bench.axes.commanders[lift].state == "standstill"


def test_sensors_each_alone_on_a_pair_have_a_contact_each_and_nothing_to_differ_from() -> None:
    plant = pair(press("PL c"), SI, "ch0", evaluation="1oo1", kind="antivalent")
    plant = with_part(plant, "sensor", "guard", "Flap", SI, "ch1", **CONTACTS)
    one = Pressing.of(plant).started()
    state = one.safety.inputs[at(plant, SI)].pairs["ch0"]
    for name, other in (("Button", "Flap"), ("Flap", "Button")):
        one.by(name, "demand", True)
        one.wait(0.2)
        seen = one.bench.safety.seen(of(plant, "HALL"))["sensors"]
        assert not one.runs and not state.fault
        assert [seen[of(plant, each)]["channels"] for each in (name, other)] == [[False], [True]]
        one.by(name, "demand", False)
        one.wait(0.3)
        one.press()
        assert one.runs
    # A short at one stays a fault though the other has none.
    one.by("Flap", "fault-a", "shorted")
    one.by("Button", "fault-a", "")
    one.wait(0.3)
    one.press()
    assert state.fault and not one.runs
    one.by("Flap", "fault-a", "")
    one.press()
    one.press()
    assert not state.fault and one.runs
    for deed in ("fault-b", "cross"):
        with pytest.raises(Refusal, match="one channel"):
            one.by("Flap", deed, "broken")


def test_ten_stops_of_an_axis_are_measured() -> None:
    """Against one who looks at the machine every half millisecond."""
    bench = Bench(DEMO, LIBRARY)
    hall = next(iter(bench.safety.of))
    parts = {one.name: one for one in DEMO.all(SafetyPart)}
    lift, carriage = parts["LIFT"], parts["CARRIAGE"]
    machine = bench.axes.axes[lift.device or ""].machine
    bench.run_until(0.5)
    bench.safety.command(lift.id, "measure")
    with pytest.raises(Refusal, match="already"):
        bench.safety.command(lift.id, "measure")
    mine: list[float] = []
    began: float | None = None
    while bench.safety.seen(hall)["stops"][lift.id]["measuring"] and bench.seconds < 100:
        bench.run_until(bench.seconds + 0.0005)
        if began is None and machine.torque_off and machine.speed:
            began = bench.seconds
        elif began is not None and not machine.speed:
            mine.append((bench.seconds - began) * 1e3)
            began = None
    told = bench.safety.seen(hall)["stops"][lift.id]
    assert (told["problem"], len(told["seen"])) == ("", 10)
    for one, other in zip(told["seen"], mine, strict=True):
        assert abs(one["ms"] - other) <= 2 and one["speed"] == pytest.approx(160, abs=1)
    # As built its gear is 5 : 1 and not 4 : 1; the brake closes 20 ms after.
    assert all(20 < one["ms"] < 40 for one in told["seen"])
    # What does not run, because a limit switch holds it, is not measured, and it is said why.
    bench.safety.command(carriage.id, "measure")
    bench.run_until(bench.seconds + 8)
    told = bench.safety.seen(hall)["stops"][carriage.id]
    assert not told["measuring"] and not told["seen"] and "steady speed" in told["problem"]
    # Ended while it runs, it is left standing.
    bench.safety.command(lift.id, "measure")
    while abs(machine.speed) < 100 and bench.seconds < 200:
        bench.run_until(bench.seconds + 0.01)
    bench.safety.command(lift.id, "measure", False)
    bench.run_until(bench.seconds + 2)
    assert not bench.safety.seen(hall)["stops"][lift.id]["measuring"] and machine.speed == 0


@pytest.mark.parametrize(("block", "early"), [("ss1-r", True), ("ss1-t", False)])
def test_a_monitored_ramp_ends_with_the_movement_and_a_timed_one_with_its_delay(block: str, early: bool) -> None:
    plant = DEMO
    lifts = [one.id for one in plant.all(SafetyPart) if one.name == "LIFT"]
    values: dict[str, Any] = {"block": block, "settings.delay_ms": 1500}
    plant = apply(plant, LIBRARY, edits.SetFields(ids=lifts, values=values)).plant
    bench = Bench(plant, LIBRARY)
    lift = next(axis.id for axis in plant.all(Axis) if axis.name == "LIFT")
    button = next(part.id for part in plant.all(SafetyPart) if part.name == "Emergency stop 1")
    machine = bench.axes.axes[lift].machine
    bench.safety.restart(next(iter(bench.safety.of)))
    bench.run_until(3)
    for key, value in (("reset", {}), ("enable", {}), ("run", {"speed": 200.0})):
        bench.axes.command(lift, key, value)
        bench.run_until(bench.seconds + 0.6)
    assert machine.speed > 100
    begun, stood = bench.seconds, None
    bench.safety.command(button, "demand", True)
    while not machine.torque_off and bench.seconds < begun + 3:
        bench.run_until(bench.seconds + 0.002)
        stood = stood or (bench.seconds if not machine.speed else None)
    took = bench.seconds - begun
    assert stood and (took < stood - begun + 0.01 if early else 1.5 < took < 1.6)
