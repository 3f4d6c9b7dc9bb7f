"""Remedies for robots, tried on the whole plant before they are offered."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from math import floor, log10, sqrt

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.motion.copies import in_drive
from highmoor.core.motion.robots.frame import frame_of, work_corners
from highmoor.core.motion.robots.line import LineTold, line_of, too_sharp
from highmoor.core.motion.robots.parts import RobotTold
from highmoor.core.motion.robots.reach import why_not
from highmoor.core.motion.robots.types import WRIST, type_of
from highmoor.core.motion.units import unit_of
from highmoor.core.networks.strangers import built_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Axis, Robot
from highmoor.core.project import edits
from highmoor.core.project.remedy import Remedy, set_fields, tried

# How far a frame is moved, and in how small steps, to bring the work within reach, mm.
_STEP, _STEPS = 10, 100


def _take_free_axis(analysis: Analysis, found: Finding) -> Remedy | None:
    """Axes of no robot that turn as the joints have to, in their order."""
    plant = analysis.plant
    robot = plant.get(found.places[0].id, Robot)
    told: RobotTold = analysis.result("robot.told", robot.id)
    free = [axis for axis in plant.children(Axis, robot.controller) if axis.robot is None]
    steps: list[edits.Edit] = []
    names = []
    for joint in told.joints:
        kinds = ("endless", "rotary") if joint.place == WRIST else ("rotary",)
        axis = next((each for kind in kinds for each in free if each.kind == kind), None)
        if joint.axis or axis is None:
            continue
        free.remove(axis)
        names.append(axis.name)
        steps.append(edits.SetFields(ids=[axis.id], values={"robot": robot.id, "arm": joint.place}))
    if not steps:
        return None
    return Remedy(f"Take {', '.join(names)}", "in the project", edits.Batch(edits=steps))


def _as_asked(analysis: Analysis, found: Finding) -> Remedy | None:
    robot = analysis.plant.get(found.places[1].id, Robot)
    told: RobotTold = analysis.result("robot.told", robot.id)
    label = dict(found.values)["what"]
    key = next((p.key for p in told.parameters if p.label == label), None)
    if key is None:
        return None
    return tried(analysis, found, Remedy("Set it on all as is asked", "in the project",
                                         edits.MeetType(robot=robot.id, keys=[key])))  # fmt: skip


def _offset_of_drive(analysis: Analysis, found: Finding) -> Remedy | None:
    """What is saved in the drive, if anything is."""
    plant = analysis.plant
    axis = plant.get(found.places[0].id, Axis)
    device = built_of(plant, plant, analysis.catalogue).get(axis.drive or "")
    has = in_drive(axis.id, {"encoder_offset": None}, device.settings if device else {})
    value = has.told["encoder_offset"]
    if value is None:
        return None
    label = f"Take {shown(value)} {unit_of(axis.kind, axis.unit).label} from the drive"
    return tried(analysis, found, Remedy(label, "in the project", edits.DriveCopies(
        axis=axis.id, do="take", keys=["encoder_offset"])))  # fmt: skip


def _as_far_as_it_turns(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = analysis.plant.get(found.places[0].id, Axis)
    told: RobotTold = analysis.result("robot.told", found.places[1].id)
    end = found.places[0].field.removeprefix("settings.")
    degrees = told.low_deg if end == "soft_minus" else told.high_deg
    at = degrees / (360 * float(unit_of(axis.kind, axis.unit).size))
    remedy = set_fields(f"To {shown(degrees)}°", axis.id, **{f"settings__{end}": at})
    return tried(analysis, found, remedy)


def _frame_elsewhere(analysis: Analysis, found: Finding) -> Remedy | None:
    """The frame higher or lower, as little as helps."""
    robot = analysis.plant.get(found.places[0].id, Robot)
    at = float(robot.settings.get("frame_z") or 0)
    for z in _about(at):
        moved = replace(robot, settings={**robot.settings, "frame_z": z})
        if _reached(moved):
            remedy = set_fields(f"Frame z {shown(z)} mm", robot.id, settings__frame_z=z)
            if tried(analysis, found, remedy):
                return remedy
    return None


def _reached(robot: Robot) -> bool:
    """Whether its work and its straight move are, looked at here and there."""
    of, _ = type_of(robot)
    if of is None:
        return False
    frame, line = frame_of(robot.settings), line_of(robot, of)
    along = [line.place(line.takes * n / 24) for n in range(25)] if line else []
    return all(not why_not(of, p) for p in (*map(frame.outside, work_corners(robot.settings)), *along))


def _about(at: float) -> Iterator[float]:
    for n in range(1, _STEPS + 1):
        yield at - n * _STEP
        yield at + n * _STEP


def _slower(analysis: Analysis, found: Finding) -> Remedy | None:
    """The quickest of three digits at which no joint is too quick; and where the ramp is too steep, no such."""
    robot = analysis.plant.get(found.places[0].id, Robot)
    low, high = 0.0, float(robot.settings.get("line_speed") or 0)
    for _ in range(12):
        middle = (low + high) / 2
        low, high = (middle, high) if tried(analysis, found, _at(robot, middle)) else (low, middle)
    if low <= 0:
        return None
    return tried(analysis, found, _at(robot, _down(low)))


def _at(robot: Robot, speed: float) -> Remedy:
    return set_fields(f"At {shown(speed)} mm/s", robot.id, settings__line_speed=speed)


def _gentler(analysis: Analysis, found: Finding) -> Remedy | None:
    """The same move in more time: its speed by as much, its acceleration by the square of that."""
    robot = analysis.plant.get(found.places[0].id, Robot)
    told: LineTold | None = analysis.result("robot.line", robot.id)
    sharp = too_sharp(told) if told else []
    if not sharp:
        return None
    share = min((joint.acceleration_limit or 0) / joint.acceleration for joint in sharp)
    speed, rate = (float(robot.settings[f"line_{what}"]) for what in ("speed", "acceleration"))
    speed, rate = _down(speed * sqrt(share)), _down(rate * share)
    return tried(analysis, found, set_fields(
        f"At {shown(speed)} mm/s by {shown(rate)} mm/s²", robot.id,
        settings__line_speed=speed, settings__line_acceleration=rate,
    ))  # fmt: skip


def _down(value: float) -> float:
    """To three digits, never more."""
    step = 10.0 ** (floor(log10(value)) - 2)
    return float(f"{floor(value / step) * step:.12g}")


def _not_of_robot(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = analysis.plant.get(found.places[0].id, Axis)
    return tried(analysis, found, set_fields(f"Take {axis.name} from it", axis.id, robot=None, arm=""))


ROBOT_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "MOT-160": _take_free_axis,
    "MOT-162": _as_asked,
    "MOT-163": _offset_of_drive,
    "MOT-164": _as_far_as_it_turns,
    "MOT-165": _frame_elsewhere,
    "MOT-166": _frame_elsewhere,
    "MOT-167": _slower,
    "MOT-168": _not_of_robot,
    "MOT-169": _gentler,
}
