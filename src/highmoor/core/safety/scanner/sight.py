"""What a scanner sees: its angle and range, less what lies behind a wall; and of a zone what of it can be watched.

A zone is watched from the scanner outwards up to where it first ends: what lies beyond a gap in it is not.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from math import atan2, ceil, cos, degrees, hypot, sin
from typing import Any

import numpy as np
import shapely
from shapely import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from highmoor.core.safety.scanner.shapes import Point, sector

Segment = tuple[Point, Point]
NOTHING: BaseGeometry = MultiPolygon()
# A shadow is drawn by rays so far apart at most.
_FAN_DEG = 10.0
# Bearings nearer to one another than this are one.
_SAME_DEG = 1e-7
# Of a millimetre: what is beyond comes from sines.
_DIGITS = 6


def bearing(at: Point, to: Point) -> float:
    """From one place to another, degrees clockwise from up, 0 to 360."""
    return degrees(atan2(to[0] - at[0], to[1] - at[1])) % 360


def in_sight(at: Point, looks: float, angle: float, reach: float, walls: Iterable[Segment]) -> BaseGeometry:
    """The area that is seen: a sector, less the shadows of walls."""
    if angle >= 360:
        whole = Polygon(sector(at, 0, 0, reach))
    else:
        whole = Polygon(sector(at, looks - angle / 2, looks + angle / 2, reach))
    return without_shadows(whole, at, walls, reach)


def without_shadows(area: BaseGeometry, at: Point, walls: Iterable[Segment], reach: float) -> BaseGeometry:
    """An area less what lies behind walls, seen from a place."""
    shadows = [shadow for wall in walls if (shadow := _shadow(at, wall, reach)) is not None]
    return area.difference(shapely.union_all(shadows)) if shadows else area


def _shadow(at: Point, wall: Segment, reach: float) -> Polygon | None:
    """What lies behind a wall, up to beyond the reach; None for one that is seen from its end."""
    (ax, ay), (bx, by) = ((x - at[0], y - at[1]) for x, y in wall)
    cross = ax * by - ay * bx
    if abs(cross) < 1e-6 * max(1.0, hypot(ax, ay) * hypot(bx, by)):
        return None
    turn = atan2(cross, ax * bx + ay * by)
    begin = atan2(ay, ax)
    # Rays so close that their chords stay beyond the reach.
    steps = max(1, ceil(abs(degrees(turn)) / _FAN_DEG))
    far = 2 * max(reach, hypot(ax, ay), hypot(bx, by))
    fan = [(far * cos(begin + turn * n / steps), far * sin(begin + turn * n / steps)) for n in range(steps, -1, -1)]
    return Polygon([(at[0] + x, at[1] + y) for x, y in ((ax, ay), (bx, by), *fan)])


def watched(ring: Sequence[Point], at: Point, sight: BaseGeometry) -> BaseGeometry:
    """What of a zone is watched. `ring` must be an area (`shape_problem`)."""
    area = Polygon(ring)
    corners = [*ring] if area.exterior.is_ccw else [*reversed(ring)]
    ends: list[Segment] = []
    for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
        # An edge by which a ray from the scanner leaves the zone.
        if (a[0] - at[0]) * (b[1] - at[1]) - (a[1] - at[1]) * (b[0] - at[0]) > 1e-6:
            ends.append((a, b))
    if not ends:
        return NOTHING
    return only_areas(_fan(at, ends).intersection(sight))


def _fan(at: Point, ends: Sequence[Segment]) -> BaseGeometry:
    """All between a place and the nearest of some edges at each bearing.

    Edges of a ring do not cross, so that between two bearings at which one of them begins or ends it is the same one
    that is nearest: bearing by bearing, without drawing any shadow.
    """
    a, b = (np.array([edge[n] for edge in ends]) - at for n in (0, 1))
    # From b clockwise to a: an edge by which a zone is left is met so.
    begins = np.degrees(np.arctan2(b[:, 0], b[:, 1])) % 360
    turns = (np.degrees(np.arctan2(a[:, 0], a[:, 1])) - begins) % 360
    marks = np.unique(np.concatenate([begins, (begins + turns) % 360]))
    wide = np.diff(np.append(marks, marks[0] + 360))
    marks, wide = marks[wide > _SAME_DEG], wide[wide > _SAME_DEG]
    middles = marks + wide / 2
    away = _along(middles, a, b)
    away[(middles[:, None] - begins[None, :]) % 360 >= turns[None, :]] = np.inf
    nearest = away.argmin(axis=1)
    there = np.isfinite(away.min(axis=1))
    outline: list[Any] = []
    for bearings in (marks, marks + wide):
        far = _along(bearings, a[nearest], b[nearest], paired=True)
        outline.append(np.column_stack([far * np.sin(np.radians(bearings)), far * np.cos(np.radians(bearings))]) + at)
    corners = [
        (round(float(x), _DIGITS), round(float(y), _DIGITS))
        for begin, end, met in zip(*outline, there, strict=True)
        for x, y in ((begin, end) if met else (at,))
    ]
    made = Polygon(corners) if len(corners) > 2 else NOTHING
    return made if made.is_valid else made.buffer(0)


def _along(bearings: Any, a: Any, b: Any, *, paired: bool = False) -> Any:
    """How far away rays meet the lines through a and b: each ray each line, or paired each its own."""
    x, y = np.sin(np.radians(bearings)), np.cos(np.radians(bearings))
    if not paired:
        x, y, a, b = x[:, None], y[:, None], a[None, :], b[None, :]
    dx, dy = b[..., 0] - a[..., 0], b[..., 1] - a[..., 1]
    with np.errstate(divide="ignore", invalid="ignore"):
        return (a[..., 0] * dy - a[..., 1] * dx) / (x * dy - y * dx)


def only_areas(found: BaseGeometry) -> BaseGeometry:
    """Without the lines and points in which shapes touch."""
    areas = pieces(found)
    return areas[0] if len(areas) == 1 else MultiPolygon(areas)


def pieces(area: BaseGeometry) -> list[Polygon]:
    """The areas that something is made of."""
    return [piece for piece in shapely.get_parts(area) if isinstance(piece, Polygon) and not piece.is_empty]
