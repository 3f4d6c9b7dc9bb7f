"""Shapes of zones and of what stands around, as they are entered: checked, and drawn to points.

Points are mm in the plan, x to the right and y up; bearings are degrees clockwise from up.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import cos, radians, sin
from typing import Any, Literal

from shapely import LinearRing, Polygon, is_valid_reason

from highmoor.core.errors import Refusal

Point = tuple[float, float]
ShapeKind = Literal["polygon", "sector", "rectangle"]
POINTS_AT_MOST = 500
_FAR = 100_000
# An arc is drawn by chords this long in degrees: 0.05 mm short of it at 5 m.
_STEP_DEG = 0.5


def bearing_point(bearing: float, distance: float) -> Point:
    """Where something lies that is seen from 0, 0 at a bearing and a distance."""
    return distance * sin(radians(bearing)), distance * cos(radians(bearing))


def read_points(given: Any, least: int) -> list[list[float]]:
    """A list of points. Raises Refusal for what is none, too few, too many, or too far away."""
    if not isinstance(given, list) or not least <= len(given) <= POINTS_AT_MOST:
        raise Refusal(f"Between {least} and {POINTS_AT_MOST} points are needed.", value=_short(given))
    return [[_coordinate(x) for x in _pair(point)] for point in given]


def _pair(point: Any) -> Sequence[Any]:
    if not isinstance(point, list) or len(point) != 2:
        raise Refusal("A point is two numbers.", value=_short(point))
    return point


def _coordinate(given: Any) -> float:
    if isinstance(given, bool) or not isinstance(given, int | float) or not -_FAR <= given <= _FAR:
        raise Refusal(f"A length is a number of mm, at most {_FAR}.", value=_short(given))
    return given


def _short(given: Any) -> str:
    return repr(given)[:60]


_KEYS: dict[str, tuple[str, ...]] = {
    "polygon": ("points",),
    "sector": ("from", "to", "radius"),
    "rectangle": ("x", "y", "width", "depth"),
}


def read_shape(given: Any) -> dict[str, Any]:
    """A zone's shape: `polygon` by points, `sector` around the scanner from one bearing clockwise to another, or
    `rectangle` by its lower left corner. Raises Refusal."""
    if not isinstance(given, dict) or given.get("kind") not in _KEYS:
        raise Refusal(f"A shape is one of {', '.join(_KEYS)}.", value=_short(given))
    keys = _KEYS[given["kind"]]
    if {*given} != {"kind", *keys}:
        raise Refusal(f"A {given['kind']} has {', '.join(keys)}.", value=_short(given))
    if given["kind"] == "polygon":
        return {"kind": "polygon", "points": read_points(given["points"], 3)}
    shape = {"kind": given["kind"], **{key: _coordinate(given[key]) for key in keys}}
    for key in ("radius", "width", "depth"):
        if key in shape and shape[key] <= 0:
            raise Refusal(f"A {key} is above 0 mm.", value=_short(shape[key]))
    return shape


def ring_of(shape: Mapping[str, Any], at: Point) -> list[Point]:
    """The corners of a shape, in order; of a sector around where the scanner stands. None of one that is not whole."""
    kind = shape.get("kind")
    if kind == "polygon":
        return [(float(x), float(y)) for x, y in shape["points"]]
    if kind == "rectangle":
        x, y, width, depth = (float(shape[key]) for key in _KEYS["rectangle"])
        return [(x, y), (x + width, y), (x + width, y + depth), (x, y + depth)]
    if kind == "sector":
        return sector(at, float(shape["from"]), float(shape["to"]), float(shape["radius"]))
    return []


def sector(at: Point, begin: float, end: float, radius: float) -> list[Point]:
    """A sector clockwise from one bearing to another; all around where both are one."""
    turn = (end - begin) % 360 or 360.0
    steps = max(2, round(turn / _STEP_DEG) + 1)
    arc = [bearing_point(begin + turn * n / (steps - 1), radius) for n in range(steps)]
    if turn == 360.0:
        return [(at[0] + x, at[1] + y) for x, y in arc[:-1]]
    return [at, *((at[0] + x, at[1] + y) for x, y in arc)]


def shape_problem(ring: Sequence[Point]) -> str:
    """Why a ring is no area: "" where it is one."""
    if len(ring) < 3:
        return "has no shape yet"
    line = LinearRing(ring)
    if not line.is_simple:
        return "crosses itself"
    area = Polygon(ring)
    if not area.is_valid:
        return "crosses itself" if "intersection" in is_valid_reason(area).lower() else "is no area"
    return "is no area" if area.area < 1 else ""
