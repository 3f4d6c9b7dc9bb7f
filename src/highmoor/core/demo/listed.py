"""Skelder's I/O list as design issues it: the first issue, of which the plant was made, and the second, which differs
from it and from the plant in each way a list can."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.numbers import shown
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.lists.comparing import compare

FIRST, SECOND = "skelder_io_a.xlsx", "skelder_io_b.csv"
HEADINGS = (
    ("Tag no.", "tag"), ("Description", "text"), ("Area", "area"), ("Location", "location"),
    ("Terminal strip", "strip"), ("Terminal", "terminal"), ("Cable", "cable"), ("Core", "core"), ("Loop", "loop"),
    ("Signal type", "kind"), ("Range", "range"), ("Unit", "unit"), ("Rev.", "x1"),
)  # fmt: skip
_STEEP, _HALL, _KILN, _WELL = ("10", "Steep"), ("20", "Germination"), ("30", "Kiln"), ("40", "Well")
# What a signal's name is without its numbers, and what design calls it: part of the plant, letters, text.
_CALLED: dict[str, tuple[tuple[str, str], str, str]] = {
    "TankFull": (_STEEP, "LSH", "Tank # full"),
    "BedDoorClosed": (_HALL, "GS", "Bed # door closed"),
    "GalleryFanReady": (_HALL, "XS", "Gallery fan # ready"),
    "ConveyorRunning": (_HALL, "XS-C", "Conveyor # running"),
    "TurnerLimit": (_HALL, "ZS", "Turner limit #"),
    "BedTurnerSeen": (_HALL, "ZS-B", "Turner over bed #"),
    "BedDrainOpen": (_HALL, "GSO", "Bed # drain open"),
    "TankFillValve": (_STEEP, "XV", "Tank # fill valve"),
    "TankDrainValve": (_STEEP, "XV-D", "Tank # drain valve"),
    "BedSprayValve": (_HALL, "XV", "Bed # spray valve"),
    "TankLevel": (_STEEP, "LT", "Level tank #"),
    "BedCo": (_HALL, "QT", "CO₂ over bed #"),
    "TankTemp": (_STEEP, "TT", "Temperature tank #"),
    "FreshAirDamper": (_HALL, "CV", "Fresh air damper #"),
    "ExhaustDamper": (_HALL, "CV-E", "Exhaust damper"),
    "PumpRunning": (_STEEP, "XS-P", "Pump # running"),
    "PumpTripped": (_STEEP, "XA-P", "Pump # tripped"),
    "PumpStart": (_STEEP, "XC-P", "Pump # start"),
    "TankAirOpen": (_STEEP, "GSO-A", "Tank # air valve open"),
    "TankAirValve": (_STEEP, "XV-A", "Tank # air valve"),
    "SteepHeater": (_STEEP, "XC-H", "Water heater #"),
    "SteepLamp": (_STEEP, "XL", "Steep house lamp #"),
    "SteepFlow": (_STEEP, "FT", "Flow to tank #"),
    "PumpPressure": (_STEEP, "PT", "Pressure behind pump #"),
    "SteepWaterTemp": (_STEEP, "TT-W", "Steep water temperature #"),
    "SteepAirTemp": (_STEEP, "TT-A", "Steep air temperature #"),
    "KilnDoorClosed": (_KILN, "GS", "Kiln door # closed"),
    "KilnDamperOpen": (_KILN, "GSO", "Damper # open"),
    "KilnDamperShut": (_KILN, "GSC", "Damper # shut"),
    "KilnFanReady": (_KILN, "XS-F", "Kiln fan # ready"),
    "ElevatorRunning": (_KILN, "XS-E", "Elevator # running"),
    "KilnFanStart": (_KILN, "XC-F", "Kiln fan start"),
    "KilnDamperDrive": (_KILN, "XC-D", "Damper # drive"),
    "ElevatorStart": (_KILN, "XC-E", "Elevator # start"),
    "KilnLamp": (_KILN, "XL", "Kiln lamp #"),
    "KilnHorn": (_KILN, "XA-H", "Kiln horn"),
    "KilnFanRelease": (_KILN, "XC-R", "Kiln fan # release"),
    "KilnDraught": (_KILN, "PDT", "Draught below the malt"),
    "MaltMoisture": (_KILN, "MT", "Malt moisture"),
    "KilnHumidity": (_KILN, "HT", "Air humidity #"),
    "AirFlow": (_KILN, "FT", "Air flow #"),
    "GasFlow": (_KILN, "FT-G", "Gas flow"),
    "FuelPressure": (_KILN, "PT-G", "Gas pressure before the train"),
    "AirOnTemp": (_KILN, "TT", "Air-on temperature #"),
    "AirOffTemp": (_KILN, "TT-O", "Air-off temperature #"),
    "KilnFanSpeed": (_KILN, "SC-F", "Kiln fan speed"),
    "KilnDamperPosition": (_KILN, "CV", "Damper # position"),
    "WellPumpRunning": (_WELL, "XS-P", "Well pump # running"),
    "WellPumpTripped": (_WELL, "XA-P", "Well pump # tripped"),
    "WellFilterBlocked": (_WELL, "PDS", "Filter # blocked"),
    "WellDoorClosed": (_WELL, "GS", "Well house door closed"),
    "WellValveOpen": (_WELL, "GSO", "Valve # open"),
    "WellFlood": (_WELL, "LSA", "Flood in pit #"),
    "HallDoorSafe": (_HALL, "GS-S", "Hall door # closed, two-channel"),
    "EmergencyStop": (_HALL, "HS-S", "Emergency stop #, two-channel"),
    "AisleClear": (_HALL, "YS-S", "Aisle clear, field #, two-channel"),
    "TurnerNorthward": (_HALL, "ZS-N", "Turner heads north, two-channel"),
    "TurnerSouthward": (_HALL, "ZS-S", "Turner heads south, two-channel"),
    "TurnerReset": (_HALL, "HS-R", "Turner, reset"),
    "TurnerStart": (_HALL, "HS-G", "Turner, start"),
    "TurnerRelease": (_HALL, "XC-S", "Turner release #"),
    "WaterTankFull": (_WELL, "LSH", "Water tank full"),
    "WaterTankLevel": (_WELL, "LT", "Level water tank"),
    "WaterPressure": (_WELL, "PT", "Water pressure"),
    "WellPumpStart": (_WELL, "XC-P", "Well pump # start"),
    "WellValveDrive": (_WELL, "XV", "Valve # drive"),
    "WellLamp": (_WELL, "XL", "Well house lamp #"),
}
_KINDS = {
    "di-16": "DI", "do-16": "DO", "do-8n": "DO", "si-8": "DI safe", "so-4": "DO safe", "ai-8": "AI 4-20 mA",
    "ai-4t": "AI Pt100", "ao-4": "AO 4-20 mA",
}  # fmt: skip


def first_issue(plant: Plant) -> list[dict[str, str]]:
    """The lines of the first issue, in the order of the plant's rails."""
    lines: list[dict[str, str]] = []
    for controller in plant.all(Controller):
        for signal in plant.children(Signal, controller.id):
            lines += _line(plant, signal, len(lines) + 1)
    for n in range(1, 11):
        tag, strip = f"20-XS-{900 + n}", "-X99"
        reserve = {"tag": tag, "text": f"Reserve {n}", "area": "Germination", "location": "Germination house, cabinet"}
        lines.append({**reserve, "strip": strip, "terminal": str(n), "kind": "DI", "x1": "A"})
    return lines


