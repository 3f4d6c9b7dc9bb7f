"""The axes of a bench: each drive with its machine as it really stands, going on in steps of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import inf
from typing import Any

from highmoor.core.bench.axes.by_profile import DRIVES
from highmoor.core.bench.axes.machine import Build, Machine
from highmoor.core.bench.axes.ports import PulseWords
from highmoor.core.bench.axes.powered import Drive, Facts, Homing
from highmoor.core.bench.axes.stepper_drive import StepperDrive, Steps
from highmoor.core.bench.axes.words import DeviceWords, OctetsOf
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.motion.chain import Chain, chain_of
from highmoor.core.motion.copies import in_drive, values_of
from highmoor.core.motion.home_search import METHODS, Switch
from highmoor.core.motion.homing import ground_of, position_of, speeds_of
from highmoor.core.motion.mechanics import mechanics_of
from highmoor.core.motion.scale import chain_told, counts_a_unit
from highmoor.core.motion.settings import USUAL_GAIN, bounds_of, gain_of
from highmoor.core.motion.speeds import speed_counts
from highmoor.core.motion.stepper_drivers import DRIVERS
from highmoor.core.motion.steppers import starts_hz
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.motion.words import Carried
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, BuiltDevice, ChainLink, CommandProfile, Station

STEP_MS = 2
# A drive at rest looks at its words in every so many steps: within the scan that a profile says of drives.
LOOKS_EVERY = 4


@dataclass(frozen=True, slots=True)
class Reached:
    """The device of a drive, None while none is there, and whether its controller still exchanges with it."""

    device: Callable[[], Any | None]
    exchanging: Callable[[Any], bool] = lambda _: True

    @property
    def alive(self) -> bool:
        """Whether it is there and exchanges."""
        device = self.device()
        return device is not None and self.exchanging(device)


@dataclass(slots=True)
class AxisLive:
    """An axis going on: its drive and its machine."""

    axis: Axis
    drive: Drive
    machine: Machine
    clock: VirtualClock
    reached: Reached

    def set_to(self, facts: Facts) -> None:
        """What is set in the drive is another from now on."""
        self.drive.facts, self.machine.most_nm = facts, facts.most_nm

    def step(self) -> None:
        """On by one step, unless nothing could become of it: what has power sees that its controller is gone."""
        drive = self.drive
        if self.machine.torque_off and drive.powered and not drive.fault:
            # Enabled in vain.
            drive.stop_safely()
        if not drive.idle or (drive.powered and not self.reached.alive):
            drive.step(STEP_MS / 1000, self.clock.now_ns / 1e9, alive=self.reached.alive)


def made_axis(
    plant: Plant, axis: Axis, built: BuiltDevice | None, carried: list[Carried], octets: OctetsOf,
    clock: VirtualClock, reached: Reached, at: float | None = None,
) -> AxisLive | None:  # fmt: skip
    """An axis as it stands; None for one whose chain, drive or profile does not say what moves."""
    profile: CommandProfile | None = plant.find(axis.profile)
    station = plant.find(axis.drive)
    links = plant.children(ChainLink, axis.id)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(links, linear=unit.linear)
    kind = DRIVES.get(profile.base) if profile else None
    bounds = bounds_of(axis)
    if profile is None or kind is None or not isinstance(station, Station) or counts_a_unit(chain, unit) is None:
        return None
    if not bounds.speed or not bounds.acceleration:
        return None
    said = built.settings if built else {}
    machine = Machine(_build(axis, links, said, unit), _begins(axis, said) if at is None else at)
    words = DeviceWords.of(profile, carried, octets)
    facts = facts_in_drive(plant, axis, said)
    machine.most_nm = facts.most_nm
    return AxisLive(axis, kind(facts, machine, words, machine.position), machine, clock, reached)


def made_stepper(
    plant: Plant, axis: Axis, most_hz: float, words: PulseWords, clock: VirtualClock, at: float | None = None
) -> AxisLive | None:
    """An axis that has its pulses from an output of its controller, of at most so many Hz; None for one whose chain or
    speeds are not whole."""
    unit, bounds = unit_of(axis.kind, axis.unit), bounds_of(axis)
    links = plant.children(ChainLink, axis.id)
    chain = chain_of(links, linear=unit.linear)
    counts = counts_a_unit(chain, unit)
    if counts is None or not bounds.speed or not bounds.acceleration:
        return None
    sign = -1 if axis.settings.get("reversed") else 1
    pulses = float(counts.value)
    facts = Facts(
        sign * pulses, sign * _travel(chain, unit), gain_of(axis.settings), None, 1 / pulses,
        min(float(bounds.speed), most_hz / pulses), float(bounds.deceleration or bounds.acceleration), sign * pulses,
    )  # fmt: skip
    machine = Machine(_build(axis, links, {}, unit), _begins(axis, {}) if at is None else at)
    drive = StepperDrive(facts, machine, words, machine.position, steps=_steps(chain, most_hz, linear=unit.linear))
    return AxisLive(axis, drive, machine, clock, Reached(lambda: drive))


def _steps(chain: Chain, most_hz: float, *, linear: bool) -> Steps:
    driver = DRIVERS.get(str(chain.motor.get("driver", "")))
    motor = {key: number_at(chain.motor, key) or inf for key in ("hold_nm", "rated_rpm", "peak_nm")}
    seen = 500_000 / driver.least_pulse_us if driver else inf
    return Steps(
        most_hz, seen, starts_hz(chain, linear=linear) or inf, motor["hold_nm"], motor["rated_rpm"], motor["peak_nm"]
    )


def facts_in_drive(plant: Plant, axis: Axis, said: Mapping[str, Any]) -> Facts:
    """What counts in the drive of an axis whose chain is whole: its own copy of what is configured."""
    profile = plant.get(axis.profile or "", CommandProfile)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(plant.children(ChainLink, axis.id), linear=unit.linear)
    has = in_drive(axis.id, values_of(axis, chain, unit), said).acting
    number = {key: value or 0.0 for key, value in has.items()}
    believed = (number["feed"] or 1.0) / (number["gear"] or 1.0)
    encoder = (number["counts"] or 1.0) / believed
    counts = encoder if has["drive_digits"] is None else 10.0 ** has["drive_digits"]
    # An encoder of other counts than the drive believes turns its motor by another way.
    a_turn = believed * _really(chain, said) / (number["counts"] or 1.0)
    sign = -1 if number["reversed"] else 1
    speed, rate = number["speed"] or 1.0, number["deceleration"] or number["acceleration"] or 1.0
    return Facts(
        sign * counts, sign * a_turn, number["gain"] or USUAL_GAIN, number["following"] or None,
        number["window"] or 10 / min(counts, encoder), speed, rate,
        sign * speed_counts(profile, counts, believed, number_at(chain.motor, "rated_rpm")),
        _homing(axis, number, has["home_position"], a_turn),
        number["quick_ramp"] or None, number["encoder_offset"] - _mounted(axis, said),
        number["peak_a"] * number_at(chain.motor, "torque_constant") or inf,
    )  # fmt: skip


def _mounted(axis: Axis, said: Mapping[str, Any]) -> float:
    """What its encoder offset would have to be: as it was built in, else as is set."""
    return number_at(said, "encoder_offset", number_at(axis.settings, "encoder_offset"))


def _really(chain: Chain, said: Mapping[str, Any]) -> float:
    """Counts a turn of the encoder that is there."""
    own: Mapping[str, Mapping[str, Any]] = said.get("chain", {})
    counts = fraction_at(own.get(chain.motor_link, {}), "counts") or chain.counts
    return float(counts or 1)


def _homing(axis: Axis, number: Mapping[str, float], position: float | None, a_turn: float) -> Homing | None:
    method = METHODS.get(int(number["home_method"]))
    speeds = speeds_of(axis.settings, bounds_of(axis), unit_of(axis.kind, axis.unit))
    if method is None or speeds is None:
        return None
    if position is None:
        position = position_of({**axis.settings, "home_position": None}, ground_of(axis.settings, a_turn), method)
    return Homing(method, number["home_fast"] or speeds.fast, number["home_slow"] or speeds.slow, position or 0.0)


def only_copies_differ(axis: str, before: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
    """Whether a drive goes on with what was written into it: nothing else of it changed, and it was not restarted."""
    restarts = [in_drive(axis, {}, said).restarts for said in (before, now)]
    rest = [{key: value for key, value in said.items() if key != "copies"} for said in (before, now)]
    return rest[0] == rest[1] and restarts[0] == restarts[1]


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
    peak, brake, brake_ms = (number_at(chain.motor, key) for key in ("peak_nm", "brake_nm", "brake_ms"))
    return Build(
        mechanics_of(chain, linear=unit.linear), (-1 if turned else 1) * _travel(chain, unit), unit.si,
        peak or inf, brake, brake_ms / 1000,
        (-inf if stops[0] is None else float(stops[0]), inf if stops[1] is None else float(stops[1])),
        ground_of(settings, _travel(chain, unit)), _inverted(settings, said),
        sum(one.play or 0.0 for one in chain_told(axis, really, chain).links),
    )  # fmt: skip


def _inverted(settings: Mapping[str, Any], said: Mapping[str, Any]) -> frozenset[Switch]:
    """The limit switches that are wired otherwise than is set: one opens where the other closes."""
    opens = bool(settings.get("limits_close", False))
    ends: tuple[Switch, ...] = ("minus", "plus")
    return frozenset(end for end in ends if bool(said.get(f"limit_{end}_closes", opens)) != opens)
