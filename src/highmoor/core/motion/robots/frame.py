"""Where a robot's work is: a frame that is turned about the robot's upright and moved, and a box in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product
from math import cos, radians, sin

from highmoor.core.figures.motion.delta import Point
from highmoor.core.numbers import Settings, number_at

AXES = ("x", "y", "z")


@dataclass(frozen=True, slots=True)
class Frame:
    """A frame of the work: its origin in the robot's coordinates, mm, and how far it is turned about z, degrees."""

    origin: Point
    turn_deg: float

    def outside(self, inside: Point) -> Point:
        """A place given in it, in the robot's coordinates."""
        ahead, aside = cos(radians(self.turn_deg)), sin(radians(self.turn_deg))
        x, y, z = inside
        at = self.origin
        return at[0] + x * ahead - y * aside, at[1] + x * aside + y * ahead, at[2] + z


def frame_of(settings: Settings) -> Frame:
    """The frame that is set, the robot's own where nothing is."""
    x, y, z = (number_at(settings, f"frame_{axis}") for axis in AXES)
    return Frame((x, y, z), number_at(settings, "frame_turn"))


def point_of(settings: Settings, name: str) -> Point | None:
    """A place that is set in the frame; what of it is not is 0. None where nothing is."""
    keys = [f"{name}_{axis}" for axis in AXES]
    if all(settings.get(key) is None for key in keys):
        return None
    x, y, z = (number_at(settings, key) for key in keys)
    return x, y, z


def work_corners(settings: Settings) -> Iterator[Point]:
    """The eight corners of what the work takes up, in the frame: about its origin in x and y, upwards from it in z; z
    runs quickest, then y. None where its size is not set."""
    x, y, z = (number_at(settings, f"work_{axis}") for axis in AXES)
    if x or y or z:
        yield from product((-x / 2, x / 2), (-y / 2, y / 2), (0.0, z))
