"""Plants with one axis, for the tests of motion."""

from __future__ import annotations

from typing import Any, Literal

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Controller
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.plants import hall

# The lift of the demo, worked by hand in the domain's reference.
LIFT: dict[str, dict[str, Any]] = {
    "motor": {"counts": 2**20, "absolute_turns": 4096, "inertia": "2 kg cm²", "rated_rpm": 6000, "rated_nm": 1.27,
              "peak_nm": 3.8, "brake_nm": 2.5, "brake_ms": 25},
    "gear": {"motor_turns": 4, "load_turns": 1, "efficiency": 95},
    "screw": {"lead_mm": 10, "efficiency": 85, "inertia": "10 kg cm²"},
    "load": {"mass_kg": 300, "incline_deg": 90},
}  # fmt: skip
MOVING: dict[str, Any] = {
    "speed": 200, "acceleration": 500, "soft_minus": 0, "soft_plus": 400, "switch_minus": -50, "switch_plus": 450,
    "stop_minus": -100, "stop_plus": 500, "cam": 60,
}  # fmt: skip
TURNING: dict[str, dict[str, Any]] = {
    "motor": {"counts": 4096, "inertia": 0.001, "rated_rpm": 3000},
    "gear": {"motor_turns": 4},
    "load": {"inertia": 0.06, "friction_nm": 18},
}


def applied(plant: Plant, *steps: Any) -> Plant:
    """The plant after these edits."""
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


def put(plant: Plant, row_id: str, **values: Any) -> Plant:
    """Fields of one row; `__` stands for the dot of a path."""
    fields = {key.replace("__", "."): value for key, value in values.items()}
    return applied(plant, edits.SetFields(ids=[row_id], values=fields))


def an_axis(
    links: dict[str, dict[str, Any]],
    kind: Literal["linear", "rotary", "endless", "speed"] = "linear",
    plant: Plant | None = None,
    **settings: Any,
) -> Plant:
    """HALL with one axis (more) of these links."""
    plant = plant or hall()
    steps: list[Any] = [edits.AddAxis(controller=plant.all(Controller)[0].id, axis=kind, name="LIFT", tag="$a")]
    tags = apply(plant, BUILTIN, steps[0]).tags
    plant = applied(plant, *steps)
    axis = tags["$a"]
    there = {link.kind: link.id for link in plant.children(ChainLink, axis)}
    plant = applied(
        plant,
        *(edits.Remove(ids=[row_id]) for name, row_id in there.items() if name not in links),
        *(edits.AddChainLink(axis=axis, link=name) for name in links if name not in there),  # type: ignore[arg-type]
    )
    for link in plant.children(ChainLink, axis):
        if links[link.kind]:
            plant = put(plant, link.id, **{f"settings__{key}": value for key, value in links[link.kind].items()})
    return put(plant, axis, **{f"settings__{key}": value for key, value in settings.items()}) if settings else plant


def lift(**settings: Any) -> Plant:
    """The lift, with settings of its axis besides or instead."""
    return an_axis(LIFT, **{**MOVING, **settings})


def turning(**settings: Any) -> Plant:
    """An endless axis behind 4 : 1."""
    return an_axis(TURNING, "endless", **{"speed": 360, "acceleration": 720, **settings})


def with_link(plant: Plant, kind: str, **values: Any) -> Plant:
    """One link set otherwise."""
    link = next(link for link in plant.all(ChainLink) if link.kind == kind)
    return put(plant, link.id, **{f"settings__{key}": value for key, value in values.items()})


def with_moves(plant: Plant, *moves: dict[str, Any]) -> Plant:
    """Moves of the axis in their order."""
    for values in moves:
        axis = plant.all(Axis)[0].id
        goes = values.get("goes", "relative")
        made = apply(plant, BUILTIN, edits.AddMove(axis=axis, goes=goes, tag="$m"))
        plant = put(
            made.plant, made.tags["$m"], **{f"settings__{key}": v for key, v in values.items() if key != "goes"}
        )
    return plant


def told(plant: Plant, part: str) -> Any:
    """What a part tells of the first axis."""
    return analyse(plant, BUILTIN).result(part, plant.all(Axis)[0].id)


def found(plant: Plant) -> set[str]:
    """The codes of what is found of motion, but for the missing drive."""
    every = analyse(plant, BUILTIN).findings.values()
    return {one.code for one in every if one.code.startswith("MOT") and one.code != "MOT-102"}
