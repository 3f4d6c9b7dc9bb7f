"""How a robot is initialised on the bench: step by step, as far as it goes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from highmoor.core.motion.robots.types import ARM_PLACES, PLACES
from highmoor.core.numbers import shown

if TYPE_CHECKING:
    from highmoor.core.bench.axes.robots import RobotLive

StepState = Literal["open", "now", "good", "bad"]

_POWER_WITHIN_S = 4.0
_SETTLED_S = 0.2


class Failing(Exception):
    """Why a step of the initialisation is not done."""


@dataclass(slots=True)
class Step:
    """A step of the initialisation: what has to be so, and how far it is."""

    key: str
    says: str
    state: StepState = "open"
    text: str = ""


def open_steps() -> list[Step]:
    """All steps, none of them done."""
    return [Step(key, says) for key, says, _ in _STEPS]


def initialising(robot: RobotLive) -> Iterator[None]:
    """One step after the other, a turn at a time; `robot.steps` tells how far it is. Raises Failing, or Refusal, with
    why a step is not done."""
    for step, (_, _, doing) in zip(robot.steps, _STEPS, strict=True):
        step.state = "now"
        yield
        for text in doing(robot):
            step.text = text or step.text
            yield
        step.state = "good"


def _data(robot: RobotLive) -> Iterator[str]:
    if robot.told.missing:
        raise Failing(f"not set: {', '.join(robot.told.missing)}")
    yield robot.told.type


def _joints(robot: RobotLive) -> Iterator[str]:
    without = [joint.name for joint in robot.told.joints if not joint.axis]
    if without:
        raise Failing(f"no axis is {' or '.join(without)}")
    commanders = robot.commanders()
    for joint in robot.told.joints:
        if joint.place not in commanders:
            name = robot.axis(joint.place).name
            raise Failing(f"{name} is not commanded: its chain, its words or its speeds are not whole")
    yield ", ".join(robot.axis(joint.place).name for joint in robot.told.joints)


def _asked(robot: RobotLive) -> Iterator[str]:
    for parameter in robot.told.parameters:
        for asked in parameter.asked:
            if not asked.good:
                wants = "" if asked.asked is None else f"; its type asks {parameter.says(asked.asked)}"
                name, label = robot.axis(asked.place).name, parameter.label.lower()
                raise Failing(f"{name}, {label}: {parameter.says(asked.value)}{wants}")
    yield f"{len(robot.told.parameters)} parameters"


def _drives(robot: RobotLive) -> Iterator[str]:
    axes = {joint.place: robot.axis(joint.place) for joint in robot.told.joints}
    acting = {place: robot.axes.acting(axis) for place, axis in axes.items()}
    for parameter in robot.told.parameters:
        for asked in parameter.asked:
            has = acting[asked.place][parameter.key]
            if has is None or abs(has - (asked.value or 0.0)) > 1e-9 * abs(has):
                name, label = axes[asked.place].name, parameter.label.lower()
                raise Failing(f"in the drive of {name}, {label}: {parameter.says(has)}, and not "
                               f"{parameter.says(asked.value)}")  # fmt: skip
    yield ""


def _answer(robot: RobotLive) -> Iterator[str]:
    for commander in robot.commanders().values():
        if not commander.good():
            raise Failing(f"the drive of {commander.of.axis.name} does not answer")
    yield ""


def _power(robot: RobotLive) -> Iterator[str]:
    """A fault is acknowledged once; whoever has power already keeps it."""
    began = robot.now_s
    for commander in robot.commanders().values():
        if commander.state == "fault":
            commander.reset()
    while any(commander.engaged and commander.state == "off" for commander in robot.commanders().values()):
        yield "faults are acknowledged"
    for commander in robot.commanders().values():
        if commander.state == "off":
            commander.enable()
    while any(commander.state == "enabling" for commander in robot.commanders().values()):
        if robot.now_s - began > _POWER_WITHIN_S:
            break
        yield "switched on"
    for place, commander in robot.commanders().items():
        if commander.state != "standstill":
            raise Failing(f"{PLACES[place]}: {commander.text or 'it did not come to where it moves'}")
    yield "all stand, powered"


def _stand(robot: RobotLive) -> Iterator[str]:
    began = robot.now_s
    while robot.now_s - began < _SETTLED_S:
        yield ""
    of, angles = robot.of, robot.angles()
    for place, angle in zip(ARM_PLACES, angles or (), strict=False):
        if of and not of.low_deg <= angle <= of.high_deg:
            raise Failing(f"{PLACES[place]} stands at {shown(angle, 4)}°, and turns only from {of.low_deg:g}° to "
                           f"{of.high_deg:g}°: look at its encoder offset")  # fmt: skip
    at = robot.place()
    if at is None:
        raise Failing("with the arms like this no platform can hang on them: look at the encoder offsets")
    yield f"the platform is at ({', '.join(shown(round(value, 1)) for value in at)}) mm"


def _reach(robot: RobotLive) -> Iterator[str]:
    if robot.told.unreached and robot.told.at:
        at = ", ".join(shown(value, 4) for value in robot.told.at)
        raise Failing(f"({at}) mm is not reached: {robot.told.unreached}")
    robot.refuse_line()
    yield ""


_STEPS: tuple[tuple[str, str, Callable[[RobotLive], Iterator[str]]], ...] = (
    ("data", "Its data are whole", _data),
    ("joints", "Every arm has its axis", _joints),
    ("asked", "All is set as its type asks", _asked),
    ("drives", "The drives have it as well", _drives),
    ("answer", "The drives answer", _answer),
    ("power", "They have power", _power),
    ("angles", "The arms stand as they can", _stand),
    ("reach", "The work is within reach", _reach),
)
