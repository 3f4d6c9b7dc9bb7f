"""In what an axis is counted."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import pi


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit of position: what it is of a millimetre, or of a turn. Speeds are per `a_speed` seconds."""

    key: str
    label: str
    size: Fraction
    linear: bool
    speed: str
    a_speed: int = 1

    @property
    def si(self) -> float:
        """Metres, or radians, in one of it."""
        return float(self.size) * (0.001 if self.linear else 2 * pi)

    @property
    def speed_si(self) -> float:
        """Metres or radians a second in one of its speeds."""
        return self.si / self.a_speed


UNITS: dict[str, Unit] = {
    unit.key: unit
    for unit in (
        Unit("mm", "mm", Fraction(1), True, "mm/s"),
        Unit("m", "m", Fraction(1000), True, "m/s"),
        Unit("in", "in", Fraction(254, 10), True, "in/s"),
        Unit("deg", "°", Fraction(1, 360), False, "°/s"),
        Unit("turn", "turns", Fraction(1), False, "turns/s"),
        Unit("rpm", "turns", Fraction(1), False, "1/min", 60),
    )
}


@dataclass(frozen=True, slots=True)
class AxisKind:
    """A kind of axis, and what it may be counted in, the usual unit first."""

    key: str
    label: str
    units: tuple[str, ...]


AXIS_KINDS: dict[str, AxisKind] = {
    kind.key: kind
    for kind in (
        AxisKind("linear", "Linear", ("mm", "m", "in")),
        AxisKind("rotary", "Rotary, between limits", ("deg", "turn")),
        AxisKind("endless", "Rotary, endless", ("deg", "turn")),
        AxisKind("speed", "Speed only", ("rpm",)),
    )
}


def unit_of(kind: str, unit: str) -> Unit:
    """The unit of an axis; its kind's usual one where it has none of that."""
    units = AXIS_KINDS[kind].units if kind in AXIS_KINDS else ("mm",)
    return UNITS[unit if unit in units else units[0]]
