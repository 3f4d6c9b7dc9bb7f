"""Pulses of a stepping motor."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown


def pulses_a_turn(step_angle_deg: Fraction, microsteps: Fraction) -> Fraction:
    """Pulses for one turn of the motor. Raises Refusal at or below 0."""
    for what, value in (("The step angle", step_angle_deg), ("The microsteps", microsteps)):
        if value <= 0:
            raise Refusal(f"{what} must be above 0, not {shown(value)}.", value=plain(value))
    return 360 / step_angle_deg * microsteps


def pulse_hz(speed: Fraction, units_per_rev: Fraction, pulses: Fraction) -> Fraction:
    """Pulses a second at a speed in units/s. Raises Refusal for a travel of 0 or less, or a negative speed."""
    if units_per_rev <= 0:
        raise Refusal(f"The travel of a turn must be above 0, not {shown(units_per_rev)}.", value=plain(units_per_rev))
    if speed < 0:
        raise Refusal(f"The speed {shown(speed)} is negative; another output tells the direction.", value=plain(speed))
    return speed / units_per_rev * pulses
