"""A straight move of a robot: along a line in the frame of its work, its speed as every other move's, and what the arms
and the wrist have to do for that. Lengths in mm, angles in degrees, times in s."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import dist, isinf

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.delta import Point
from highmoor.core.figures.motion.profile import MotionLimits, pieces, profile
from highmoor.core.motion.path import Along
from highmoor.core.motion.robots.frame import frame_of, point_of
from highmoor.core.motion.robots.reach import why_not
from highmoor.core.motion.robots.types import PLACES, RobotType
from highmoor.core.numbers import fraction_at, number_at
from highmoor.core.plant.rows import Robot

# How many moments are looked at, how many are drawn, and how closely the quickest is looked for.
_MOMENTS, _DRAWN, _CLOSER = 240, 120, 20
# Over so much of a piece of the move an acceleration is taken; every so many moments are enough to look for the most.
_INSTANT, _COARSE = 1e-4, 3


@dataclass(frozen=True, slots=True)
class Line:
    """A straight way between two places in the robot's coordinates, and of a wrist between two angles; `along` is what
    part of it is done, over time."""

    begin: Point
    end: Point
    along: Along
    # mm/s², to speed up and to brake.
    acceleration: float
    turns: tuple[float, float] | None = None

    @property
    def length(self) -> float:
        """mm."""
        return dist(self.begin, self.end)

    @property
    def takes(self) -> float:
        """s."""
        return self.along.takes

    def place(self, t: float) -> Point:
        """Where the platform is at a time."""
        part, _ = self.along.at(t)
        a, b = self.begin, self.end
        return a[0] + (b[0] - a[0]) * part, a[1] + (b[1] - a[1]) * part, a[2] + (b[2] - a[2]) * part

    def moving(self, t: float) -> Point:
        """How quick it goes, mm/s."""
        _, rate = self.along.at(t)
        a, b = self.begin, self.end
        return (b[0] - a[0]) * rate, (b[1] - a[1]) * rate, (b[2] - a[2]) * rate

    def turned(self, t: float) -> tuple[float, float]:
        """The wrist's angle at a time, and how quick it turns, degrees a s; 0 without one."""
        if self.turns is None:
            return 0.0, 0.0
        part, rate = self.along.at(t)
        begin, end = self.turns
        return begin + (end - begin) * part, (end - begin) * rate


@dataclass(frozen=True, slots=True)
class JointTold:
    """An arm or the wrist along the move: how quick it turns, degrees a s, at the moments of the move; the most of
    that without its sign, when, and what it may (None: nothing says so); the same of its acceleration, degrees a s²;
    between which angles it turns."""

    place: str
    name: str
    speeds: tuple[float, ...]
    most: float
    at: float
    limit: float | None
    acceleration: float
    accelerates_at: float
    acceleration_limit: float | None
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class LineTold:
    """A straight move. `begin` and `end` in the robot's coordinates; `leaves` says why it is not reached all along,
    `leaves_at` where first, mm from its beginning; then no joint is told. `times` are the moments."""

    begin: Point
    end: Point
    length: float
    takes: float
    leaves: str
    leaves_at: float
    times: tuple[float, ...]
    joints: tuple[JointTold, ...]


def line_of(robot: Robot, of: RobotType) -> Line | None:
    """The straight move that is set of a robot; None where its ends, its speed or its acceleration are not, or it goes
    nowhere."""
    settings = robot.settings
    begin, end = point_of(settings, "from"), point_of(settings, "to")
    speed, rate = fraction_at(settings, "line_speed"), fraction_at(settings, "line_acceleration")
    if begin is None or end is None or not speed or not rate or begin == end:
        return None
    frame = frame_of(settings)
    turns = None
    if of.wrist is not None:
        turns = (
            number_at(settings, "from_turn") + frame.turn_deg, number_at(settings, "to_turn") + frame.turn_deg
        )  # fmt: skip
    length = dist(begin, end)
    along = Along(0.0, 1 / length, pieces(profile(Fraction(length), MotionLimits(speed, rate, rate, None))))
    return Line(frame.outside(begin), frame.outside(end), along, float(rate), turns)


@dataclass(frozen=True, slots=True)
class JointLimits:
    """What a joint may, degrees a s and a s²; None where nothing says so."""

    speed: float | None = None
    acceleration: float | None = None


