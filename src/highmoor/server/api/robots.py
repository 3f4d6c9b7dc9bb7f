"""Robots on the bench: initialised step by step, led along their straight move."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from ninja import Router

from highmoor.core.bench.axes.robot_start import StepState
from highmoor.core.bench.axes.robots import State
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import ChainLink, Robot
from highmoor.server.api.access import member, opened
from highmoor.server.api.motion import running_bench
from highmoor.server.api.shapes import Problem, Shape
from highmoor.server.plants import OpenPlant

router = Router(tags=["motion"])


class RobotStepOut(Shape):
    """A step of the initialisation, and how far it is."""

    key: str
    says: str
    state: StepState
    text: str


class RobotLiveOut(Shape):
    """A robot on the bench. `joints` are its angles by place, degrees; `place` is where the platform is by them and
    `really` where it is, mm in the robot's coordinates, null where no platform can be. `trace` is its latest straight
    move: s, x, y, z.
    """

    robot: str
    state: State
    text: str
    steps: list[RobotStepOut]
    joints: dict[str, float]
    place: list[float] | None
    really: list[float] | None
    trace: list[list[float]]


class RobotDoIn(Shape):
    """What a robot is to do."""

    do: Literal["initialise", "go", "stop", "disable"]


@router.get(
    "/plants/{key}/bench/robots/{robot_id}", response={200: RobotLiveOut, 422: Problem}, operation_id="robot_live"
)
def robot_live(request: HttpRequest, key: str, robot_id: str) -> RobotLiveOut:
    """A robot as it is on the bench."""
    member(request, key)
    return RobotLiveOut(**running_bench(key).robot(robot_id))


@router.post(
    "/plants/{key}/bench/robots/{robot_id}", response={200: RobotLiveOut, 422: Problem}, operation_id="robot_do"
)
def robot_do(request: HttpRequest, key: str, robot_id: str, given: RobotDoIn) -> RobotLiveOut:
    """Initialise a robot, let it go its straight move, stop it, take its power away."""
    member(request, key, "edit")
    held = opened(request, key)
    with held.lock:
        robot = held.plant.get(robot_id, Robot)
        if given.do == "initialise":
            _refuse_under_error(held, robot)
    return RobotLiveOut(**running_bench(key).robot(robot_id, given.do))


def _refuse_under_error(held: OpenPlant, robot: Robot) -> None:
    """Nothing gets power under an error of one of its axes; what is wrong with the robot itself its steps say."""
    plant = held.plant
    axes = plant.referring("axes", "robot", robot.id)
    own = {*axes, *(link.id for axis in axes for link in plant.children(ChainLink, axis))}
    for found in held.analysis.findings.values():
        check = held.analysis.checks.by_code[found.code]
        of_robot = any(place.id == robot.id for place in found.places)
        if check.severity == "error" and found.places[0].id in own and not of_robot:
            raise Refusal(f"Not before this is mended: {check.render(found)}", place=robot.id)
