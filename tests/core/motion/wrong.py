"""By check of motion: an axis without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Port, Robot, Station, Use
from highmoor.core.project import edits
from tests.core.motion.axes import LIFT, an_axis, applied, lift, put, turning, with_link, with_moves
from tests.core.motion.plain_words import plain
from tests.core.motion.robots import joint, picker, with_values, without_axes
from tests.core.motion.stepping import stepping, timed
from tests.core.plants import hall

Pair = tuple[Plant, Plant]
_STILL = {"to": 400, "wait_s": 1, "wait_on": "brake"}


def _set(**values: Any) -> Callable[[], Pair]:
    """The lift, and the lift with these settings."""
    return lambda: (lift(), lift(**values))


def _link(kind: str, **values: Any) -> Callable[[], Pair]:
    return lambda: (lift(), with_link(lift(), kind, **values))


def _with_drives(count: int) -> Plant:
    """HALL with drives on a network, the first of them called as the axis is."""
    plant = hall()
    steps: list[Any] = [edits.AddNetwork(fieldbus="ethercat", port=plant.all(Port)[2].id, tag="$n")]
    steps += [edits.AddStation(network="$n", name=name) for name in ("Lift", "Turn")[:count]]
    return applied(plant, edits.Batch(edits=steps))


def _driven() -> Pair:
    plant = an_axis(LIFT, plant=_with_drives(2))
    drive = plant.all(Station)[0].id
    return put(plant, plant.all(Axis)[0].id, drive=drive), plant


def _both_on_one() -> Pair:
    plant = _driven()[0]
    two = put(an_axis(LIFT, plant=plant), an_axis(LIFT, plant=plant).all(Axis)[1].id, name="OTHER")
    one, other = two.all(Axis)
    return put(two, other.id, drive=two.all(Station)[1].id), put(two, other.id, drive=one.drive)


def _called_alike() -> Pair:
    plant = an_axis(LIFT, plant=lift())
    other = plant.all(Axis)[1].id
    return put(plant, other, name="HOIST"), put(plant, other, name="lift")


def _kept_in_drive() -> Plant:
    """The robot's wrist with a drive on a network that keeps its encoder offset."""
    plant = picker()
    wrist = joint(plant, "wrist").id
    add = edits.AddNetwork(fieldbus="ethercat", port=plant.all(Port)[2].id, tag="$n")
    plant = applied(plant, edits.Batch(edits=[add, edits.AddStation(network="$n", name="W")]))
    plant = put(plant, wrist, drive=plant.all(Station)[0].id)
    return applied(plant, edits.DriveCopies(axis=wrist, do="save"))


def _soft_alone(minus: int, plus: int) -> Plant:
    """The lift with nothing but soft limits."""
    none = dict.fromkeys(("switch_minus", "switch_plus", "stop_minus", "stop_plus"))
    return lift(soft_minus=minus, soft_plus=plus, **none)


def _pulses_shared() -> Plant:
    """A signal on the direction output."""
    plant = stepping()
    drive = plant.all(Axis)[0].drive
    add = edits.AddSignals(controller=plant.all(Axis)[0].controller, pattern="Lamp", place=drive, key="ch15")
    return applied(plant, add)


def _unnamed() -> Plant:
    """A drive whose words nobody has named."""
    plant = plain()
    return put(plant, plant.all(Axis)[0].id, profile=None)


def _use(plant: Plant, role: str) -> Use:
    return next(use for use in plant.all(Use) if use.role == role)


def _without_use(role: str) -> Plant:
    return applied(plain(), edits.Remove(ids=[_use(plain(), role).id]))


def _at_another_place() -> Plant:
    """The target where the speed stands."""
    plant = plain()
    return put(plant, _use(plant, "target").id, signal=_use(plant, "target_speed").signal)


def _without_load() -> Plant:
    plant = lift()
    screw = next(link for link in plant.all(ChainLink) if link.kind == "screw")
    return applied(plant, edits.Remove(ids=[screw.id]))