def line_told(of: RobotType, line: Line, limits: Mapping[str, JointLimits]) -> LineTold:
    """A straight move, with what each joint may by place."""
    moments = [line.takes * n / _MOMENTS for n in range(_MOMENTS + 1)]
    poses: list[Pose] = []
    for t in moments:
        problem = why_not(of, line.place(t))
        if not problem:
            poses.append(pose(of, line, t))
            straight = (place for place, (_, rate) in zip(of.places, poses[-1], strict=True) if isinf(rate))
            problem = next((f"{PLACES[place]} would be straight" for place in straight), "")
        if problem:
            at = line.along.at(t)[0] * line.length
            return LineTold(line.begin, line.end, line.length, line.takes, problem, at, (), ())
    sharpest = _sharpest(of, line, moments[::_COARSE])
    joints = tuple(
        _joint(of, line, n, moments, poses, limits.get(place) or JointLimits(), sharpest[n])
        for n, place in enumerate(of.places)
    )
    drawn = tuple(moments[:: _MOMENTS // _DRAWN])
    return LineTold(line.begin, line.end, line.length, line.takes, "", 0.0, drawn, joints)


# By place the angle of a joint, and how quick it turns.
Pose = tuple[tuple[float, float], ...]


def pose(of: RobotType, line: Line, t: float) -> Pose:
    """All joints at a time of a move. Raises Refusal where it is not reached."""
    place = line.place(t)
    angles = of.delta.angles(*place)
    arms = tuple(zip(angles, of.delta.rates(place, line.moving(t), angles), strict=True))
    return (*arms, line.turned(t)) if of.wrist is not None else arms


@dataclass(frozen=True, slots=True)
class JointWay:
    """What one joint does along a straight move that is reached, in units of so many degrees."""

    of: RobotType
    line: Line
    place: str
    degrees: float = 1.0

    @property
    def takes(self) -> float:
        return self.line.takes

    def at(self, t: float) -> tuple[float, float]:
        angle, speed = _reached(self.of, self.line, t)[self.of.places.index(self.place)]
        return angle / self.degrees, speed / self.degrees


def _reached(of: RobotType, line: Line, t: float) -> Pose:
    """All joints at a time of a move that is reached at all moments that were looked at: where it just is not in
    between, at the nearest of those."""
    try:
        there = pose(of, line, t)
        if not any(isinf(speed) for _, speed in there):
            return there
    except Refusal:
        pass
    return pose(of, line, line.takes * round(_MOMENTS * t / line.takes) / _MOMENTS)


def _sharpest(of: RobotType, line: Line, moments: Sequence[float]) -> list[tuple[float, float]]:
    """How much each joint accelerates at most, without its sign, and when: piece by piece of the move, as it changes at
    once from one to the next."""
    stretches = [
        [p.at, *(t for t in moments if p.at < t < p.at + p.lasts), p.at + p.lasts] for p in line.along.pieces
    ]  # fmt: skip
    if not stretches:
        return [(0.0, 0.0)] * len(of.places)
    found = [(0.0, 0.0, stretches[0])] * len(of.places)
    for times in stretches:
        for t in times:
            for n, value in enumerate(_accelerations(of, line, t, times[0], times[-1])):
                found[n] = max(found[n], (value, t, times))
    return [_sharper(of, line, n, near, times) for n, (_, near, times) in enumerate(found)]


def _sharper(of: RobotType, line: Line, n: int, near: float, times: Sequence[float]) -> tuple[float, float]:
    """About a moment of a piece, looked at more closely."""

    def value(t: float) -> float:
        return _accelerations(of, line, t, times[0], times[-1])[n]

    at = _closer(value, times, times.index(near), [near])
    return value(at), at


def _accelerations(of: RobotType, line: Line, t: float, begin: float, end: float) -> list[float]:
    """Of each joint about a moment of a piece of the move, without its sign."""
    step = max((end - begin) * _INSTANT, 1e-9)
    # The last moment of a piece is the first of the next: just before it.
    low, high = max(t - step, begin), min(t + step, end - step * 1e-3)
    there, here = _reached(of, line, high), _reached(of, line, low)
    return [abs(one[1] - other[1]) / (high - low) for one, other in zip(there, here, strict=True)]


def _joint(
    of: RobotType, line: Line, n: int, moments: Sequence[float], poses: Sequence[Pose], limits: JointLimits,
    sharpest: tuple[float, float],
) -> JointTold:  # fmt: skip
    angles, speeds = zip(*(each[n] for each in poses), strict=True)
    quickest = max(range(len(moments)), key=lambda m: abs(speeds[m]))
    # Where its speed has a corner, it may be quickest.
    corners = [*moments[quickest : quickest + 1], *(piece.at for piece in line.along.pieces)]
    at = _closer(lambda t: abs(_reached(of, line, t)[n][1]), moments, quickest, corners)
    place = of.places[n]
    return JointTold(
        place, PLACES[place], tuple(speeds[:: _MOMENTS // _DRAWN]), abs(_reached(of, line, at)[n][1]), at, limits.speed,
        *sharpest, limits.acceleration, min(angles), max(angles),
    )  # fmt: skip


def _closer(value: Callable[[float], float], moments: Sequence[float], near: int, others: Sequence[float]) -> float:
    """Where a value is highest about a moment, or at one of others."""
    low, high = moments[max(near - 1, 0)], moments[min(near + 1, len(moments) - 1)]
    for _ in range(_CLOSER):
        one, other = low + (high - low) / 3, high - (high - low) / 3
        low, high = (one, high) if value(one) < value(other) else (low, other)
    return max((low, high, *others), key=value)


def too_quick(told: LineTold) -> list[JointTold]:
    """The joints that would have to turn quicker than they may."""
    return [each for each in told.joints if each.limit is not None and each.most > each.limit * (1 + 1e-9)]


def too_sharp(told: LineTold) -> list[JointTold]:
    """The joints that would have to accelerate more than they may."""
    return [
        each for each in told.joints
        if each.acceleration_limit is not None and each.acceleration > each.acceleration_limit * (1 + 1e-6)
    ]  # fmt: skip
