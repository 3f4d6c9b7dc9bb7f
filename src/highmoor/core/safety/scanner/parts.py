"""A scanner worked out: what it sees, what of its zones it watches, what each situation keeps away from the hazard.

Source: ISO 13855:2010, 5 and 6; the 2024 edition counts otherwise and is not built in.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.distance import scanner_distance
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import PlanShape, SafetyPart, Scanner, Situation, Zone, ZoneUse
from highmoor.core.safety.functions import total_ms
from highmoor.core.safety.scanner.approach import (
    Approach,
    Ground,
    approach,
    area_of,
    ground,
    nearest,
    reached,
    rings_of,
    room_to_stand,
)
from highmoor.core.safety.scanner.shapes import Point, ring_of, shape_problem
from highmoor.core.safety.scanner.sight import NOTHING, Segment, bearing, in_sight, watched
from highmoor.core.safety.scanner.signals import ScannerSignals
from highmoor.core.safety.scanner.told import GuardTold, Ring, ScannerTold, SituationTold, ZoneTold
from highmoor.core.safety.scanner.types import ScannerSet, beam_of, scanner_set
from highmoor.core.safety.scanner.unwrapped import (
    STEP_DEG,
    OutputUnwrapped,
    Unwrapped,
    bearings,
    farthest,
    nearest_wall,
)

# What is lost of a zone below this is the roundness of its arcs, mm².
_LOST_MM2 = 5_000.0


@dataclass(frozen=True, slots=True)
class Sight:
    """A scanner as it is set up, where its beam begins, and the area it sees."""

    of: ScannerSet
    at: Point
    area: BaseGeometry


@dataclass(frozen=True, slots=True)
class Watched:
    """A zone's corners, what of it is watched, and why it is no area."""

    ring: Ring
    area: BaseGeometry
    problem: str


def _points(shape: PlanShape) -> Ring:
    return tuple((float(x), float(y)) for x, y in shape.settings.get("points", ()))


def _sight(reader: Reader, root: str) -> Sight:
    return sight_of(reader.row(root, Scanner), reader.children(PlanShape, root))


def sight_of(row: Scanner, shapes: Iterable[PlanShape]) -> Sight:
    """What a scanner sees among what stands around it."""
    of = scanner_set(row.type, row.settings)
    walls: list[Segment] = []
    for shape in shapes:
        if shape.kind in ("wall", "guard"):
            walls += pairwise(_points(shape))
    at = beam_of(of, walls)
    return Sight(of, at, in_sight(at, of.looks, of.angle, of.range, walls))


