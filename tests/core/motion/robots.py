"""Plants with one robot, for the tests of motion."""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.motion.robots.types import PLACES, TYPES
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Robot
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.motion.axes import applied
from tests.core.plants import hall

WRISTED = "arms-200-460-wrist"
LINE: dict[str, float] = {
    "frame_z": -470, "frame_turn": 30, "work_x": 200, "work_y": 160, "work_z": 60, "from_x": -90, "from_y": -60,
    "to_x": 90, "to_y": 60, "to_z": 40, "to_turn": 90, "line_speed": 800, "line_acceleration": 8000,
}  # fmt: skip


def joint(plant: Plant, place: str) -> Axis:
    """The axis that is an arm or the wrist."""
    return next(axis for axis in plant.all(Axis) if axis.arm == place)


def with_values(plant: Plant, row_id: str, **settings: Any) -> Plant:
    """Settings of one row."""
    return applied(plant, edits.SetFields(ids=[row_id], values={f"settings.{k}": v for k, v in settings.items()}))


def without_axes(robot: str = WRISTED, **settings: Any) -> Plant:
    """HALL with a robot that has no axes yet."""
    plant = hall()
    plant = applied(plant, edits.AddRobot(controller=plant.all(Controller)[0].id, robot=robot, name="PICKER"))
    return with_values(plant, plant.all(Robot)[0].id, **settings) if settings else plant


def picker(robot: str = WRISTED, **settings: Any) -> Plant:
    """HALL with a robot whose axes are as its type asks, and with its straight move."""
    of = TYPES[robot]
    line = {key: value for key, value in LINE.items() if of.wrist or key != "to_turn"}
    plant = without_axes(robot, **{**line, **settings})
    row = plant.all(Robot)[0]
    for place in of.places:
        kind: Any = "endless" if place == "wrist" else "rotary"
        made = apply(plant, BUILTIN, edits.AddAxis(controller=row.controller, axis=kind, name=place, tag="$a"))
        plant = applied(made.plant, edits.SetFields(ids=[made.tags["$a"]], values={"robot": row.id, "arm": place}))
        group = of.group(place)
        assert group is not None and place in PLACES
        limits = {} if place == "wrist" else {"soft_minus": of.low_deg, "soft_plus": of.high_deg}
        plant = with_values(plant, made.tags["$a"], speed=group.most_deg_s, encoder_offset=3, **limits)
    motors = [link.id for link in plant.all(ChainLink) if link.kind == "motor"]
    counts = edits.SetFields(ids=motors, values={"settings.counts": 2**20})
    return applied(plant, counts, edits.MeetType(robot=row.id))


def of_robot(plant: Plant, **settings: Any) -> Plant:
    """Settings of the robot."""
    return with_values(plant, plant.all(Robot)[0].id, **settings)
