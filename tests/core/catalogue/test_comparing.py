"""Types side by side: what a type takes, by hand for each kind of file, and every line in which two differ."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.comparing import differences, footprint, lines_of
from highmoor.core.catalogue.reading.families import read_octets
from highmoor.core.catalogue.types import DeviceType
from tests.paths import DEMO

FILES = {path.name: read_octets(path.read_bytes(), path.name).devices[0] for path in sorted(DEMO.glob("*.*"))}
TYPES = [*FILES.values(), *BUILTIN.types.values()]

# Octets into the controller and out of it, the shortest interval in µs, connections, mA of the rail's supply. By hand
# from the files: the largest connection of an EDS, the sum of a map's registers, the limits or largest module of a GSD.
TAKES = {
    "cv7.eds": (8, 4, 5000, 4, 0),
    "pm8.eds": (290, 42, 10000, 5, 0),
    "ws3.eds": (8, 2, 20000, 2, 0),
    "humidifier.csv": (24, 6, None, None, 0),
    "cv3.gsd": (20, 20, None, None, 0),
    "tr16.gsd": (128, 128, None, None, 0),
}


@pytest.mark.parametrize("name", list(TAKES))
def test_what_a_file_s_device_takes(name: str) -> None:
    told = footprint(FILES[name])
    into, out, interval, connections, bus = TAKES[name]
    assert (told.in_octets, told.out_octets, told.connections, told.bus_ma) == (into, out, connections, bus)
    assert told.interval_us == interval or name.endswith(".gsd")


@pytest.mark.parametrize(("key", "octets"), [("tarnfell.di-16", (2, 0)), ("tarnfell.ai-8", (16, 0))])
def test_what_a_module_takes_is_what_its_channels_take(key: str, octets: tuple[int, int]) -> None:
    device = BUILTIN.types[key]
    told = footprint(device)
    assert (told.in_octets, told.out_octets) == octets == (device.in_octets, device.out_octets)
    assert told.bus_ma == device.bus_current_ma > 0


@pytest.mark.parametrize("device", TYPES, ids=lambda d: d.key)
def test_a_type_does_not_differ_from_itself(device: DeviceType) -> None:
    assert differences([device, device]) == []
    assert all(label and isinstance(text, str) for label, text in lines_of(device).items())


def test_lines_are_those_in_which_types_are_not_alike_and_no_others() -> None:
    for one, other in combinations(TYPES[:14], 2):
        told = {row.label: row.values for row in differences([one, other])}
        left, right = lines_of(one), lines_of(other)
        for label in {*left, *right}:
            assert told.get(label, (left.get(label, ""),) * 2) == (left.get(label, ""), right.get(label, ""))
        assert all(a != b for a, b in told.values())


DRIVE = FILES["cv7.eds"]


@pytest.mark.parametrize(
    ("changed", "label", "now"),
    [
        ({"name": "CV-8"}, "Name", "CV-8"),
        ({"order_number": "X-1"}, "Order number", "X-1"),
        ({"revisions": ("4.1", "4.2")}, "Revision", "4.1, 4.2"),
        ({"width_mm": 12.5}, "Width", "12.5 mm"),
        ({"heat_w": 0.4}, "Heat", "0.4 W"),
        ({"bus_current_ma": 130}, "Internal supply drawn", "130 mA"),
        ({"bus_supply_ma": 1200}, "Internal supply given", "1200 mA"),
        ({"limits": replace(DRIVE.limits, packets_per_s=77)}, "Packets a second", "77"),
        ({"limits": replace(DRIVE.limits, min_interval_us=2500)}, "Shortest interval", "2.5 ms"),
        ({"limits": replace(DRIVE.limits, modules=9)}, "Modules", "9"),
        ({"limits": replace(DRIVE.limits, baud_rates=(9600, 1500000, 93750))}, "Baud rates", "9.6 k, 1.5 M, 93.75 k"),
    ],
)
def test_whatever_is_another_stands_in_a_line(changed: dict[str, object], label: str, now: str) -> None:
    rows = differences([DRIVE, replace(DRIVE, **changed)])  # type: ignore[arg-type]
    assert [(row.label, row.values[1]) for row in rows] == [(label, now)]