def _told(reader: Reader, root: str) -> ScannerTold:
    sight: Sight = reader.part("scanner.sight", root)
    of = sight.of
    rule, refused = "", ""
    try:
        rule = _distance(of, Fraction(0)).rule
    except Refusal as refusal:
        refused = refusal.reason
    return ScannerTold(
        of.response_ms, of.scan_ms, of.scans, of.fixed_ms, sight.at, of.looks, of.angle, of.range, of.height,
        of.resolution, of.tolerance, of.inputs, of.outputs, rings_of(sight.area), rule, refused,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Least:
    mm: float
    rule: str


def _distance(of: ScannerSet, total_ms: Fraction) -> _Least:
    found = scanner_distance(
        "vertical" if of.vertical else "horizontal", exact(of.height), exact(of.resolution), total_ms / 1000,
        exact(of.tolerance),
    )  # fmt: skip
    return _Least(float(found.mm), found.rule)


def _watched(reader: Reader, root: str) -> Watched:
    row = reader.row(root, Zone)
    sight: Sight = reader.part("scanner.sight", row.scanner)
    ring = tuple(ring_of(row.settings.get("shape") or {}, sight.at))
    problem = shape_problem(ring)
    area = NOTHING if problem else watched(ring, sight.at, sight.area)
    return Watched(ring, area, problem)


def _zone(reader: Reader, root: str) -> ZoneTold:
    found: Watched = reader.part("zone.watched", root)
    scanner = reader.value(root, Zone, "scanner")
    sight: Sight = reader.part("scanner.sight", scanner)
    if found.problem:
        return ZoneTold(found.ring, (), 0.0, beyond=False, problem=found.problem)
    lost = float(Polygon(found.ring).difference(found.area).area)
    at, reach = sight.at, sight.of.range + 1
    beyond = any((x - at[0]) ** 2 + (y - at[1]) ** 2 > reach**2 for x, y in found.ring)
    return ZoneTold(found.ring, rings_of(found.area), lost if lost > _LOST_MM2 else 0.0, beyond, "")


def _ground(reader: Reader, root: str) -> Ground:
    shapes = reader.children(PlanShape, root)
    return ground(
        [_points(one) for one in shapes if one.kind in ("wall", "guard")],
        [_points(one) for one in shapes if one.kind == "open"],
        [_points(one) for one in shapes if one.kind == "hazard"],
    )


def _approach(reader: Reader, root: str) -> Approach:
    found: Watched = reader.part("zone.watched", root)
    return approach(found.area, reader.part("scanner.ground", reader.value(root, Zone, "scanner")))


def _hazard(reader: Reader, root: str) -> BaseGeometry:
    """All that is dangerous in a situation."""
    shapes = reader.children(PlanShape, reader.value(root, Situation, "scanner"))
    return area_of([_points(one) for one in shapes if one.kind == "hazard" and one.situation in (None, root)])


def _situation(reader: Reader, root: str) -> SituationTold:
    row = reader.row(root, Situation)
    sight: Sight = reader.part("scanner.sight", row.scanner)
    hazard: BaseGeometry = reader.part("situation.hazard", root)
    uses = {use.output: use for use in reader.children(ZoneUse, root)}
    outputs = sorted({*range(1, sight.of.outputs + 1), *uses})
    guards = tuple(_guard(reader, sight, hazard, row.scanner, n, uses.get(n)) for n in outputs)
    return SituationTold(guards, rings_of(hazard), _select_problem(reader, row, sight.of),
                         sight.of.lead_ms + _select_ms(reader, row.scanner))  # fmt: skip


def _select_ms(reader: Reader, scanner: str) -> float:
    """How long from the program to the scanner's inputs."""
    signals: ScannerSignals | None = reader.part("scanner.signals", scanner)
    return signals.select_ms if signals else 0.0


def _select_problem(reader: Reader, row: Situation, of: ScannerSet) -> str:
    if not row.select:
        return "is selected by nothing"
    if len(row.select) != of.inputs:
        return f"has a pattern of {len(row.select)} inputs, and the scanner has {of.inputs}"
    if row.select.count("1") != 1:
        return "is not selected by exactly one input"
    others = [one for one in reader.children(Situation, row.scanner) if one.id != row.id and one.select == row.select]
    return f"is selected as {others[0].name} is" if others else ""


def _guard(
    reader: Reader, sight: Sight, hazard: BaseGeometry, scanner: str, output: int, use: ZoneUse | None
) -> GuardTold:  # fmt: skip
    """What keeps somebody away by one output: nothing where it answers to no protective zone."""
    parts = [part for part in reader.referring(SafetyPart, "device", scanner)
             if part.role == "sensor" and part.settings.get("output", 1) == output]  # fmt: skip
    total, missing = _total(reader, parts, output)
    needed: float | None = None
    if total is not None:
        try:
            needed = _distance(sight.of, exact(total)).mm
        except Refusal as refusal:
            missing = refusal.reason
    zone: Zone | None = reader.find(use.zone) if use else None
    ids = tuple(part.id for part in parts)
    found: Watched | None = reader.part("zone.watched", zone.id) if zone else None
    if zone is None or found is None or zone.kind != "protective" or found.problem:
        return GuardTold(
            output, zone.id if zone else None, ids, total, needed, missing, (), None, None, None, None, None, False, (),
            _line(hazard, needed),
        )  # fmt: skip
    way: Approach = reader.part("zone.approach", zone.id)
    near = nearest(way.edge, hazard)
    past = reached(way.comes, hazard)
    behind = rings_of(room_to_stand(way.enclosed, hazard))
    short = None if near is None or needed is None else round(needed - near.distance, 6)
    return GuardTold(
        output, zone.id, ids, total, needed, missing, way.lines, near.at if near else None,
        near.hazard if near else None, near.distance if near else None, short,
        bearing(sight.at, near.at) if near else None, past, behind, _line(hazard, needed),
    )  # fmt: skip


def _line(hazard: BaseGeometry, needed: float | None) -> tuple[Ring, ...]:
    """So far from the hazard."""
    return rings_of(hazard.buffer(needed)) if needed is not None and not hazard.is_empty else ()


def _total(reader: Reader, parts: list[SafetyPart], output: int) -> tuple[float | None, str]:
    """Of all functions that an output is wired to, the one that takes longest; why that cannot be told."""
    if not parts:
        return None, f"no safety function has output {output} as a sensor"
    totals: list[float] = []
    for part in parts:
        told = reader.part("function.told", part.function)
        one = total_ms(told, part.id) if told else None
        if one is None:
            return None, "how long the machine takes to stop is not known"
        totals.append(one)
    return max(totals), ""


def _unwrapped(reader: Reader, root: str) -> Unwrapped:
    scanner = reader.value(root, Situation, "scanner")
    sight: Sight = reader.part("scanner.sight", scanner)
    around: Ground = reader.part("scanner.ground", scanner)
    told: SituationTold = reader.part("situation.told", root)
    towards, reach = bearings(sight.of.looks, sight.of.angle), sight.of.range
    contour = nearest_wall(sight.at, towards, reach, around.walls)
    ends = [reach if wall is None else wall for wall in contour]
    outputs = []
    for guard in told.guards:
        zone: Watched | None = reader.part("zone.watched", guard.zone) if guard.zone else None
        rings = rings_of(zone.area) if zone else ()
        needed = farthest(sight.at, towards, reach, guard.needed_line)
        capped = tuple(min(far, end) for far, end in zip(needed, ends, strict=True))
        outputs.append(OutputUnwrapped(guard.output, farthest(sight.at, towards, reach, rings), capped))
    return Unwrapped(towards[0], STEP_DEG, reach, contour, tuple(outputs))


def _headlines(result: SituationTold, reader: Reader, root: str) -> Iterator[Headline]:
    for guard in result.guards:
        if guard.distance is not None and guard.needed is not None:
            yield Headline(root, f"distance.{guard.output}", f"Distance at output {guard.output}", guard.distance, "mm",
                           guard.needed, "more")  # fmt: skip


PARTS: tuple[Part, ...] = (
    Part("scanner.sight", "scanners", _sight),
    Part("scanner.told", "scanners", _told, shown=ScannerTold),
    Part("zone.watched", "zones", _watched),
    Part("zone.told", "zones", _zone, shown=ZoneTold),
    Part("scanner.ground", "scanners", _ground),
    Part("zone.approach", "zones", _approach),
    Part("situation.hazard", "situations", _hazard),
    Part("situation.told", "situations", _situation, _headlines, shown=SituationTold),
    Part("situation.unwrapped", "situations", _unwrapped, shown=Unwrapped, asked=True),
)
