"""A situation unwrapped: bearing by bearing how far its zone goes, how far it has to go, where the surroundings are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from highmoor.core.safety.scanner.shapes import Point, bearing_point
from highmoor.core.safety.scanner.told import Ring

STEP_DEG = 1.0


@dataclass(frozen=True, slots=True)
class OutputUnwrapped:
    """Of an output: how far its zone goes at each bearing, and how far it has to, which is never beyond a wall or the
    range; 0 where there is nothing of either."""

    output: int
    zone: tuple[float, ...]
    needed: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Unwrapped:
    """From a bearing on, degree by degree clockwise, mm. `contour` is the nearest wall, None where there is none within
    the `range`."""

    begins: float
    step: float
    range: float
    contour: tuple[float | None, ...]
    outputs: tuple[OutputUnwrapped, ...]


def bearings(looks: float, angle: float) -> list[float]:
    """All that a scanner has, from its left to its right."""
    count = int(angle // STEP_DEG) + 1
    begins = looks - (count - 1) * STEP_DEG / 2
    return [begins + n * STEP_DEG for n in range(count)]


def farthest(at: Point, towards: list[float], reach: float, rings: tuple[Ring, ...]) -> tuple[float, ...]:
    """How far along each ray an area is last met."""
    area = shapely.union_all([Polygon(ring) for ring in rings if len(ring) > 3])
    return tuple(round(far, 1) for _, far in _met(at, towards, reach, area))


def nearest_wall(at: Point, towards: list[float], reach: float, walls: BaseGeometry) -> tuple[float | None, ...]:
    """How far along each ray the first wall is."""
    met = _met(at, towards, reach, walls)
    return tuple(round(near, 1) if far else None for near, far in met)


def _met(at: Point, towards: list[float], reach: float, what: BaseGeometry) -> list[tuple[float, float]]:
    """How far along each ray something is met first and last; 0 for both where it is not."""
    if what.is_empty:
        return [(0.0, 0.0)] * len(towards)
    ends = [bearing_point(bearing, reach) for bearing in towards]
    rays = [LineString([at, (at[0] + x, at[1] + y)]) for x, y in ends]
    shapely.prepare(what)
    found: list[tuple[float, float]] = []
    for common in shapely.intersection(np.array(rays, dtype=object), what):
        points = shapely.get_coordinates(common)
        away = np.hypot(points[:, 0] - at[0], points[:, 1] - at[1]) if len(points) else np.zeros(1)
        found.append((float(away.min()), float(away.max())))
    return found