def _line(plant: Plant, signal: Signal, count: int) -> Iterator[dict[str, str]]:
    called = _CALLED.get(re.sub(r"\d", "", signal.name))
    links = [plant.get(i, Link) for i in plant.referring("links", "signal", signal.id)]
    module = plant.find(links[0].place) if links else None
    if called is None or not isinstance(module, Module):
        return
    (number, area), letters, text = called
    digits = re.sub(r"\D", "", signal.name.replace("Co2", "")) or "1"
    head, _, tail = letters.partition("-")
    channel = int(links[0].key.removeprefix("ch"))
    scaling = links[0].scaling
    yield {
        "tag": f"{number}-{head}-{int(digits):03}{tail}",
        "text": text.replace("#", digits),
        "area": area,
        "location": f"{area} house, row {1 + int(digits) % 4}",
        "strip": f"-X{module.designation.removeprefix('-K')}",
        "terminal": str(2 * channel + 1),
        "cable": f"-W{number}{1 + count // 8:02}",
        "core": str(1 + count % 8),
        "loop": f"{head[0]}{number}{int(digits):02}",
        "kind": _KINDS[module.type.removeprefix("tarnfell.")],
        "range": f"{shown(scaling['lo'])} … {shown(scaling['hi'])}" if scaling else "",
        "unit": signal.unit,
        "x1": "A",
    }


