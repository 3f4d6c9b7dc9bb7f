"""What scanners can do: types that are known, and what a data sheet says of any other.

Lengths in mm, angles in degrees, times in ms. Source: IEC 61496-3:2018 (what has to be given of a scanner).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from math import cos, hypot, radians, sin

from highmoor.core.numbers import Settings, number_at

OWN = "own"
"""The type of a scanner that is entered by its data sheet."""
XY = tuple[float, float]
_ON_A_WALL_MM = 1.0
LEAST_SCANS = 2
"""So many scans in turn at least have to see something before it counts."""


@dataclass(frozen=True, slots=True)
class ScannerType:
    """A type: one turn of its beam, what it needs beyond the scans that confirm, how far it sees by resolution.

    It sees `angle` degrees, half of that to each side of where it looks; what is nearer than `blind` it may not see.
    `tolerance` is what it measures wrong, `reflector` what more near reflectors. Inputs select situations; a pattern
    that stands longer than `switch_over_ms` and selects none is wrong. It has so many pairs of outputs that shut off.
    """

    key: str
    label: str
    scan_ms: float
    fixed_ms: float
    ranges: Mapping[int, float]
    angle: float
    blind: float
    tolerance: float
    reflector: float
    switch_over_ms: float
    inputs: int
    outputs: int


TYPES: dict[str, ScannerType] = {
    one.key: one
    for one in (
        ScannerType("ws-3", "Wyndrake WS-3", 40, 60, {30: 2500, 40: 3500, 50: 5500, 70: 7500}, 270, 100, 100, 200,
                    200, 4, 2),
        ScannerType("ws-5", "Wyndrake WS-5", 30, 45, {30: 3000, 40: 4500, 50: 6500, 70: 9000, 150: 12_000}, 275, 50, 65,
                    200, 120, 6, 4),
        ScannerType(OWN, "by its data sheet", 40, 60, {30: 2000, 40: 3000, 50: 4000, 70: 5500, 150: 7000}, 180, 100,
                    100, 200, 200, 4, 2),
    )
}  # fmt: skip


# How long it may be until a change at an input is noticed.
INPUT_MS = 1.0
# With which each comes, as its data sheet says: everybody knows it, so it has to go.
FACTORY_PASSWORDS: dict[str, str] = {"ws-3": "wyndrake", "ws-5": "wyndrake", OWN: "setup"}


@dataclass(frozen=True, slots=True)
class ScannerSet:
    """A scanner as it is set up: where it stands (x to the right, y up), which way it looks (degrees clockwise from
    up), how high, at which resolution, how many scans confirm; and what its type or its data sheet says."""

    type: ScannerType
    x: float
    y: float
    looks: float
    height: float
    resolution: float
    scans: int
    vertical: bool
    contour: bool
    reflectors: bool
    scan_ms: float
    fixed_ms: float
    range: float
    angle: float
    blind: float
    tolerance: float
    switch_over_ms: float
    inputs: int
    outputs: int

    @property
    def response_ms(self) -> float:
        """From somebody in a zone to its output off: all scans that confirm, and the rest."""
        return self.scan_ms * self.scans + self.fixed_ms

    @property
    def lead_ms(self) -> float:
        """From the first of its inputs that changes to its output off for somebody whom only the new zone has: its
        inputs may differ for as long as switching over takes, and a turn that has begun goes on by the old zone."""
        return self.switch_over_ms + self.scan_ms + self.response_ms


def beam_of(of: ScannerSet, walls: Iterable[tuple[XY, XY]]) -> XY:
    """Where its beam begins: where it stands, or a little in front of that where it is on a wall."""
    at = of.x, of.y
    if any(off_line(at, *wall) < _ON_A_WALL_MM for wall in walls):
        ahead = radians(of.looks)
        return of.x + 2 * _ON_A_WALL_MM * sin(ahead), of.y + 2 * _ON_A_WALL_MM * cos(ahead)
    return at


def off_line(at: XY, a: XY, b: XY) -> float:
    """How far a place is from a line between two others."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = dx * dx + dy * dy
    share = max(0.0, min(1.0, ((at[0] - a[0]) * dx + (at[1] - a[1]) * dy) / length)) if length else 0.0
    return hypot(at[0] - a[0] - share * dx, at[1] - a[1] - share * dy)


def scanner_set(key: str, settings: Settings) -> ScannerSet:
    """As set; what is not set is as its type has it."""
    of = TYPES.get(key, TYPES[OWN])
    resolution = number_at(settings, "resolution", 50)
    coarser = sorted(step for step in of.ranges if step <= resolution)
    usual_range = of.ranges[coarser[-1]] if coarser else min(of.ranges.values())
    reflectors = settings.get("reflectors") is True
    allowance = number_at(settings, "reflector", of.reflector) if reflectors else 0.0
    return ScannerSet(
        of,
        number_at(settings, "x"),
        number_at(settings, "y"),
        number_at(settings, "looks"),
        number_at(settings, "height", 200),
        resolution,
        int(number_at(settings, "scans", LEAST_SCANS)),
        settings.get("application") == "vertical",
        settings.get("contour") is True,
        reflectors,
        number_at(settings, "scan_ms", of.scan_ms),
        number_at(settings, "fixed_ms", of.fixed_ms),
        number_at(settings, "range", usual_range),
        number_at(settings, "angle", of.angle),
        number_at(settings, "blind", of.blind),
        number_at(settings, "tolerance", of.tolerance) + allowance,
        number_at(settings, "switch_over_ms", of.switch_over_ms),
        int(number_at(settings, "inputs", of.inputs)),
        int(number_at(settings, "outputs", of.outputs)),
    )
