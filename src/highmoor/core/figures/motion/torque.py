"""Torque at the motor of a linear axis behind a gear and a screw: kg, m, s, Nm, kg m²."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi

from highmoor.core.errors import Refusal
from highmoor.core.numbers import shown

GRAVITY = 9.81


@dataclass(frozen=True, slots=True)
class ScrewDrive:
    """What a motor moves. `gear` is motor turns a screw turn, the inertias those of the motor and of the screw.

    Raises Refusal for an efficiency outside ]0, 1], an acceleration below 0, anything else at or below 0.
    """

    mass_kg: float
    lead_mm: float
    gear: float
    eta_screw: float
    eta_gear: float
    j_motor: float
    j_screw: float
    acceleration: float
    vertical: bool

    def __post_init__(self) -> None:
        for what in ("mass_kg", "lead_mm", "gear", "j_motor", "j_screw", "eta_screw", "eta_gear"):
            value = getattr(self, what)
            if value <= 0:
                raise Refusal(f"{what} must be above 0, not {shown(value)}.", field=what, value=value)
            if what.startswith("eta") and value > 1:
                raise Refusal(f"{what} must be at most 1, not {shown(value)}.", field=what, value=value)
        if self.acceleration < 0:
            raise Refusal(f"The acceleration {shown(self.acceleration)} is negative.", field="acceleration")

    @property
    def hold(self) -> float:
        """At rest, without what the gear and screw keep back."""
        return (self.mass_kg * GRAVITY if self.vertical else 0.0) * self._metres_a_radian / self.gear

    @property
    def _metres_a_radian(self) -> float:
        return self.lead_mm / 1000 / (2 * pi)

    def phases(self, way: int) -> list[float]:
        """Accelerating, cruising and braking, up (1) or down (−1); positive lifts."""
        rates = (way * self.acceleration, 0.0, -way * self.acceleration)
        return [self._torque(way, acceleration) for acceleration in rates]

    def _torque(self, way: int, acceleration: float) -> float:
        a_radian = self._metres_a_radian
        gravity = GRAVITY if self.vertical else 0.0
        load = self.mass_kg * (acceleration + gravity) * a_radian + self.j_screw * acceleration / a_radian
        efficiency = self.eta_screw * self.eta_gear
        # What the load takes costs more at the motor; what it gives arrives as less.
        at_motor = load / self.gear * (1 / efficiency if load * way > 0 else efficiency)
        return at_motor + self.j_motor * acceleration / a_radian * self.gear
