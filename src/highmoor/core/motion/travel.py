"""Where an axis may go: soft limits, switches, cams and hard stops, and what it takes to stop before them."""

from __future__ import annotations

from itertools import pairwise

from highmoor.core.figures.motion.profile import stopping_distance
from highmoor.core.motion.settings import bounds_of, modulo_of, reaction_s
from highmoor.core.motion.told import EndTold, TravelTold
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.rows import Axis

# The ends of the travel, and which way is outward there.
ENDS = (("minus", -1), ("plus", 1))


def travel_told(axis: Axis) -> TravelTold:
    """Where it may go, and how far it goes on from its highest speed."""
    bounds = bounds_of(axis)
    speed, slower = bounds.speed, bounds.deceleration or bounds.acceleration
    jerk = float(bounds.jerk) if bounds.jerk else None
    stopping = None
    if speed and slower:
        stopping = stopping_distance(float(speed), float(slower), jerk, reaction_s(axis.settings))
    gain = number_at(axis.settings, "gain")
    error = float(speed) / gain if speed and gain else None
    limited = axis.kind in ("linear", "rotary")
    ends = tuple(_end(axis, name, way) for name, way in ENDS) if limited else ()
    modulo = modulo_of(axis, unit_of(axis.kind, axis.unit))
    return TravelTold(
        ends, _length(axis) if limited else None, None if modulo is None else float(modulo),
        number_at(axis.settings, "speed") or None, stopping if limited else None, error,
    )  # fmt: skip


def _length(axis: Axis) -> float | None:
    low, high = (fraction_at(axis.settings, f"soft_{name}") for name, _ in ENDS)
    return None if low is None or high is None else float(high - low)


def _end(axis: Axis, name: str, way: int) -> EndTold:
    soft, switch, stop = (fraction_at(axis.settings, f"{what}_{name}") for what in ("soft", "switch", "stop"))
    cam = fraction_at(axis.settings, "cam")
    set_here = [at * way for at in (soft, switch, stop) if at is not None]
    in_order = all(one < other for one, other in pairwise(set_here))
    return EndTold(
        way,
        None if soft is None else float(soft),
        None if switch is None else float(switch),
        None if stop is None else float(stop),
        float((switch - soft) * way) if soft is not None and switch is not None else None,
        float((stop - switch) * way) if stop is not None and switch is not None else None,
        None if cam is None else float(cam),
        None if cam is None or switch is None or stop is None else cam >= (stop - switch) * way,
        in_order,
    )
