"""Where a scanner's zones have to be tried with a test piece, and where they were.

At each corner of the edge by which somebody enters, and every 500 mm of it, in every situation, for every output; the
test piece just inside, as the whole of it has to be in the zone to be seen.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from shapely import Point as Spot
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.plant.rows import Proof, Situation, Zone
from highmoor.core.safety.proofs import RecordTold, changed_of, counts, record_told, when
from highmoor.core.safety.scanner.shapes import Point
from highmoor.core.safety.scanner.told import Ring, ScannerTold, SituationTold

EVERY_MM = 500.0
# A place counts as tried by one that was tried so near to it.
NEAR_MM = 150.0
# What turns less is an arc, and no corner.
_CORNER_DEG = 20.0

WalkState = Literal["never", "partly", "changed", "failed", "walked"]


@dataclass(frozen=True, slots=True)
class PlaceTold:
    """A place to try, mm; whether it was seen on site and on the bench, None for not tried."""

    x: float
    y: float
    site: bool | None
    bench: bool | None


@dataclass(frozen=True, slots=True)
class OutputWalk:
    """What of an output's zone was tried on site; `last` and `by` are of the last record that stands."""

    output: int
    zone: str
    places: tuple[PlaceTold, ...]
    state: WalkState
    last: str
    by: str
    records: tuple[RecordTold, ...]


@dataclass(frozen=True, slots=True)
class WalkTold:
    """The outputs of a situation that shut off, each with its places; the test piece has the resolution, mm."""

    outputs: tuple[OutputWalk, ...]
    piece_mm: float


def places_along(lines: Iterable[Ring]) -> Iterator[Point]:
    """Each corner of the lines, and between two of them a place at least every 500 mm of the way."""
    seen: set[tuple[int, int]] = set()
    for line in lines:
        for place in _along(line):
            key = (round(place[0]), round(place[1]))
            if key not in seen:
                seen.add(key)
                yield place


def inside(area: BaseGeometry, places: Iterable[Point], piece_mm: float) -> Iterator[Point]:
    """Where the middle of a test piece is that lies wholly in an area, as near as can be to each place."""
    room = area.buffer(-piece_mm / 2)
    for place in places:
        if not room.is_empty:
            spot = nearest_points(room, Spot(place))[0]
            yield spot.x, spot.y


def _along(line: Ring) -> Iterator[Point]:
    points = [line[0]] if line else []
    points += [b for a, b in pairwise(line) if math.dist(a, b) > 1]
    stretch: list[Point] = points[:1]
    for before, here, after in zip(points, points[1:], points[2:], strict=False):
        stretch.append(here)
        if _turns(before, here, after) > _CORNER_DEG:
            yield from _spaced(stretch)
            stretch = [here]
    yield from _spaced([*stretch, *points[-1:]])


def _turns(before: Point, here: Point, after: Point) -> float:
    one = math.atan2(here[1] - before[1], here[0] - before[0])
    other = math.atan2(after[1] - here[1], after[0] - here[0])
    return abs(math.degrees(math.remainder(other - one, math.tau)))


def _spaced(stretch: list[Point]) -> Iterator[Point]:
    """Both ends of a stretch, and evenly what lies between them."""
    length = sum(math.dist(a, b) for a, b in pairwise(stretch))
    steps = max(1, math.ceil(length / EVERY_MM))
    for n in range(steps + 1):
        yield _at(stretch, length * n / steps)


def _at(stretch: list[Point], way: float) -> Point:
    for a, b in pairwise(stretch):
        part = math.dist(a, b)
        if way <= part and part:
            return a[0] + (b[0] - a[0]) * way / part, a[1] + (b[1] - a[1]) * way / part
        way -= part
    return stretch[-1]


def _told(reader: Reader, root: str) -> WalkTold:
    situation = reader.row(root, Situation)
    told: SituationTold = reader.part("situation.told", root)
    scanner: ScannerTold = reader.part("scanner.told", situation.scanner)
    proofs = [one for one in reader.children(Proof, root) if one.kind == "walk"]
    changed = changed_of(reader, proofs)
    outputs = []
    for guard in told.guards:
        zone: Zone | None = reader.find(guard.zone)
        if zone is None or zone.kind != "protective" or not guard.edge:
            continue
        held = [one for one in proofs if one.data.get("output") == guard.output]
        area: BaseGeometry = reader.part("zone.watched", zone.id).area
        places = list(inside(area, places_along(guard.edge), scanner.resolution))
        outputs.append(_output(guard.output, zone.letter, places, held, changed))
    return WalkTold(tuple(outputs), scanner.resolution)


def _output(output: int, letter: str, places: list[Point], proofs: list[Proof], changed: set[str]) -> OutputWalk:
    standing = sorted((one for one in proofs if one.id not in changed and not one.voided), key=when)
    site = [one for one in standing if counts(one)]
    bench = [one for one in standing if one.where == "bench"]
    told = tuple(PlaceTold(round(x, 1), round(y, 1), _seen(site, x, y), _seen(bench, x, y)) for x, y in places)
    last = site[-1] if site else None
    records = tuple(record_told(one, one.id in changed) for one in sorted(proofs, key=when, reverse=True))
    return OutputWalk(output, letter, told, _state(told, proofs, changed), last.at if last else "",
                      last.by if last else "", records)  # fmt: skip


def _state(places: tuple[PlaceTold, ...], proofs: list[Proof], changed: set[str]) -> WalkState:
    tried = [one.site for one in places if one.site is not None]
    if not tried:
        return "changed" if any(counts(one) and one.id in changed for one in proofs) else "never"
    if not all(tried):
        return "failed"
    return "walked" if len(tried) == len(places) else "partly"


def _seen(proofs: list[Proof], x: float, y: float) -> bool | None:
    """By the last record that tried a place near to this one."""
    for proof in reversed(proofs):
        near = [seen for px, py, seen in proof.data.get("places", ()) if math.dist((px, py), (x, y)) <= NEAR_MM]
        if near:
            return all(near)
    return None


PARTS: tuple[Part, ...] = (Part("situation.walk", "situations", _told, shown=WalkTold, asked=True),)
