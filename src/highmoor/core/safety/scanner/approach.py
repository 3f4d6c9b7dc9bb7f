"""From where somebody can come, where he then enters a zone, and how near the hazard that is.

Space is what nothing stands in. Somebody is as thick as a leg: where a leg does not pass, nobody comes. He comes from
the lines that are drawn as open; with none of them, from all around.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import shapely
from shapely import LineString, MultiLineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from highmoor.core.safety.scanner import shapes
from highmoor.core.safety.scanner.sight import NOTHING, only_areas, pieces

# A leg, by the test piece that stands for it (IEC 61496-3), and somebody who stands.
LEG_MM, STANDS_MM = 70.0, 300.0
# How thick a wall's line is, and within what of it an edge is closed.
_WALL_MM, _CLOSED_MM = 1.0, 5.0
# What a leg fills is drawn so much larger that it meets what it touches; no more than a wall is thick.
_TOUCHES_MM = 0.5
# So far a corner of 40 degrees between an edge and a wall keeps a leg away.
_CORNER_MM = 100.0
_SEGMENTS = 8
# What is less than this is no place.
_AREA_MM2 = 10_000.0
_AROUND_MM = 1_000.0
# An edge shorter than this is a corner.
_EDGE_MM = 1.0


@dataclass(frozen=True, slots=True)
class Ground:
    """What stands around a scanner: walls, the lines by which somebody comes, and how far all of it goes."""

    walls: BaseGeometry
    open: BaseGeometry
    all: BaseGeometry


@dataclass(frozen=True, slots=True)
class Approach:
    """Of a zone: the edge by which it is entered, where somebody comes without entering it, and what lies behind it:
    enclosed and not watched."""

    edge: BaseGeometry
    comes: BaseGeometry
    enclosed: BaseGeometry
    # The edge to be drawn.
    lines: tuple[tuple[shapes.Point, ...], ...] = ()


@dataclass(frozen=True, slots=True)
class Nearest:
    """Where the open edge comes nearest to the hazard, and how near, mm."""

    at: shapes.Point
    hazard: shapes.Point
    distance: float


def ground(walls: Sequence[Sequence[shapes.Point]], opens: Sequence[Sequence[shapes.Point]],
           hazards: Sequence[Sequence[shapes.Point]]) -> Ground:  # fmt: skip
    """Of lines of walls and open edges, and of the hazards of all situations."""
    lines = [MultiLineString([LineString(line) for line in some if len(line) > 1]) for some in (walls, opens)]
    return Ground(lines[0], lines[1], shapely.union_all([*lines, area_of(hazards)]))


def area_of(rings: Sequence[Sequence[shapes.Point]]) -> BaseGeometry:
    """What several rings cover together."""
    # One that crosses itself is all that its line goes round.
    areas = [shapely.make_valid(Polygon(ring)) for ring in rings if len(ring) > 2]
    return only_areas(shapely.union_all(areas)) if areas else NOTHING


def approach(zone: BaseGeometry, around: Ground) -> Approach:
    """How a zone is come to. One of no area is entered nowhere."""
    everything = shapely.union_all([zone, around.all])
    if everything.is_empty:
        return Approach(MultiLineString(), NOTHING, NOTHING)
    left, low, right, high = everything.bounds
    space = box(left - _AROUND_MM, low - _AROUND_MM, right + _AROUND_MM, high + _AROUND_MM)
    walls = around.walls.buffer(_WALL_MM, quad_segs=_SEGMENTS)
    solid = shapely.union_all([zone, walls])
    # Where the middle of a leg can be.
    within = space.difference(solid.buffer(LEG_MM / 2, quad_segs=_SEGMENTS))
    comes = _reached(_begun(pieces(within), around.open, space.boundary), walls)
    rest = space.difference(shapely.union_all([solid, comes]))
    # A room that is closed off, and has nothing to do with the zone, is nobody's way.
    beside = zone.buffer(_CLOSED_MM, quad_segs=_SEGMENTS)
    enclosed = [one for one in pieces(rest) if one.intersects(beside) and not one.intersects(space.boundary)]
    edge = _edge(zone, comes, around.walls)
    return Approach(edge, comes, shapely.union_all(enclosed) if enclosed else NOTHING, _lines_of(edge))


def _begun(free: list[Polygon], opens: BaseGeometry, outside: BaseGeometry) -> list[Polygon]:
    """Where the middle of a leg can be at first: by each open line, or as near to it as it comes.

    A line that a zone covers is entered from beyond, nobody knows whence; so it is where no line is drawn at all.
    """
    from_outside = [piece for piece in free if piece.intersects(outside)]
    found: list[Polygon] = []
    for line in shapely.get_parts(opens):
        near = line.buffer(LEG_MM, quad_segs=_SEGMENTS)
        found += [piece for piece in free if piece.intersects(near)] or from_outside
    return found or from_outside


def _edge(zone: BaseGeometry, comes: BaseGeometry, walls: BaseGeometry) -> BaseGeometry:
    """The edge of a zone that somebody meets, on into the corners between it and a wall."""
    edge = zone.boundary.intersection(comes) if not zone.is_empty else MultiLineString()
    if not edge.is_empty:
        # Into such a corner a leg does not go, but what is on it may.
        corners = edge.buffer(_CORNER_MM, quad_segs=_SEGMENTS)
        edge = zone.boundary.intersection(corners).difference(walls.buffer(_CLOSED_MM, quad_segs=_SEGMENTS))
    return _lines(edge)


def _reached(middles: list[Polygon], walls: BaseGeometry) -> BaseGeometry:
    """What a leg fills whose middle can be there."""
    if not middles:
        return NOTHING
    where = shapely.union_all(middles)
    return where.buffer(LEG_MM / 2 + _TOUCHES_MM, quad_segs=_SEGMENTS).difference(walls)


def reached(comes: BaseGeometry, hazard: BaseGeometry) -> bool:
    """Whether somebody comes to the hazard without entering a zone."""
    return not hazard.is_empty and bool(comes.intersects(hazard))


def room_to_stand(enclosed: BaseGeometry, hazard: BaseGeometry) -> BaseGeometry:
    """Where somebody can stand who has gone through a zone: enclosed, unwatched, not the hazard itself."""
    if enclosed.is_empty:
        return NOTHING
    middles = enclosed.difference(hazard).buffer(-STANDS_MM / 2, quad_segs=_SEGMENTS)
    stands = middles.buffer(STANDS_MM / 2, quad_segs=_SEGMENTS)
    kept = [piece for piece in pieces(stands) if piece.area > _AREA_MM2]
    return shapely.union_all(kept) if kept else NOTHING


def nearest(edge: BaseGeometry, hazard: BaseGeometry) -> Nearest | None:
    """Where somebody who enters has the shortest way to the hazard; None where nobody enters, or nothing is there."""
    if edge.is_empty or hazard.is_empty:
        return None
    at, there = nearest_points(edge, hazard)
    return Nearest((at.x, at.y), (there.x, there.y), round(float(Point(at).distance(there)), 6))


def _lines(found: BaseGeometry) -> BaseGeometry:
    """The lines of what two shapes have in common, without single points; those that go on are one."""
    lines = [part for part in shapely.get_parts(found) if part.geom_type == "LineString" and part.length > _EDGE_MM]
    return shapely.line_merge(MultiLineString(lines)) if lines else MultiLineString()


def rings_of(area: BaseGeometry) -> tuple[tuple[shapes.Point, ...], ...]:
    """Outlines of an area, to be drawn, in whole tenths of a millimetre."""
    return tuple(
        tuple((round(x, 1), round(y, 1)) for x, y in ring.coords)
        for piece in pieces(area)
        for ring in (piece.exterior, *piece.interiors)
    )


def _lines_of(lines: BaseGeometry) -> tuple[tuple[shapes.Point, ...], ...]:
    """Lines, to be drawn."""
    return tuple(
        tuple((round(x, 1), round(y, 1)) for x, y in part.coords)
        for part in shapely.get_parts(lines)
        if part.geom_type == "LineString"
    )