def second_issue(first: list[dict[str, str]]) -> list[dict[str, str]]:
    """What design changed since: texts, ranges and terminals, tags, lines that came and went, and two slips."""
    lines = {line["tag"]: dict(line) for line in first}

    def change(tag: str, **values: str) -> None:
        lines[tag] |= {**values, "x1": "B"}

    # Moved to the end of the list, as happens when design sorts anew.
    moved = lines.pop("20-CV-001E")
    change("10-LT-001", range="0 … 3.5")
    change("10-LT-002", text="Level tank 2, radar")
    change("10-FT-003", range="0 … 60", text="Flow to tank 3 (new orifice)")
    change("20-QT-001", unit="ppm", range="0 … 50000")
    change("10-PT-004", terminal="23", core="7")
    change("30-PDT-001", text="Draught below malt bed")
    change("30-TT-001", text="=Air-on temperature, left")
    change("40-LSA-001", location="Well house, pit west")
    # The same terminals under other tags.
    for old, new in (("30-XS-001E", "30-XS-011E"), ("30-XS-002E", "30-XS-012E")):
        lines[new] = {**lines.pop(old), "tag": new, "x1": "B"}
    # No more built.
    for tag in ("10-XC-002H", "40-XL-002"):
        del lines[tag]
    like = {**lines["10-TT-004"], "x1": "B"}
    result = [*lines.values(), moved]
    for n in (1, 2, 3):
        result.append(
            {**like, "tag": f"10-QT-00{n}", "text": f"Oxygen in tank {n}", "strip": "-X12", "terminal": str(2 * n - 1),
             "cable": "-W1099", "core": str(n), "loop": f"Q100{n}", "kind": "AI 4-20 mA", "range": "0 … 20",
             "unit": "mg/l"}
        )  # fmt: skip
    result.append({**like, "tag": "10-TT-009", "text": "Reserve", "strip": "", "terminal": "", "range": "", "unit": ""})
    result.append({**result[-1], "text": "Reserve, again"})
    result.append({"text": "Spare cores in -W1099"})
    return result


def rows_of(lines: list[dict[str, str]]) -> list[list[str]]:
    """Headings and cells of an issue."""
    return [[text for text, _ in HEADINGS], *([line.get(key, "") for _, key in HEADINGS] for line in lines)]


def add_list(build: Builder) -> None:
    """The first issue is taken, and the plant goes on: some things are changed by hand."""
    lines = first_issue(build.plant)
    issue: dict[str, Any] = {
        "name": FIRST,
        "controller": build.find(Controller, name="STEEP").id,
        "headings": [edits.ListHeading(text=text, key=key) for text, key in HEADINGS],
        "rows": [edits.ListRow(row=n + 4, cells=cells) for n, cells in enumerate(rows_of(lines)[1:])],
    }
    _tagged(build, lines)
    differences = compare(build.plant, edits.ListIssue(**issue)).differences
    # Nobody makes signals of what is reserve.
    reserve = [one.id for one in differences if one.kind == "new"]
    taken = [one.id for one in differences if one.kind != "new"]
    build.do(edits.TakeList(**issue, taken=taken, left=reserve))
    changed = {"30-PDT-001": "Draught, seen from the loft", "10-XV-004": "Tank 4 fill valve (slow)"}
    for signal in build.plant.all(Signal):
        if signal.tag in changed:
            build.do(edits.SetFields(ids=[signal.id], values={"note": changed[signal.tag]}))


def _tagged(build: Builder, lines: list[dict[str, str]]) -> None:
    """Which signal a line is of is known by its tag."""
    tags = iter(lines)
    values: dict[str, dict[str, str]] = {}
    for controller in build.plant.all(Controller):
        for signal in build.plant.children(Signal, controller.id):
            for _ in _line(build.plant, signal, 0):
                values[signal.id] = {"tag": next(tags)["tag"]}
    build.do(edits.SetEach(values=values))
