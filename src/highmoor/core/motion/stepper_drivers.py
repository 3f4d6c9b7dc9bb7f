"""Drivers of stepping motors: how their switches stand for a current and for microsteps."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class StepperDriver:
    """A driver of a stepping motor with switches. Each switch is written 1 (on) or 0, the first one first.

    Currents are peaks in A; times in µs: the shortest pulse, and how long the direction stands before one.
    """

    key: str
    name: str
    input: str
    currents: tuple[tuple[float, str], ...]
    microsteps: tuple[tuple[int, str], ...]
    least_pulse_us: float
    setup_us: float
    most_hz: int


# Invented, as all makers and types here are.
DRIVERS: dict[str, StepperDriver] = {
    driver.key: driver
    for driver in (
        StepperDriver(
            "sd-2", "Corvane SD-2", "sourcing",
            ((0.5, "000"), (0.85, "001"), (1.0, "010"), (1.4, "011"), (1.9, "100"), (2.4, "101"), (2.8, "110"),
             (3.2, "111")),
            ((1, "000"), (2, "001"), (4, "010"), (8, "011"), (16, "100"), (32, "101")), 2.5, 5.0, 200_000,
        ),
        StepperDriver(
            "sd-5", "Corvane SD-5", "sinking",
            ((2.0, "00"), (3.0, "01"), (4.0, "10"), (5.6, "11")),
            ((1, "00"), (2, "01"), (8, "10"), (16, "11")), 5.0, 10.0, 100_000,
        ),
    )
}  # fmt: skip
