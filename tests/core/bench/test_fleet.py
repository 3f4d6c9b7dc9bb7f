"""Drives that go together do what each would do alone, to the last bit."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Task
from highmoor.core.project import edits
from tests.core.benches import cable
from tests.core.networks.ethercat.turner import LIBRARY, controller, do, line, named, put

_COUNT = 7
_CHAIN = {
    "motor": {"counts": 2**17, "inertia": 0.0002, "peak_nm": 3}, "gear": {"motor_turns": 4},
    "screw": {"lead_mm": 10}, "load": {"mass_kg": 20},
}  # fmt: skip
_AXIS = {"speed": 200, "acceleration": 500, "window": 0.05, "following": 30}
# By an axis's number, what it has that the others have not.
_OWN: dict[int, dict[str, dict[str, Any]]] = {
    1: {"axis": {"stop_plus": 12, "stop_minus": -11}},
    2: {"axis": {"switch_plus": 9, "switch_minus": -14, "home_from": 3, "home_to": 5}},
    3: {"motor": {"peak_nm": 0.06}, "load": {"mass_kg": 90}},
    4: {"screw": {"play_mm": 0.4}},
    5: {"load": {"incline_deg": 90}, "motor": {"peak_nm": 2, "brake_nm": 3}, "axis": {"reversed": True}},
    6: {"axis": {"following": 0.4}},
}


def _plant() -> Plant:
    plant = line(*["CS-5"] * _COUNT)
    for n in range(1, _COUNT + 1):
        drive = named(plant, f"S{n}").id
        plant = do(plant, edits.AddAxis(controller=controller(plant).id, name=f"A{n}", drive=drive))
        axis = next(axis for axis in plant.all(Axis) if axis.name == f"A{n}")
        own = _OWN.get(n, {})
        for link in plant.children(ChainLink, axis.id):
            sizes = {**_CHAIN[link.kind], **own.get(link.kind, {})}
            plant = put(plant, link.id, **{f"settings__{key}": value for key, value in sizes.items()})
        plant = put(plant, axis.id, **{f"settings__{k}": v for k, v in {**_AXIS, **own.get("axis", {})}.items()})
        plant = do(plant, edits.NameWords(axis=axis.id))
    for task in plant.all(Task):
        plant = put(plant, task.id, period_ms=10)
    return plant


_PLANT = _plant()
_ASKED = st.one_of(
    st.tuples(
        st.just("move"),
        st.fixed_dictionaries(
            {"distance": st.integers(-20, 20), "speed": st.sampled_from((20, 150)), "acceleration": st.just(400)}
        ),
    ),
    st.tuples(st.sampled_from(("stop", "quick-stop", "disable", "reset", "enable")), st.just({})),
    st.tuples(st.just("cable"), st.booleans()),
)
_HAPPENINGS = st.lists(
    st.tuples(st.integers(1, 130), st.sampled_from([*range(_COUNT)] * 3 + [-1] * 9), _ASKED), max_size=14
)


def _ask(bench: Bench, name: str, key: str, value: Any) -> None:
    if key == "cable":
        cable(bench, named(_PLANT, f"S{name[1:]}").id, plugged=value)
        return
    try:
        bench.axes.command(next(axis.id for axis in _PLANT.all(Axis) if axis.name == name), key, value)
    except Refusal:
        # What may not be now may not be in either.
        return


def _after(happenings: list[Any], at_least: int) -> tuple[Any, int]:
    """How all stand in the end, and how many went together at most."""
    bench, together, seen = Bench(_PLANT, LIBRARY), 0, []
    bench.axes.at_least = at_least
    bench.run_until(1)
    for n in range(1, _COUNT + 1):
        _ask(bench, f"A{n}", "enable", {})
    bench.run_until(1.5)
    for milliseconds, which, (key, value) in happenings:
        for n in range(_COUNT) if which < 0 and key != "cable" else [max(which, 0)]:
            _ask(bench, f"A{n + 1}", key, value)
        bench.run_until(bench.seconds + milliseconds / 1000)
        together = max([together, *(len(fleet.axes) for fleet in bench.axes._fleets)])
        seen.append([_state(bench, axis.id) for axis in _PLANT.all(Axis)])
    simulated = bench.controllers[controller(_PLANT).id]
    return (seen, simulated.image_in, simulated.image_out), together


def _state(bench: Bench, axis: str) -> Any:
    live, commander = bench.axes.axes[axis], bench.axes.commanders[axis]
    drive: Any = live.drive
    machine = live.machine
    device: Any = bench.devices.there[live.axis.drive or ""].device
    return (
        drive.state, drive.fault, drive.shown, asdict(drive.wanted), asdict(drive.follower), drive.settled, drive.zero,
        machine.position, machine.speed, machine.torque, machine.limited_s, machine.shaft, machine.held,
        bytes(device.head.gives), commander.state, commander.text,
    )  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(happenings=_HAPPENINGS)
def test_together_each_does_what_it_does_alone(happenings: list[Any]) -> None:
    assert _after(happenings, 2)[0] == _after(happenings, 99)[0]


def test_those_on_their_way_go_together_and_part_where_they_meet_something() -> None:
    move = ("move", {"distance": 20, "speed": 150, "acceleration": 400})
    assert _after([(60, -1, move)], 2)[1] >= _COUNT - 2
    assert _after([(60, -1, move)], 99)[1] == 0
