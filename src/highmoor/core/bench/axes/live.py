"""The axes of a bench: each drive with its machine as it really stands, going on in steps of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import inf
from typing import Any

from highmoor.core.bench.axes.drives import Cia402Drive, Drive, Facts, WordDrive
from highmoor.core.bench.axes.machine import Build, Machine
from highmoor.core.bench.axes.words import DeviceWords, OctetsOf
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.motion.chain import Chain, chain_of
from highmoor.core.motion.links import fraction_at, number_at
from highmoor.core.motion.mechanics import mechanics_of
from highmoor.core.motion.scale import counts_a_unit
from highmoor.core.motion.settings import bounds_of, gain_of
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.motion.words import Carried
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, BuiltDevice, ChainLink, CommandProfile, Station

STEP_MS = 2
# A drive at rest looks at its words in every so many steps: within the scan that a profile says of drives.
LOOKS_EVERY = 4
_DRIVES: dict[str, type[Cia402Drive] | type[WordDrive]] = {"cia402": Cia402Drive, "words": WordDrive}


@dataclass(slots=True)
class AxisLive:
    """An axis going on: its drive and its machine."""

    axis: Axis
    drive: Drive
    machine: Machine
    clock: VirtualClock
    alive: Callable[[], bool]

    def step(self) -> None:
        """On by one step, unless nothing could become of it: what has power sees that its controller is gone."""
        alive = self.alive()
        if not self.drive.idle or (self.drive.powered and not alive):
            self.drive.step(STEP_MS / 1000, self.clock.now_ns / 1e9, alive=alive)


def made_axis(
    plant: Plant, axis: Axis, built: BuiltDevice | None, carried: list[Carried], octets: OctetsOf,
    clock: VirtualClock, alive: Callable[[], bool], at: float | None = None,
) -> AxisLive | None:  # fmt: skip
    """An axis as it stands; None for one whose chain, drive or profile does not say what moves."""
    profile: CommandProfile | None = plant.find(axis.profile)
    station = plant.find(axis.drive)
    links = plant.children(ChainLink, axis.id)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(links, linear=unit.linear)
    kind = _DRIVES.get(profile.base) if profile else None
    counts = counts_a_unit(chain, unit)
    bounds = bounds_of(axis)
    if profile is None or kind is None or not isinstance(station, Station) or counts is None:
        return None
    if not bounds.speed or not bounds.acceleration:
        return None
    said = built.settings if built else {}
    sign = -1 if axis.settings.get("reversed") else 1
    facts = Facts(
        sign * float(counts.value), sign * _travel(chain, unit), gain_of(axis.settings),
        number_at(axis.settings, "following") or None,
        number_at(axis.settings, "window") or 10 / float(counts.value),
        float(bounds.speed), float(bounds.deceleration or bounds.acceleration),
    )  # fmt: skip
    machine = Machine(_build(axis, links, said, unit), _begins(axis, said) if at is None else at)
    words = DeviceWords.of(profile, carried, octets)
    drive = kind(facts, machine, words, machine.position)
    return AxisLive(axis, drive, machine, clock, alive)


def _travel(chain: Chain, unit: Unit) -> float:
    return float(chain.travel.value / unit.size)


def _begins(axis: Axis, said: Mapping[str, Any]) -> float:
    """Where it stands to begin with: as is said, else in the middle of where it may go."""
    at = fraction_at(said, "position")
    if at is not None:
        return float(at)
    low, high = (fraction_at(axis.settings, f"soft_{way}") for way in ("minus", "plus"))
    return float((low + high) / 2) if low is not None and high is not None else 0.0


def _build(axis: Axis, links: list[ChainLink], said: Mapping[str, Any], unit: Unit) -> Build:
    """The machine as configured, with what is said of it as built laid over it, link by link."""
    own: Mapping[str, Mapping[str, Any]] = said.get("chain", {})
    really = [replace(link, settings={**link.settings, **own.get(link.id, {})}) for link in links]
    chain = chain_of(really, linear=unit.linear)
    if chain.problem:
        chain = chain_of(links, linear=unit.linear)
    settings = axis.settings
    turned = said.get("reversed", settings.get("reversed", False))
    stops = [fraction_at(settings, f"stop_{way}") for way in ("minus", "plus")]
    switches = [fraction_at(settings, f"switch_{way}") for way in ("minus", "plus")]
    cam = fraction_at(settings, "cam")
    peak, drive = number_at(chain.motor, "peak_nm"), number_at(settings, "peak_a")
    most = [each for each in (peak, drive * number_at(chain.motor, "torque_constant")) if each]
    return Build(
        mechanics_of(chain, linear=unit.linear), (-1 if turned else 1) * _travel(chain, unit), unit.si,
        min(most, default=inf), number_at(chain.motor, "brake_nm"), number_at(chain.motor, "brake_ms") / 1000,
        (-inf if stops[0] is None else float(stops[0]), inf if stops[1] is None else float(stops[1])),
        (None if switches[0] is None else float(switches[0]), None if switches[1] is None else float(switches[1])),
        inf if cam is None else float(cam),
    )  # fmt: skip
