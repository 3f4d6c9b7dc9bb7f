"""Skelder Maltings as built: what stands there and how it is wired."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.demo.bagging import bagging_as_built
from highmoor.core.demo.steep_house import steep_house_as_built
from highmoor.core.demo.turner import turner_as_built
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, BuiltProcess, BuiltWire, Module, Network, Station
from highmoor.core.project.draft import Draft

# 10 s up, 20 s down, ramp down on loss of command; 11.2 A on the plate, 1460 1/min, 4 kHz.
_FAN_KEPT = {7: "6400", 8: "C800", 9: "01", 10: "6004", 11: "B405", 12: "01"}
_FAN_DRIVE: dict[str, Any] = {
    "vendor": 64209, "device_type": 2, "product": 75, "revision": "3.1", "name": "CV-7 fan drive",
    "points": [
        {"point": 100, "direction": "out", "octets": 4, "header": True},
        {"point": 101, "direction": "in", "octets": 8},
        {"point": 193, "direction": "out", "role": "input only"},
    ],
    "config_point": 102, "config_octets": 7, "connections": 4, "rpi_least_ms": 5, "reply_ms": 3,
    "attributes": {f"20 0F 24 {n:02X} 30 01": value for n, value in _FAN_KEPT.items()},
}  # fmt: skip
_SENSORS: dict[str, Any] = {
    "vendor": 64211, "device_type": 12, "product": 408, "revision": "1.2", "name": "PM-8 IO-Link master",
    "points": [
        {"point": 102, "direction": "out", "octets": 42, "header": True},
        {"point": 101, "direction": "in", "octets": 290},
        {"point": 193, "direction": "out", "role": "input only"},
        {"point": 194, "direction": "out", "role": "listen only"},
    ],
    "config_point": 103, "config_octets": 9, "connections": 5, "rpi_least_ms": 10, "reply_ms": 4, "attributes": {},
    "port_class": 0x94,
}  # fmt: skip
# The weigh head wants the 4-octet header that the configuration leaves out.
_WEIGH_HEAD: dict[str, Any] = {
    "vendor": 64300, "device_type": 43, "product": 7, "revision": "1.4", "name": "Weigh head",
    "points": [
        {"point": 150, "direction": "out", "octets": 2, "header": True},
        {"point": 100, "direction": "in", "octets": 6},
    ],
    "config_octets": 0, "connections": 2, "rpi_least_ms": 10, "reply_ms": 12, "attributes": {},
}  # fmt: skip
# The scanner was delivered one minor revision older than its file.
_SCANNER: dict[str, Any] = {
    "vendor": 64212, "device_type": 43, "product": 31, "revision": "2.3", "name": "WS-3 area scanner",
    "points": [
        {"point": 101, "direction": "out", "octets": 2, "header": True},
        {"point": 100, "direction": "in", "octets": 8},
        {"point": 254, "direction": "out", "role": "input only"},
    ],
    "config_point": 102, "config_octets": 0, "connections": 2, "rpi_least_ms": 20, "reply_ms": 5, "attributes": {},
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Device:
    station: str
    model: str
    facts: dict[str, Any]
    address: str = ""
    settings: Mapping[str, Any] | None = None


_DEVICES = (
    _Device("Gallery fan 1", "fan drive", _FAN_DRIVE),
    # Somebody gave the second fan drive the address of a spare.
    _Device("Gallery fan 2", "fan drive", _FAN_DRIVE, "10.20.4.59"),
    _Device("Bed sensors", "", _SENSORS),
    _Device("Weigh head", "weigh head", _WEIGH_HEAD),
    _Device("Aisle scanner", "area scanner", _SCANNER),
    _Device("Burner control", "burner", {"reply_ms": 5}),
    *(
        _Device(
            f"Moisture {n}", "moisture",
            # Somebody set the third to 9600 bit/s: the configuration does not know.
            {"reply_ms": 5, **({"baud": 9600} if n == 3 else {}), "terminated": n == 4},
            settings={"moisture": 11.5 + n / 2},
        )
        for n in range(1, 5)
    ),
    _Device("Humidifier", "humidifier", {"reply_ms": 8}),
    _Device("Compressor", "compressor", {"reply_ms": 6}),
    _Device("Well house", "", {"reply_ms": 4}),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Process:
    """A piece of process; wires as end → `DESIGNATION:chN`."""

    name: str
    model: str
    wires: Mapping[str, str]
    settings: Mapping[str, Any]


def _tank(n: int) -> _Process:
    wires = {
        "level": f"-K4:ch{n}", "temperature": f"-K5:ch{n}", "full": f"-K1:ch{n}", "fill": f"-K3:ch{n}",
        "drain": f"-K3:ch{4 + n}",
    }  # fmt: skip
    return _Process(f"Steep tank {n + 1}", "tank", wires, {"level_m": (1.42, 0.61, 2.2, 2.9)[n]})


def _bed(n: int) -> _Process:
    damper = {"damper": f"-K6:ch{n}"} if n < 3 else {}
    settings = {"co2_percent": (0.88, 1.4, 1.15, 0.7)[n]}
    return _Process(f"Bed {n + 1}", "bed", {"co2": f"-K4:ch{4 + n}", **damper}, settings)


def _air(n: int) -> _Process:
    """The air over a bed: its temperature swings, its humidity with it."""
    settings = {"temperature": 15.5 + 0.6 * n, "humidity": 96, "swing": 0.8, "period_s": 120 + 30 * n}
    at = f"-BT{n + 1}"
    wires = {"temperature": f"{at}:g16.16", "humidity": f"{at}:g0.16"}
    return _Process(f"Air over bed {n + 1}", "air", wires, settings)


def _swing(name: str, place: str, mean: float, swing: float, period_s: float) -> _Process:
    return _Process(name, "swing", {"value": place}, {"mean": mean, "swing": swing, "period_s": period_s})


def _held(name: str, values: Mapping[str, float]) -> _Process:
    wires = {f"w{n}": place for n, place in enumerate(values)}
    return _Process(name, "held", wires, {f"w{n}": value for n, value in enumerate(values.values())})


_PROCESSES = (
    *(_tank(n) for n in range(4)),
    *(_bed(n) for n in range(4)),
    *(_air(n) for n in range(6)),
    _swing("Hopper", "-BL7:g2.14", 1180, 15, 40),
    _swing("Turner on its way", "-BG8:g8.24", 4200, 900, 60),
    _swing("Lift", "-BG1T:g8.24", 2350, 120, 45),
    _swing("Spray tank", "-BL2T:g2.14", 640, 30, 300),
    _Process("Well", "tank", {"level": "-K2W:ch0", "full": "-K1W:ch2", "fill": "-K3W:ch0"}, {"level_m": 2.1}),
    _held("Well pump", {"-K1W:ch0": 1, "-K2W:ch1": 11.84}),
    _held("Doors and circuits", {f"-K1:ch{n}": 1 for n in range(4, 12)} | {f"-K7:ch{n}": 1 for n in range(8)}),
    _held("Turner buttons", {"-K1:ch14": 0, "-K1:ch15": 0}),
    _held("Aisle field", {f"-K12:ch{n}": 1 for n in range(4)}),
    _held(
        "Steep house",
        {"-K1S:ch0": 1, "-K1S:ch3": 1, "-K3S:ch0": 11.2, "-K3S:ch1": 4, "-K3S:ch2": 9.6, "-K3S:ch3": 4}
        | {"-K4S:ch0": 13.8, "-K4S:ch1": 14.1},
    ),
    _held(
        "Kiln",
        {"-K1N:ch0": 1, "-K1N:ch1": 1, "-K3N:ch0": 12.4, "-K3N:ch1": 5.9}
        | {"-K4N:ch0": 82.5, "-K4N:ch1": 81.9, "-K4N:ch2": 41.2, "-K4N:ch3": 40.8},
    ),
)


def with_as_built(plant: Plant, catalogue: Catalogue) -> Plant:
    """The demo plant with what stands there."""
    draft = Draft(plant, catalogue)
    stations = {station.name: station for station in plant.all(Station)}
    modules = {module.designation: module.id for module in plant.all(Module)}
    for device in _DEVICES:
        station = stations[device.station]
        network = plant.get(station.network, Network)
        draft.put(
            BuiltDevice(
                draft.new_id("built_devices"), network.id, draft.last_rank(BuiltDevice, None)[0], station.id,
                address=device.address, facts=device.facts, model=device.model, settings=dict(device.settings or {}),
            )
        )  # fmt: skip
    for process in _PROCESSES:
        made = draft.new_id("built_processes")
        rank = draft.last_rank(BuiltProcess, None)[0]
        draft.put(BuiltProcess(made, process.model, rank, process.name, dict(process.settings)))
        for end, place in process.wires.items():
            designation, _, channel = place.partition(":")
            wire = draft.new_id("built_wires")
            rank = draft.last_rank(BuiltWire, made)[0]
            # Without its maker's file what is on the turner's network is not there.
            if designation in modules:
                draft.put(BuiltWire(wire, made, end, modules[designation], channel, rank))
    turner_as_built(draft)
    steep_house_as_built(draft)
    bagging_as_built(draft)
    return draft.plant
