"""A press on HALL: an emergency stop and a door on one safe input module, a drive on a safe output."""

from __future__ import annotations

from typing import Any

from highmoor.core.analysis.engine import Analysis
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, SafetyFunction, SafetyPart, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.safety.told import FunctionTold
from tests.core.plants import hall

SI, SO, DI = "-S1", "-S2", "-D1"
CONTACTS: dict[str, Any] = {"b10d": 100_000, "category": "4", "worst_ms": 0, "ccf": 70}
STO: dict[str, Any] = {"pfh": 2e-9, "level": "e", "worst_ms": 5, "stop_ms": 420}


def do(plant: Plant, *steps: edits.Edit) -> Plant:
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


def at(plant: Plant, designation: str) -> str:
    return next(module.id for module in plant.all(Module) if module.designation == designation)


def of(plant: Plant, name: str) -> str:
    """A part, a signal or the controller by its name."""
    rows = (*plant.all(SafetyPart), *plant.all(Signal), *plant.all(SafetyFunction), *plant.all(Controller))
    return next(row.id for row in rows if row.name == name)


def put(plant: Plant, row: str, **values: Any) -> Plant:
    """Fields of a row; `__` stands for the dot of a path."""
    paths = {key.replace("__", "."): value for key, value in values.items()}
    return do(plant, edits.SetFields(ids=[row], values=paths)) if paths else plant


def on(plant: Plant, name: str, **settings: Any) -> Plant:
    """Settings of a part or of the function."""
    return put(plant, of(plant, name), **{f"settings__{key}": value for key, value in settings.items()})


def pair(plant: Plant, designation: str, key: str, **settings: Any) -> Plant:
    values = {f"settings__pairs__{key}__{setting}": value for setting, value in settings.items()}
    return put(plant, at(plant, designation), **values)


def with_part(plant: Plant, role: Any, block: str, name: str, place: str, key: str, **settings: Any) -> Plant:
    add = edits.AddSafetyPart(
        function=plant.all(SafetyFunction)[0].id, role=role, block=block, name=name, key=key,
        place=at(plant, place) if place else None,
    )  # fmt: skip
    return on(do(plant, add), name, **settings)


def press(asked: str = "PL d") -> Plant:
    """All is well with it."""
    plant = hall("di-16", "si-8", "so-4")
    for designation, module in zip((DI, SI, SO), plant.all(Module), strict=True):
        plant = put(plant, module.id, designation=designation)
    controller = plant.all(Controller)[0].id
    plant = do(
        plant,
        edits.AddSignals(controller=controller, pattern="Reset", place=at(plant, DI), key="ch0"),
        edits.AddSignals(controller=controller, pattern="Start", place=at(plant, DI), key="ch1"),
        edits.AddSafetyFunction(controller=controller, name="Press"),
    )
    function = plant.all(SafetyFunction)[0].id
    plant = put(plant, function, asked=asked, asked_ms=700, settings__demand_per_h=0.5)
    plant = with_part(plant, "sensor", "emergency-stop", "Button", SI, "ch0", **CONTACTS)
    plant = with_part(plant, "sensor", "guard", "Door", SI, "ch2", **{**CONTACTS, "b10d": 2_000_000})
    plant = with_part(plant, "actuator", "sto", "Drive", SO, "ch0", **STO)
    return do(plant, edits.UseSignal(of=function, role="reset", signal=of(plant, "Reset")))


def analysed(plant: Plant) -> Analysis:
    return analyse(plant, BUILTIN)


def told(plant: Plant) -> FunctionTold:
    result: FunctionTold = analysed(plant).result("function.told", plant.all(SafetyFunction)[0].id)
    return result
