"""What is set of a controller's safe part, of a safety function and its parts, and the words of their kinds."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.numbers import Settings, exact, fraction_at

USUAL_CYCLE_MS, USUAL_LONGEST_MS, USUAL_WARNING_MS, USUAL_WATCHDOG_MS = 8, 2, 1.5, 20


@dataclass(frozen=True, slots=True)
class Block:
    """A kind of sensor or actuator: its label, and the block of PLCopen Safety that sees to it."""

    key: str
    label: str
    block: str
    source: str = ""


SENSORS: dict[str, Block] = {
    b.key: b
    for b in (
        Block("emergency-stop", "emergency stop", "SF_EmergencyStop", "ISO 13850"),
        Block("guard", "guard door", "SF_GuardMonitoring", "ISO 14119"),
        Block("espe", "protective field", "SF_ESPE", "IEC 61496-1"),
        Block("contact", "another contact", "SF_EmergencyStop"),
    )
}
ACTUATORS: dict[str, Block] = {
    b.key: b
    for b in (
        Block("sto", "drive, STO", "SF_OutControl", "IEC 61800-5-2"),
        Block("ss1-t", "drive, SS1-t", "SF_OutControl", "IEC 61800-5-2"),
        Block("ss1-r", "drive, SS1-r", "SF_OutControl", "IEC 61800-5-2"),
        Block("sbc", "brake, SBC", "SF_OutControl", "IEC 61800-5-2"),
        Block("contactor", "contactor", "SF_EDM"),
        Block("valve", "valve", "SF_EDM"),
    )
}
BLOCKS: dict[str, dict[str, Block]] = {"sensor": SENSORS, "actuator": ACTUATORS}
# What takes a motor's torque away.
TORQUE_BLOCKS = ("sto", "ss1-t", "ss1-r")
# What lets the drive brake before its supply goes.
BRAKING = ("ss1-t", "ss1-r")

# Level asked → the level of performance that it takes (ISO/TR 23849: SIL 1, 2, 3 of PL b, d, e).
ASKED: dict[str, str] = {
    "": "", "PL a": "a", "PL b": "b", "PL c": "c", "PL d": "d", "PL e": "e", "SIL 1": "b", "SIL 2": "d", "SIL 3": "e",
}  # fmt: skip
SIL_OF = {"": 0, "a": 0, "b": 1, "c": 1, "d": 2, "e": 3}


@dataclass(frozen=True, slots=True)
class SafePart:
    """What a controller's safe part runs by, ms."""

    cycle: Fraction
    longest: Fraction
    warning: Fraction
    watchdog: Fraction

    @property
    def worst(self) -> Fraction:
        """From an input's change to what is made of it: it just missed a cycle, and the next takes longest."""
        return self.cycle + self.longest


def safe_part_of(settings: Settings) -> SafePart:
    """As set, or as usual."""

    def at(key: str, usual: float) -> Fraction:
        value = fraction_at(settings, key)
        return exact(usual) if value is None else value

    return SafePart(
        at("safe_cycle_ms", USUAL_CYCLE_MS),
        at("safe_longest_ms", USUAL_LONGEST_MS),
        at("safe_warning_ms", USUAL_WARNING_MS),
        at("safe_watchdog_ms", USUAL_WATCHDOG_MS),
    )


def watchdog_of(settings: Settings) -> Fraction:
    """Within what time a safe module and the safe part hear of one another, ms."""
    value = fraction_at(settings, "safe_watchdog_ms")
    return Fraction(USUAL_WATCHDOG_MS) if value is None else value


def is_safe(device: DeviceType | None) -> bool:
    """Whether a module is one of safety."""
    return device is not None and device.safety is not None and device.needs_safety
