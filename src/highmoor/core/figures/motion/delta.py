"""Three arms at 120° that carry a platform, each an upper arm that turns and a lower arm that follows.

Origin at the base's centre in the plane of the upper joints, z up, arm 1 on +x, the others at 120° and 240° towards +y;
an angle is that of the upper arm below the horizontal, its elbow outward. Lengths in one unit, angles in degrees.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import acos, atan2, cos, degrees, hypot, inf, pi, remainder, sin, sqrt

from highmoor.core.errors import Refusal
from highmoor.core.numbers import shown

ARMS = 3
# What rounding may take from an arm that is stretched to its very end.
_ROUNDING = 1e-12
# The sine of the angle between upper and lower arm below which they are one line.
_STRAIGHT = 1e-9
_TURNED = tuple((cos(arm * 2 * pi / ARMS), sin(arm * 2 * pi / ARMS)) for arm in range(ARMS))

Point = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Delta:
    """The robot's lengths. Raises Refusal at or below 0."""

    base_radius: float
    platform_radius: float
    upper_arm: float
    lower_arm: float

    def __post_init__(self) -> None:
        for what in ("base_radius", "platform_radius", "upper_arm", "lower_arm"):
            value = getattr(self, what)
            if value <= 0:
                words = what.replace("_", " ")
                raise Refusal(f"The {words} must be above 0, not {shown(value)}.", field=what, value=value)

    def angles(self, x: float, y: float, z: float) -> tuple[float, float, float]:
        """The three upper arms' angles with the platform's centre there. Raises Refusal where an arm cannot reach."""
        found = [self.arm_angle(arm, x, y, z) for arm in range(ARMS)]
        for arm, angle in enumerate(found):
            if angle is None:
                where = ", ".join(shown(at) for at in (x, y, z))
                raise Refusal(f"Arm {arm + 1} cannot reach ({where}).")
        first, second, third = (angle for angle in found if angle is not None)
        return first, second, third

    def arm_angle(self, arm: int, x: float, y: float, z: float) -> float | None:
        """One upper arm's angle with the platform's centre there; None where it cannot reach."""
        ahead, aside = _TURNED[arm]
        across = y * ahead - x * aside
        along = x * ahead + y * aside + self.platform_radius - self.base_radius
        upper, lower = self.upper_arm, self.lower_arm
        # The elbow lies on a circle about the joint, and as far from the platform's joint as the lower arm is long.
        reach = hypot(along, z)
        asked = (upper**2 + along**2 + across**2 + z**2 - lower**2) / (2 * upper)
        if abs(asked) > reach * (1 + _ROUNDING) or reach == 0:
            return None
        middle, spread = atan2(-z, along), acos(max(-1.0, min(1.0, asked / reach)))
        one, other = middle - spread, middle + spread
        return degrees(remainder(one if cos(one) >= cos(other) else other, 2 * pi))

    def position(self, angles: tuple[float, float, float]) -> tuple[float, float, float]:
        """Where the platform's centre is with the upper arms at these angles: the lower of two places.

        Raises Refusal where the lower arms cannot meet.
        """
        return _meeting([self._elbow(arm, angle) for arm, angle in enumerate(angles)], self.lower_arm)

    def _elbow(self, arm: int, angle: float) -> Point:
        """Where an arm's elbow is, moved inward by the platform's radius: a lower arm's length from the platform."""
        (ahead, aside), below = _TURNED[arm], angle * pi / 180
        out = self.base_radius - self.platform_radius + self.upper_arm * cos(below)
        return out * ahead, out * aside, -self.upper_arm * sin(below)

    def rates(self, place: Point, moving: Point, angles: tuple[float, float, float]) -> tuple[float, float, float]:
        """How quick the arms turn, degrees a s, while the platform moves; lengths of that a s. Infinite where an arm is
        straight and cannot follow. `angles` are those at that place.

        The lower arm's length does not change: along it the elbow goes as quick as the platform does.
        """
        found = []
        for arm, angle in enumerate(angles):
            (ahead, aside), below = _TURNED[arm], angle * pi / 180
            lower = _minus(place, self._elbow(arm, angle))
            out, down = -self.upper_arm * sin(below), -self.upper_arm * cos(below)
            along = _dot(lower, (out * ahead, out * aside, down))
            asked = _dot(lower, moving)
            straight = abs(along) <= _STRAIGHT * self.upper_arm * self.lower_arm
            found.append((inf if asked else 0.0) if straight else degrees(asked / along))
        return found[0], found[1], found[2]


def _minus(one: Point, other: Point) -> Point:
    return one[0] - other[0], one[1] - other[1], one[2] - other[2]


def _times(one: Point, times: float) -> Point:
    return one[0] * times, one[1] * times, one[2] * times


def _dot(one: Point, other: Point) -> float:
    return one[0] * other[0] + one[1] * other[1] + one[2] * other[2]


def _cross(one: Point, other: Point) -> Point:
    return (
        one[1] * other[2] - one[2] * other[1], one[2] * other[0] - one[0] * other[2],
        one[0] * other[1] - one[1] * other[0],
    )  # fmt: skip


def _meeting(centres: list[Point], radius: float) -> Point:
    """The lower of the two points at one distance from three centres."""
    first, second, third = centres
    a, b = _minus(second, first), _minus(third, first)
    normal = _cross(a, b)
    twice = 2 * _dot(normal, normal)
    if twice == 0:
        raise Refusal("With the arms like this the lower arms leave the platform free.")
    # The circumcentre of the three, from the first one.
    weighed = _minus(_times(b, _dot(a, a)), _times(a, _dot(b, b)))
    middle = _times(_cross(weighed, normal), 1 / twice)
    left = radius**2 - _dot(middle, middle)
    if left < 0:
        raise Refusal("With the arms like this the lower arms do not meet.")
    away = _times(normal, sqrt(left / _dot(normal, normal)))
    at = _minus(first, _times(middle, -1))
    return min((_minus(at, away), _minus(at, _times(away, -1))), key=_height)


def _height(point: Point) -> float:
    return point[2]
