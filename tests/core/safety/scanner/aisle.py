"""An aisle four metres wide with a press at its end, and a scanner in front of it that looks up the aisle."""

from __future__ import annotations

from typing import Any

from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, PlanShape, Rail, SafetyPart, Scanner, Situation, Zone
from highmoor.core.project import edits
from highmoor.core.safety.scanner.told import GuardTold, ScannerTold, SituationTold, ZoneTold
from tests.core.safety.functions import SI, analysed, at, do, of, press, put, with_part

HAZARD = [[-2000, -1500], [2000, -1500], [2000, -50], [-2000, -50]]
WALLS = ([[-2000, -1500], [-2000, 9000]], [[2000, -1500], [2000, 9000]], [[-2000, -1500], [2000, -1500]])
OPEN = [[-2000, 9000], [2000, 9000]]
FIELD = {"kind": "rectangle", "x": -2000, "y": 0, "width": 4000, "depth": 2600}


def one(plant: Plant, kind: type[Any]) -> Any:
    return plant.all(kind)[0]


def scanner(plant: Plant, **settings: Any) -> Plant:
    return put(plant, one(plant, Scanner).id, **{f"settings__{key}": value for key, value in settings.items()})


def shaped(plant: Plant, **shape: Any) -> Plant:
    """Its field drawn otherwise; of a rectangle only what differs."""
    drawn = shape if "kind" in shape else {**FIELD, **shape}
    return put(plant, one(plant, Zone).id, settings__shape=drawn)


def with_shape(plant: Plant, kind: Any, points: list[Any], **more: Any) -> Plant:
    return do(plant, edits.AddPlanShape(scanner=one(plant, Scanner).id, shape=kind, points=points, **more))


def aisle(field: dict[str, Any] | None = None) -> Plant:
    """All is well with it: 609 ms to standstill, 2194.4 mm needed, 2650 there."""
    plant = press()
    plant = do(plant, edits.AddScanner(controller=one(plant, Controller).id, scanner="ws-3", name="Eye", tag="$s"))
    eye = one(plant, Scanner).id
    plant = with_part(plant, "sensor", "espe", "Field", SI, "ch4", pfh=1e-7, level="d", category="3", pulsed=True)
    plant = put(plant, of(plant, "Field"), device=eye)
    for wall in WALLS:
        plant = with_shape(plant, "wall", wall)
    plant = with_shape(with_shape(plant, "open", OPEN), "hazard", HAZARD)
    plant = do(plant, edits.AddZone(scanner=eye, shape=field or FIELD), edits.AddSituation(scanner=eye, name="Always"))
    return do(plant, edits.UseZone(situation=one(plant, Situation).id, output=1, zone=one(plant, Zone).id))


def with_outputs(plant: Plant, *designations: str) -> Plant:
    """Plain output modules behind the controller's last."""
    rail = one(plant, Rail).id
    for designation in designations:
        plant = do(plant, edits.InsertModules(rail=rail, type="tarnfell.do-16"))
        plant = put(plant, plant.children(Module, rail)[-1].id, designation=designation)
    return plant


def named(plant: Plant, what: Any, place: str = "", key: str = "ch0", pattern: str = "Eye{n}{situation}") -> Plant:
    """Signals for what of the scanner has none, from a channel on."""
    there = {"place": at(plant, place), "key": key} if place else {}
    return do(plant, edits.NameScanner(scanner=one(plant, Scanner).id, what=what, pattern=pattern, **there))


def told(plant: Plant) -> ScannerTold:
    result: ScannerTold = analysed(plant).result("scanner.told", one(plant, Scanner).id)
    return result


def zone(plant: Plant, at: int = 0) -> ZoneTold:
    result: ZoneTold = analysed(plant).result("zone.told", plant.all(Zone)[at].id)
    return result


def situation(plant: Plant, at: int = 0) -> SituationTold:
    result: SituationTold = analysed(plant).result("situation.told", plant.all(Situation)[at].id)
    return result


def guard(plant: Plant, output: int = 1) -> GuardTold:
    return situation(plant).guards[output - 1]


def without(plant: Plant, table: type[Any], /, **values: Any) -> Plant:
    """Less all rows of a table that have these values."""
    rows = [row.id for row in plant.all(table) if all(getattr(row, key) == value for key, value in values.items())]
    return do(plant, edits.Remove(ids=rows))


__all__ = ["FIELD", "HAZARD", "PlanShape", "SafetyPart", "aisle", "guard", "named", "one", "scanner", "shaped",
           "situation", "told", "with_outputs", "with_shape", "without", "zone"]  # fmt: skip
