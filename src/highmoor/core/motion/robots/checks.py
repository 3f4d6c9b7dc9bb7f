"""What can be wrong with a robot."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.motion.copies import BY_KEY
from highmoor.core.motion.robots.line import LineTold, too_quick, too_sharp
from highmoor.core.motion.robots.parts import AskedTold, RobotTold
from highmoor.core.motion.robots.types import PLACES, WRIST
from highmoor.core.motion.units import unit_of
from highmoor.core.numbers import number_at, shown
from highmoor.core.plant.rows import Axis, ChainLink, Robot


def _name(reader: Reader, robot: str) -> str:
    return str(reader.value(robot, Robot, "name"))


def _no_axis(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    without = [joint.name for joint in result.joints if not joint.axis]
    if without and not result.missing:
        yield finding("MOT-160", root, robot=_name(reader, root), what=_listed(without))


def _listed(names: list[str]) -> str:
    return " and ".join(filter(None, (", ".join(names[:-1]), names[-1])))


def _no_sheet(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.missing:
        yield finding("MOT-161", (root, "type"), robot=_name(reader, root), what=_listed(list(result.missing)))


def _not_as_asked(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    for parameter in result.parameters:
        for asked in parameter.asked:
            if not asked.axis or asked.good or asked.asked is None:
                continue
            yield finding(
                "MOT-162", _place(reader, asked), (root, "type"), axis=reader.value(asked.axis, Axis, "name"),
                robot=_name(reader, root), what=parameter.label,
                has=parameter.says(asked.value), asked=parameter.says(asked.asked),
                whom="its wrist" if asked.place == WRIST else "its arms",
            )  # fmt: skip


def _place(reader: Reader, asked: AskedTold) -> tuple[str, str]:
    """Where what is asked is set."""
    if asked.key == "gear":
        gears = [link for link in reader.children(ChainLink, asked.axis) if link.kind == "gear"]
        return (gears[0].id, "settings.motor_turns") if gears else (asked.axis, "kind")
    return asked.axis, BY_KEY[asked.key].field or "unit"


def _no_offset(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    for parameter in result.parameters:
        for asked in parameter.asked:
            if asked.axis and asked.asked is None and not asked.good:
                yield finding("MOT-163", (asked.axis, "settings.encoder_offset"), (root, "type"),
                              axis=reader.value(asked.axis, Axis, "name"))  # fmt: skip


def _beyond_joint(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    for joint in result.joints:
        if result.missing or not joint.axis or joint.place == WRIST:
            continue
        axis = reader.row(joint.axis, Axis)
        unit = unit_of(axis.kind, axis.unit)
        if unit.linear:
            continue
        degrees = 360 * float(unit.size)
        for way, end, turns in ((-1, "minus", result.low_deg), (1, "plus", result.high_deg)):
            soft = axis.settings.get(f"soft_{end}")
            at = number_at(axis.settings, f"soft_{end}") * degrees
            if soft is None or (at - turns) * way > 1e-9:
                goes = "has no soft limit" if soft is None else f"may go to {shown(at)}°"
                yield finding("MOT-164", (axis.id, f"settings.soft_{end}"), (root, "type"), axis=axis.name,
                              goes=f"{goes} {'−' if way < 0 else '+'}" if soft is None else goes,
                              turns=f"{shown(turns)}°")  # fmt: skip


def _unreached(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.unreached and result.at:
        at = ", ".join(shown(value, 4) for value in result.at)
        yield finding("MOT-165", (root, "settings.frame_z"), at=at, why=result.unreached)


def _leaves(result: LineTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    if result and result.leaves:
        yield finding("MOT-166", (root, "settings.to_z"), after=f"{shown(result.leaves_at, 4)} mm", why=result.leaves)


def _too_quick(result: LineTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    for joint in too_quick(result) if result else ():
        yield finding(
            "MOT-167", (root, "settings.line_speed"), (root, joint.place), joint=joint.name,
            speed=f"{shown(joint.most, 4)} °/s", limit=f"{shown(joint.limit or 0, 4)} °/s",
        )  # fmt: skip


def _too_sharp(result: LineTold | None, reader: Reader, root: str) -> Iterator[Finding]:
    for joint in too_sharp(result) if result else ():
        yield finding(
            "MOT-169", (root, "settings.line_acceleration"), (root, joint.place), joint=joint.name,
            rate=f"{shown(joint.acceleration, 4)} °/s²", limit=f"{shown(joint.acceleration_limit or 0, 4)} °/s²",
        )  # fmt: skip


def _twice(result: RobotTold, reader: Reader, root: str) -> Iterator[Finding]:
    robot = _name(reader, root)
    for joint in result.joints:
        for other in joint.others:
            name, first = (reader.value(axis, Axis, "name") for axis in (other, joint.axis))
            yield finding("MOT-168", (other, "arm"), (joint.axis, "arm"), axis=name, what=f"{joint.name} of {robot}",
                          why=f"{first} is that")  # fmt: skip
    for axis in result.unexpected:
        place = PLACES.get(str(reader.value(axis, Axis, "arm")), "such a joint")
        yield finding("MOT-168", (axis, "arm"), (root, "type"), axis=reader.value(axis, Axis, "name"),
                      what=f"{place} of {robot}", why="its type has none")  # fmt: skip


ROBOT_CHECKS: tuple[Check, ...] = (
    Check(
        "MOT-160", "robot.told", "motion", "error", "A robot without all of its axes",
        "{robot} has no axis for {what}.",
        "It cannot be initialised: where its platform is follows from all arms together.", _no_axis,
    ),
    Check(
        "MOT-161", "robot.told", "motion", "error", "A robot without its data",
        "Of {robot} is not set: {what}.",
        "Without that nobody knows where it reaches. It stands in the robot's data sheet.", _no_sheet,
    ),
    Check(
        "MOT-162", "robot.told", "motion", "error", "Not as a robot's type asks",
        "{axis}, {what}: {has}. {robot} asks of {whom}: {asked}.",
        "The arms then turn by other angles than the robot reckons with, or are driven harder than they bear.",
        _not_as_asked,
    ),
    Check(
        "MOT-163", "robot.told", "motion", "error", "No encoder offset",
        "{axis} has no encoder offset.",
        "A robot's axes do not look for home: without the offset an arm's angle is wrong by whatever the encoder was "
        "built in with.", _no_offset,
    ),
    Check(
        "MOT-164", "robot.told", "motion", "warning", "An arm may go further than it turns",
        "{axis} {goes}; this arm turns only to {turns}.",
        "It hits the robot's frame, or another arm, before anything stops it.", _beyond_joint,
    ),
    Check(
        "MOT-165", "robot.told", "motion", "error", "Work beyond a robot's reach",
        "The work reaches to ({at}) mm from the robot's base, and there {why}.",
        "A move to there is refused.", _unreached,
    ),
    Check(
        "MOT-166", "robot.line", "motion", "error", "A straight move that leaves the reach",
        "After {after} the straight move is not reached: {why}.",
        "The robot would stop there, in the middle of its way.", _leaves,
    ),
    Check(
        "MOT-167", "robot.line", "motion", "error", "A joint too quick on a straight move",
        "On the straight move {joint} would turn at {speed}; it may turn at {limit}.",
        "Its drive cannot follow: the platform leaves the line, or the drive stops in fault.", _too_quick,
    ),
    Check(
        "MOT-168", "robot.told", "motion", "error", "A robot's joint said twice",
        "{axis} is said to be {what}, and {why}.",
        "Only one axis can be one joint.", _twice,
    ),
    Check(
        "MOT-169", "robot.line", "motion", "error", "A joint accelerated too much on a straight move",
        "On the straight move {joint} would accelerate at {rate}; it may at {limit}.",
        "Its drive cannot follow: the platform leaves the line, or the drive stops in fault.", _too_sharp,
    ),
)  # fmt: skip
