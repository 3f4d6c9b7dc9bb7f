"""What is set of an axis: its bounds, limits, and what its drive gives."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.figures.motion.profile import MotionLimits
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import Settings, fraction_at, number_at
from highmoor.core.plant.rows import Axis

USUAL_REACTION_MS = 10
# Of a drive of which nobody has set it, 1/s.
USUAL_GAIN = 50


@dataclass(frozen=True, slots=True)
class Bounds:
    """The highest speed and acceleration of an axis, in its unit and s; None where not set."""

    speed: Fraction | None
    acceleration: Fraction | None
    deceleration: Fraction | None
    jerk: Fraction | None

    def limits(self) -> MotionLimits | None:
        """As they bound a move. None where speed or acceleration is not set."""
        if not self.speed or not self.acceleration:
            return None
        slower = self.deceleration or self.acceleration
        jerk = self.jerk or None
        return MotionLimits(self.speed, self.acceleration, self.acceleration if jerk else slower, jerk)


def bounds_of(axis: Axis) -> Bounds:
    """Its bounds, speeds and accelerations per second whatever unit they are typed in."""
    unit = unit_of(axis.kind, axis.unit)

    def a_second(key: str) -> Fraction | None:
        value = fraction_at(axis.settings, key)
        return None if value is None else value / unit.a_speed

    return Bounds(*(a_second(key) for key in ("speed", "acceleration", "deceleration", "jerk")))


def modulo_of(axis: Axis, unit: Unit) -> Fraction | None:
    """The length after which an endless axis counts from 0 again; a turn unless set. None for all others."""
    if axis.kind != "endless":
        return None
    return fraction_at(axis.settings, "modulo") or 1 / unit.size


def reaction_s(settings: Settings) -> float:
    """From a limit that is passed to the load's being braked: the ramp begins, and the load is behind it."""
    return number_at(settings, "reaction_ms", USUAL_REACTION_MS) / 1000 + 1 / gain_of(settings)


def gain_of(settings: Settings) -> float:
    """Of the position loop, 1/s."""
    return number_at(settings, "gain") or USUAL_GAIN
