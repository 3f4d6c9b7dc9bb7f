"""The scanner at the north end of the turner's aisle: what stands there, its zones, its situations."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Controller, Station
from highmoor.core.project import edits

# The aisle goes south from the scanner, 4 m wide; a door in its east wall is the only way in. mm.
_WALLS = (
    [[2000, -200], [2000, 0], [-2000, 0], [-2000, -9000], [2000, -9000], [2000, -1200]],
    [[3200, 400], [3200, -2200]],
)
_DOOR = [[3200, -2200], [2000, -2200]], [[2000, 400], [3200, 400]]
# From where on the turner sweeps the aisle, and how far each zone goes.
_SWEEPS = {"Northward": -3500, "Southward": -4200, "Parking": -5200, "Maintenance": -5200}
_ZONES = {"Northward": ("A", 3400), "Southward": ("B", 4100), "Parking": ("C", 5000), "Maintenance": ("C", 5000)}
_WARNING = [[0, -30], [2000, -260], [2900, -420], [2900, -1650], [2000, -1150]]
_LEADS = {"Northward": 500, "Southward": 500}


def add_scanner(build: Builder) -> str:
    """Its id. An output shuts off, the other one warns."""
    hall, station = build.find(Controller, name="HALL").id, build.find(Station, name="Aisle scanner").id
    add = edits.AddScanner(controller=hall, scanner="ws-3", name="Aisle eye", station=station, tag="$s")
    settings = {"settings.y": -30, "settings.looks": 180, "settings.resolution": 50, "settings.height": 200}
    scanner = build.do(edits.Batch(edits=[add, edits.SetFields(ids=["$s"], values=settings)]))["$s"]
    for kind, lines in (("wall", _WALLS), ("open", _DOOR)):
        for points in lines:
            _shape(build, scanner, kind, points)
    zones = {letter: _zone(build, scanner, depth) for letter, depth in dict(_ZONES.values()).items()}
    warning: dict[str, Any] = {"kind": "polygon", "points": _WARNING}
    add_warning = edits.AddZone(scanner=scanner, zone="warning", shape=warning, tag="$z")
    warns = build.do(add_warning)["$z"]
    for name, (letter, _) in _ZONES.items():
        situation = build.do(edits.AddSituation(scanner=scanner, name=name, tag="$n"))["$n"]
        for output, zone in ((1, zones[letter]), (2, warns)):
            build.do(edits.UseZone(situation=situation, output=output, zone=zone))
        y = _SWEEPS[name]
        swept = [[-2000, -9000], [2000, -9000], [2000, y], [-2000, y]]
        _shape(build, scanner, "hazard", swept, situation)
        if name in _LEADS:
            build.do(edits.SetFields(ids=[situation], values={"settings.lead_ms": _LEADS[name]}))
    return scanner


def _shape(build: Builder, scanner: str, kind: Any, points: list[Any], situation: str | None = None) -> None:
    build.do(edits.AddPlanShape(scanner=scanner, shape=kind, points=points, situation=situation))


def _zone(build: Builder, scanner: str, depth: float) -> str:
    shape = {"kind": "rectangle", "x": -2000, "y": -depth, "width": 4000, "depth": depth}
    return build.do(edits.AddZone(scanner=scanner, shape=shape, tag="$z"))["$z"]
