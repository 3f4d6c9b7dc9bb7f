"""What hangs on the ports of the demo's IO-Link masters: climate of the beds, levels, distances of the turner."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Rail, Station
from highmoor.core.project import edits

_TENTHS = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100}
CLIMATE, LEVEL, DISTANCE = "ct3_iodd.xml", "ul4_iodd.xml", "iolink.fa11.00148d.PD-20-M12"
_OCTETS = {CLIMATE: (4, 0), LEVEL: (2, 0), DISTANCE: (4, 1)}
_DEVICE_IDS = {CLIMATE: 3117, LEVEL: 3204, DISTANCE: 5261}
_PELLMAR = 64017


def add_ports(build: Builder, station: str, plugged: dict[int, tuple[str, str]], ports: int | None = None) -> None:
    """A station's ports with what is plugged in, by port as (file, designation)."""
    head = build.find(Station, name=station).id
    rail = build.do(edits.AddPorts(head=head, ports=ports, tag="$p"))["$p"]
    for port, (file, designation) in plugged.items():
        known = build.types.get(file)
        insert = edits.InsertModules(rail=rail, type=known or "generic.io-link", slot=port, tag="$m")
        values: dict[str, Any] = {"designation": designation}
        if known is None:
            into, out = _OCTETS[file]
            values |= {"settings.in_octets": into, "settings.out_octets": out, "settings.vendor_id": _PELLMAR}
            values |= {"settings.device_id": _DEVICE_IDS[file]}
        build.do(edits.Batch(edits=[insert, edits.SetFields(ids=["$m"], values=values)]))


def set_ports_by_hand(build: Builder, station: str, **layout: Any) -> None:
    """Where a master's ports lie, for a catalogue that has not read its file."""
    rail = build.find(Rail, head=build.find(Station, name=station).id, name="Ports")
    build.do(edits.SetFields(ids=[rail.id], values={f"settings.{key}": value for key, value in layout.items()}))


def add_bed_sensors(build: Builder) -> None:
    """Six climate transmitters, a level and a distance on the master of the Hall cell."""
    climate = {n: (CLIMATE, f"-BT{n}") for n in range(1, 7)}
    add_ports(build, "Bed sensors", {**climate, 7: (LEVEL, "-BL7"), 8: (DISTANCE, "-BG8")}, 8)
    set_ports_by_hand(build, "Bed sensors", parameter_class=0x94)
    if "pm8.eds" not in build.types:
        set_ports_by_hand(build, "Bed sensors", in_first=2, in_octets=32, out_first=2, out_octets=4, valid="0.0")
    for n in range(1, 7):
        sensor = build.at(f"-BT{n}")
        build.run("HALL", f"Bed{n}AirTemp", 1, sensor, "bits 16–31", type="REAL", unit="°C",
                  scaling={**_TENTHS, "raw_type": "INT"})  # fmt: skip
        build.run("HALL", f"Bed{n}Humidity", 1, sensor, "bits 0–15", type="REAL", unit="%",
                  scaling={**_TENTHS, "raw_type": "UINT"})  # fmt: skip
        build.run("HALL", f"Bed{n}ClimateGood", 1, sensor, "valid", type="BOOL")
    build.run("HALL", "SteepHopperLevel", 1, build.at("-BL7"), "bits 2–15", type="UINT", unit="mm")
    build.run("HALL", "TurnerDistance", 1, build.at("-BG8"), "bits 8–31", type="REAL", unit="mm",
              scaling={**_TENTHS, "raw_type": "DINT"})  # fmt: skip


def add_lift_sensors(build: Builder) -> None:
    """A distance and a level on the master of the turner's EtherCAT, whose slots are its ports."""
    add_ports(build, "Lift sensors", {1: (DISTANCE, "-BG1T"), 2: (LEVEL, "-BL2T")})
    distance = build.at("-BG1T")
    build.run("HALL", "LiftHeight", 1, distance, "bits 8–31", type="REAL", unit="mm",
              scaling={**_TENTHS, "raw_type": "DINT"})  # fmt: skip
    build.run("HALL", "LiftLaser", 1, distance, "out bit 0", type="BOOL")
    build.run("HALL", "SprayTankLevel", 1, build.at("-BL2T"), "bits 2–15", type="UINT", unit="mm")
