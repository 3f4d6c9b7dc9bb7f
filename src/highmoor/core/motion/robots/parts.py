"""The parts of a robot: what it asks against what is set, where it reaches, its straight move."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.motion.copies import BY_KEY, values_of
from highmoor.core.motion.robots.frame import frame_of, work_corners
from highmoor.core.motion.robots.line import JointLimits, LineTold, line_of, line_told
from highmoor.core.motion.robots.reach import ReachTold, reach, why_not
from highmoor.core.motion.robots.types import PLACES, WRIST, RobotType, type_of
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.units import UNITS, unit_of
from highmoor.core.numbers import fraction_at, shown
from highmoor.core.plant.rows import Axis, Robot

Point = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class AskedTold:
    """Something that is asked of an arm or the wrist: a parameter of its drive, what it has to be (None: to be set at
    all), and what it is; None where it is not set, or no axis is there. `good`: it is as asked."""

    place: str
    axis: str
    key: str
    asked: float | None
    value: float | None
    good: bool


@dataclass(frozen=True, slots=True)
class ParameterTold:
    """A parameter that is asked: of whom and in what unit."""

    key: str
    label: str
    unit: str
    asked: tuple[AskedTold, ...]

    def says(self, value: float | None) -> str:
        """A value of it in words."""
        if self.key == "reversed":
            return "yes" if value else "no"
        return "not set" if value is None else f"{shown(value)} {self.unit}".strip()


@dataclass(frozen=True, slots=True)
class JointOf:
    """An arm or the wrist of a robot: its axis ("" for none) and others that are said to be it as well."""

    place: str
    name: str
    axis: str
    others: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RobotTold:
    """A robot: how it is built, who its arms and its wrist are, and what is asked of them.

    `missing` says what of its data sheet is not set; then nothing else is told but its axes. `low_deg` and `high_deg`
    are between which angles its arms turn. `unexpected` are axes said to be a wrist where it has none. `work` are the
    corners of what its work takes up, and `frame` the frame's origin with a place 1 mm along its x, in the robot's
    coordinates, mm; `unreached` says why the first corner that is not reached is not, `at` which that is.
    """

    type: str
    missing: tuple[str, ...]
    low_deg: float
    high_deg: float
    joints: tuple[JointOf, ...]
    unexpected: tuple[str, ...]
    parameters: tuple[ParameterTold, ...]
    frame: tuple[Point, Point]
    work: tuple[Point, ...]
    unreached: str
    at: Point | None


def _told(reader: Reader, root: str) -> RobotTold:
    robot = reader.row(root, Robot)
    of, missing = type_of(robot)
    frame = frame_of(robot.settings)
    axes = reader.referring(Axis, "robot", root)
    places = of.places if of else tuple(PLACES)
    joints = tuple(_joint(place, axes) for place in places)
    work = tuple(frame.outside(corner) for corner in work_corners(robot.settings))
    at, unreached = next(((p, why) for p in work if (why := why_not(of, p))), (None, "")) if of else (None, "")
    return RobotTold(
        of.label if of else "By its data sheet", missing, of.low_deg if of else 0.0, of.high_deg if of else 0.0, joints,
        tuple(axis.id for axis in axes if axis.arm and axis.arm not in places),
        tuple(_parameters(reader, of, joints)) if of else (), (frame.origin, frame.outside((1.0, 0.0, 0.0))), work,
        unreached, at,
    )  # fmt: skip


def _joint(place: str, axes: list[Axis]) -> JointOf:
    """The first axis that is said to be it."""
    those = sorted((axis for axis in axes if axis.arm == place), key=lambda axis: (axis.rank, axis.id))
    return JointOf(place, PLACES[place], those[0].id if those else "", tuple(axis.id for axis in those[1:]))


def _parameters(reader: Reader, of: RobotType, joints: tuple[JointOf, ...]) -> Iterator[ParameterTold]:
    values = {joint.place: _values(reader, joint.axis) for joint in joints}
    keys = dict.fromkeys(key for group in (of.arms, of.wrist) if group for key in group.asks)
    for key in (*keys, "encoder_offset"):
        asked = []
        for joint in joints:
            group = of.group(joint.place)
            wanted = group.asks.get(key) if group else None
            if wanted is None and key != "encoder_offset":
                continue
            value = values[joint.place].get(key)
            good = value is not None and (wanted is None or abs(value - wanted) <= 1e-9 * abs(wanted))
            asked.append(AskedTold(joint.place, joint.axis, key, wanted, value, good))
        yield ParameterTold(key, BY_KEY[key].label, BY_KEY[key].unit.format(UNITS["deg"].label), tuple(asked))


def _values(reader: Reader, axis_id: str) -> dict[str, float | None]:
    if not axis_id:
        return {}
    axis = reader.row(axis_id, Axis)
    unit = unit_of(axis.kind, axis.unit)
    return values_of(axis, reader.part("axis.links", axis_id), unit)


def _reach(reader: Reader, root: str) -> ReachTold | None:
    robot = reader.row(root, Robot)
    of, _ = type_of(robot)
    z = fraction_at(robot.settings, "frame_z")
    return reach(of, None if z is None else float(z)) if of else None


def _line(reader: Reader, root: str) -> LineTold | None:
    robot = reader.row(root, Robot)
    of, _ = type_of(robot)
    line = line_of(robot, of) if of else None
    if of is None or line is None:
        return None
    axes = {axis.arm: axis for axis in reversed(reader.referring(Axis, "robot", root))}
    return line_told(of, line, {place: _limits(of, place, axes.get(place)) for place in of.places})


def _limits(of: RobotType, place: str, axis: Axis | None) -> JointLimits:
    """How quick a joint may turn as its type says and as its axis is set, and how much that may accelerate."""
    group, bounds = of.group(place), bounds_of(axis) if axis else None
    turn = 360 * unit_of(axis.kind, axis.unit).size if axis else 0
    speed = float(((bounds and bounds.speed) or 0) * turn)
    rates = [float(rate * turn) for rate in (bounds.acceleration, bounds.deceleration) if rate] if bounds else []
    return JointLimits(
        min((each for each in (group.most_deg_s if group else 0.0, speed) if each), default=None),
        min(rates, default=None),
    )


def _headlines(result: LineTold | None, reader: Reader, root: str) -> list[Headline]:
    if result is None or result.leaves:
        return []
    nearest = max(
        (joint for joint in result.joints if joint.limit),
        key=lambda joint: joint.most / (joint.limit or 1), default=None,
    )  # fmt: skip
    if nearest is None:
        return []
    what = "Wrist" if nearest.place == WRIST else "Arms"
    return [Headline(root, "joint", f"{what} on the straight move", nearest.most, "°/s", nearest.limit, "less")]


PARTS: tuple[Part, ...] = (
    Part("robot.told", "robots", _told, shown=RobotTold),
    Part("robot.reach", "robots", _reach, shown=ReachTold, asked=True),
    Part("robot.line", "robots", _line, _headlines, shown=LineTold),
)
