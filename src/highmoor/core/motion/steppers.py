"""Stepping motors: pulses and where they come from, what their driver is set to, and how quick they can begin.

A motor that starts at a frequency with nothing on it starts at less with a load: f/√(1 + J_load/J_rotor).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import sqrt

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import Wiring
from highmoor.core.figures.motion.stepper import pulse_hz
from highmoor.core.motion.chain import Chain
from highmoor.core.motion.mechanics import mechanics_of
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.stepper_drivers import DRIVERS
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import number_at
from highmoor.core.plant.rows import Axis, Link, Module, Task


@dataclass(frozen=True, slots=True)
class TimedSpeed:
    """A speed that a program's timer can make: pulses of so many task periods high and as many low."""

    periods: int
    hz: float
    speed: float


@dataclass(frozen=True, slots=True)
class StepperTold:
    """A stepping axis: pulses for a turn of the motor and for a unit, Hz at the highest speed, what bounds them.

    `starts_hz` is up to where it starts with its load without a ramp; None where the motor's own is not set. Switches
    as they must stand; `current_peak` is what the rated (RMS) current allows, A. `timed` are speeds of a program's
    timer, where no fast output makes the pulses.
    """

    pulses_a_turn: float
    pulses_a_unit: str
    hz: float | None
    most_hz: int | None
    output: str
    direction: str
    starts_hz: float | None
    driver: str
    current_switches: str
    microstep_switches: str
    current_peak: float | None
    rated_peak: float | None
    pulse_us: float | None
    least_pulse_us: float | None
    polarity: str
    driver_input: str
    timed: tuple[TimedSpeed, ...]
    # Signals of the program that are written to its outputs as well.
    shared: tuple[str, ...]


def _stepper(reader: Reader, root: str) -> StepperTold | None:
    axis = reader.row(root, Axis)
    chain: Chain = reader.part("axis.links", root)
    if chain.problem or chain.motor_kind != "stepper":
        return None
    unit, bounds = unit_of(axis.kind, axis.unit), bounds_of(axis)
    pulses = chain.counts or Fraction(1)
    travel = chain.travel.value / unit.size
    hz = float(pulse_hz(bounds.speed, travel, pulses)) if bounds.speed else None
    wiring = _wiring(reader, axis)
    output = next((pair for pair in wiring.pulses if f"ch{pair.pulse}" == axis.key), None) if wiring else None
    driver = DRIVERS.get(str(chain.motor.get("driver", "")))
    rated, peak = number_at(chain.motor, "rated_a"), number_at(chain.motor, "current_a")
    tasks = [task.period_ms for task in reader.children(Task, axis.controller)]
    return StepperTold(
        float(pulses), _text(pulses / travel), hz, output.max_hz if output else None,
        f"ch{output.pulse}" if output else "", f"ch{output.direction}" if output else "",
        starts_hz(chain, linear=unit.linear),
        driver.name if driver else "", _switches(driver.currents if driver else (), peak),
        _switches(driver.microsteps if driver else (), number_at(chain.motor, "microsteps", 1)),
        peak or None, rated * sqrt(2) if rated else None, 500_000 / hz if hz else None,
        driver.least_pulse_us if driver else None, wiring.polarity if wiring else "", driver.input if driver else "",
        _timed(min(tasks), pulses, travel) if tasks and not output else (),
        _shared(reader, axis, (output.pulse, output.direction)) if output else (),
    )  # fmt: skip


def _shared(reader: Reader, axis: Axis, outputs: tuple[int, int]) -> tuple[str, ...]:
    keys = {f"ch{number}" for number in outputs}
    return tuple(link.signal for link in reader.referring(Link, "place", axis.drive or "") if link.key in keys)


def _wiring(reader: Reader, axis: Axis) -> Wiring | None:
    """How the outputs are wired that an axis has its pulses from; None for one that has them from nowhere."""
    module = reader.find(axis.drive)
    device = reader.type(module.type) if isinstance(module, Module) else None
    return next((channels.wiring for channels in device.channels if channels.wiring.pulses), None) if device else None


def _text(value: Fraction) -> str:
    return str(value.numerator) if value.denominator == 1 else f"{value.numerator}/{value.denominator}"


def _switches(table: Sequence[tuple[float, str]], wanted: float) -> str:
    """How the switches stand for a value, "" where there is no such."""
    return next((switches for value, switches in table if abs(value - wanted) < 1e-9), "")


def starts_hz(chain: Chain, *, linear: bool) -> float | None:
    """Up to which frequency it starts at once with its load; None where its own is not set."""
    own = number_at(chain.motor, "start_hz")
    rotor = number_at(chain.motor, "inertia")
    if not own or not rotor:
        return None
    return own / sqrt(1 + mechanics_of(chain, linear=linear).load_inertia / rotor)


def _timed(period_ms: float, pulses: Fraction, travel: Fraction) -> tuple[TimedSpeed, ...]:
    """The quickest speeds that a program's timer can make."""
    found = []
    for periods in range(1, 7):
        hz = 1000 / (2 * periods * period_ms)
        found.append(TimedSpeed(periods, hz, hz / float(pulses) * float(travel)))
    return tuple(found)


def coil_pairs(ohms: Mapping[tuple[int, int], float | None]) -> tuple[tuple[int, int], tuple[int, int]] | None:
    """Which of four wires (0–3) are the two coils, by the resistances between them, None for open; None where that
    names no two coils.

    Of the six ways between four wires just two are closed: one a coil, and they share no wire.
    """
    closed = sorted(pair for pair, ohm in ohms.items() if ohm is not None)
    if len(closed) != 2 or len({wire for pair in closed for wire in pair}) != 4:
        return None
    return closed[0], closed[1]


PARTS: tuple[Part, ...] = (Part("axis.stepper", "axes", _stepper, shown=StepperTold),)
