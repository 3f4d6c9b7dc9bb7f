"""What views and checks are told of a scanner. Lengths in mm, bearings in degrees clockwise from up, times in ms."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.safety.scanner.shapes import Point

Ring = tuple[Point, ...]


@dataclass(frozen=True, slots=True)
class ScannerTold:
    """A scanner: its response, what of the plan it sees, how far; `rule` says by which clause its distance counts, and
    `refused` why no distance can be told of it as it is set up."""

    response_ms: float
    scan_ms: float
    scans: int
    fixed_ms: float
    at: Point
    looks: float
    angle: float
    range: float
    height: float
    resolution: float
    tolerance: float
    inputs: int
    outputs: int
    sight: tuple[Ring, ...]
    rule: str
    refused: str


@dataclass(frozen=True, slots=True)
class ZoneTold:
    """A zone: as it is drawn, what of it is watched, how much is not (mm²) and whether that is because it lies beyond
    the range; `problem` where it is no area."""

    drawn: Ring
    watched: tuple[Ring, ...]
    lost_mm2: float
    beyond: bool
    problem: str


@dataclass(frozen=True, slots=True)
class GuardTold:
    """What an output of a scanner does in a situation.

    `total_ms` is from somebody in the zone to standstill, `needed` the distance that asks for; None where it cannot be
    told, and `missing` says why. `edge` is where somebody enters the zone, `near` the place there that comes nearest to
    the hazard, `distance` how near; `short` what that is too little (below 0 what is over), at the `bearing` from the
    scanner. `past`: the hazard is reached without entering. `behind` is where somebody can stand unseen.
    """

    output: int
    zone: str | None
    parts: tuple[str, ...]
    total_ms: float | None
    needed: float | None
    missing: str
    edge: tuple[Ring, ...]
    near: Point | None
    hazard: Point | None
    distance: float | None
    short: float | None
    bearing: float | None
    past: bool
    behind: tuple[Ring, ...]
    needed_line: tuple[Ring, ...]


@dataclass(frozen=True, slots=True)
class SituationTold:
    """A situation: its outputs in order, its hazards, why it is not selected alone ("" where it is), and how long
    before the motion it has to be selected at least: from the program on where signals drive the inputs."""

    guards: tuple[GuardTold, ...]
    hazards: tuple[Ring, ...]
    problem: str
    lead_ms: float