WRONG: dict[str, Callable[[], Pair]] = {
    "MOT-101": lambda: (lift(), _without_load()),
    "MOT-102": _driven,
    "MOT-103": _both_on_one,
    "MOT-104": _called_alike,
    # 250 mm/s is just 6000 1/min.
    "MOT-105": lambda: (lift(speed=250, acceleration=100, switch_plus=800, stop_plus=1200, cam=500, switch_minus=-400,
                             stop_minus=-800),
                        lift(speed=250.1, acceleration=100, switch_plus=800, stop_plus=1200, cam=500, switch_minus=-400,
                             stop_minus=-800)),
    # 2³¹ − 1 counts are 5119.999… mm.
    "MOT-106": lambda: (lift(stop_plus=5119, cam=5000), lift(stop_plus=5121, cam=5000)),
    "MOT-107": lambda: (with_link(lift(window=0.01), "motor", counts=2500), with_link(lift(window=0.01), "motor",
                                                                                      counts=2499)),
    "MOT-108": lambda: (turning(), with_link(turning(), "gear", load_turns=3)),
    "MOT-109": lambda: (with_link(turning(), "motor", absolute_turns=4096),
                        with_link(turning(), "motor", absolute_turns=4095)),
    "MOT-110": lambda: (with_link(lift(), "motor", absolute_turns=160), with_link(lift(), "motor", absolute_turns=159)),
    "MOT-111": _link("motor", peak_nm=1.87),
    "MOT-112": lambda: (with_moves(with_link(lift(), "motor", rated_nm=1.45), _STILL),
                        with_moves(with_link(lift(), "motor", rated_nm=1.2), _STILL)),
    "MOT-113": _link("motor", brake_nm=1.17),
    "MOT-114": _link("motor", brake_nm=None),
    "MOT-115": lambda: (lift(capacitance_uf=1000, bus_v=560, bus_most_v=780, resistor_w=60),
                        lift(capacitance_uf=820, bus_v=560, bus_most_v=780)),
    # From 200 mm/s by 500 mm/s² after 10 ms, the load 1/50 s behind: 2 + 4 + 40 mm.
    "MOT-121": _set(soft_plus=404.1),
    "MOT-122": lambda: (lift(stop_minus=-96), lift(stop_minus=-95.9)),
    "MOT-123": lambda: (lift(cam=50), lift(cam=49.9)),
    "MOT-124": _set(soft_plus=450, switch_plus=400),
    "MOT-125": lambda: (_soft_alone(0, 400), _soft_alone(400, 0)),
    "MOT-126": lambda: (lift(index_turn=0.1), lift(index_turn=0.09)),
    "MOT-127": lambda: (lift(gain=50, following=4), lift(gain=50, following=3.9)),
    "MOT-128": _set(limits_close=True),
    "MOT-160": lambda: (picker(), put(picker(), joint(picker(), "arm2").id, robot=None, arm="")),
    "MOT-161": lambda: (picker(), put(without_axes(), without_axes().all(Robot)[0].id, type="own")),
    "MOT-162": lambda: (picker(), with_values(picker(), joint(picker(), "arm3").id, peak_a=4.1)),
    "MOT-163": lambda: (_kept_in_drive(), with_values(_kept_in_drive(), joint(picker(), "wrist").id,
                                                      encoder_offset=None)),
    "MOT-164": lambda: (picker(), with_values(picker(), joint(picker(), "arm1").id, soft_plus=85.1)),
    "MOT-165": lambda: (picker(work_x=300), picker(work_x=520)),
    "MOT-166": lambda: (picker(to_z=140), picker(to_z=200)),
    "MOT-167": lambda: (picker(), picker(line_speed=2800, line_acceleration=60_000)),
    "MOT-168": lambda: (picker(), put(picker(), joint(picker(), "arm2").id, arm="arm1")),
    "MOT-169": lambda: (with_values(picker(), joint(picker(), "arm2").id, acceleration=1538),
                        with_values(picker(), joint(picker(), "arm2").id, acceleration=1537)),
    "MOT-151": lambda: (lift(home_method=7, home_from=100, home_to=140), lift(home_method=7, home_to=140)),
    # After 10 ms, the load 1/50 s behind: v/33.3 + v²/1000 is 50 mm at 209.1 mm/s.
    "MOT-152": lambda: (lift(home_method=1, home_fast=209), lift(home_method=1, home_fast=209.2)),
    # Half a turn of 2.5 mm behind −50.
    "MOT-153": lambda: (lift(home_method=1, home_position=-48.75), lift(home_method=1, home_position=-48.74)),
    # 3200 pulses a turn of 5 mm: 31.25 mm/s are 20 kHz.
    "MOT-141": lambda: (stepping(speed=31.25), stepping(speed=40)),
    "MOT-142": lambda: (stepping(acceleration=None, speed=2.2), stepping(acceleration=None, speed=2.7)),
    "MOT-143": lambda: (stepping(), with_link(stepping(), "stepper", current_a=1.0)),
    "MOT-144": lambda: (stepping(), with_link(stepping(), "stepper", driver="sd-5", microsteps=16, current_a=None)),
    "MOT-145": lambda: (timed(speed=0.001), timed(speed=700)),
    "MOT-146": lambda: (stepping(), with_link(stepping(), "stepper", microsteps=10)),
    "MOT-147": lambda: (stepping(), _pulses_shared()),
    "MOT-131": lambda: (plain(), _unnamed()),
    "MOT-132": lambda: (plain(), _without_use("target")),
    "MOT-133": lambda: (plain(), _at_another_place()),
}  # fmt: skip

BY_HAND = {
    "MOT-142",
    "MOT-144",
    "MOT-146",
    "MOT-101",
    "MOT-106",
    "MOT-109",
    "MOT-112",
    "MOT-113",
    "MOT-114",
    "MOT-115",
    "MOT-126",
    "MOT-161",
}
