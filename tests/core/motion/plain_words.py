"""From an empty plant: a drive by plain Modbus TCP words, eleven each way."""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Port, Program, Task
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.motion.axes import applied, put
from tests.core.plants import hall

PROGRAM = """\
VAR
  Again : TON;
END_VAR

// Lamp while it moves.
LIFTJogSpeed := 0;
Again(IN := LIFTMoving, PT := T#2s);
LIFTStoredMove := 1;
"""


def plain(words: int = 11, *, program: bool = False) -> Plant:
    """HALL with a drive called Drive1 of so many words each way, and the axis LIFT of it with its words named."""
    plant = hall("do-16")
    port = next(port for port in plant.all(Port) if port.key == "A")
    exchanges = [
        edits.AddExchange(
            connection="$k", name=name,
            settings={"function": function, "address": address, "count": words, "period_ms": 20, "timeout_ms": 100},
        )
        for name, function, address in (("State", 3, 100), ("Command", 16, 0))
    ]  # fmt: skip
    plant = applied(
        plant,
        edits.Batch(
            edits=[
                edits.AddNetwork(fieldbus="modbus-tcp", port=port.id, name="Drives", tag="$n"),
                edits.AddStation(network="$n", name="Drive1", address="10.0.0.21", connection_tag="$k"),
                *exchanges,
            ]
        ),
    )
    plant = with_lift(plant)
    if program:
        controller = plant.all(Controller)[0].id
        plant = applied(plant, edits.AddProgram(controller=controller, name="Drives", text=PROGRAM))
    return plant


def with_lift(plant: Plant, base: str | None = None) -> Plant:
    """The axis LIFT of the first station, with all its words named; tasks of 10 ms."""
    controller = plant.all(Controller)[0].id
    drive = next(iter(plant.tables["stations"]))
    made = apply(plant, BUILTIN, edits.AddAxis(controller=controller, name="LIFT", drive=drive, tag="$a"))
    plant, axis = made.plant, made.tags["$a"]
    sizes: dict[str, dict[str, Any]] = {
        "motor": {"counts": 4096, "inertia": 0.0002}, "gear": {"motor_turns": 4}, "screw": {"lead_mm": 10},
        "load": {"mass_kg": 50},
    }  # fmt: skip
    for link in plant.children(ChainLink, axis):
        plant = put(plant, link.id, **{f"settings__{key}": value for key, value in sizes[link.kind].items()})
    moving = {"speed": 200, "acceleration": 500, "soft_minus": -500, "soft_plus": 500, "window": 0.05}
    plant = put(plant, axis, **{f"settings__{key}": value for key, value in moving.items()})
    for task in plant.all(Task):
        plant = put(plant, task.id, period_ms=10)
    return applied(plant, edits.NameWords(axis=axis, base=base, optional=True))


def lift_of(plant: Plant, name: str = "LIFT") -> Axis:
    """An axis by its name."""
    return next(axis for axis in plant.all(Axis) if axis.name == name)


def text_of(plant: Plant) -> str:
    """The text of the program."""
    return plant.all(Program)[0].text
