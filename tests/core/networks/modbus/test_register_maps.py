"""A register map taken over: every entry has its signal, typed, scaled, in its octet order, and its value is right."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import DATA_TYPES, encode
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Network, Port, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.benches import devices
from tests.core.plants import hall

KEY = pinned_key("map", "0" * 64, 1)
SIZES = {"INT": 1, "UINT": 1, "REAL": 2, "DINT": 2}


def entry(area: int, address: int, kind: str = "INT", **more: Any) -> RegisterField:
    size = SIZES.get(kind, 1)
    reference = f"{area}{address + 1:04d}"
    told = {"order": "ABCD", "access": "read", **more}
    return RegisterField(f"{area}.{address}", f"Entry {address}", area, reference, address, kind, size, **told)


def mapped(*registers: RegisterField) -> tuple[Plant, Catalogue]:
    """HALL with a skid of this map, taken over."""
    library = Catalogue(BUILTIN.types)
    generic = BUILTIN.types["generic.modbus-tcp"]
    library.learn(KEY, replace(generic, key=KEY, registers=registers))
    plant = hall()
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-tcp", port=plant.all(Port)[0].id, tag="$n"),
        edits.AddStation(network="$n", type=KEY, name="Skid", tag="$s"),
        edits.TakeMap(station="$s", period_ms=100),
    ]
    return apply(plant, library, edits.Batch(edits=steps)).plant, library


@settings(max_examples=30)
@given(st.lists(st.tuples(st.sampled_from([3, 4]), st.integers(0, 6), st.sampled_from(sorted(SIZES)),
                          st.sampled_from(["ABCD", "CDAB"]), st.sampled_from([1, 0.1])), min_size=1, max_size=8),
       st.data())  # fmt: skip
def test_every_entry_is_read_as_the_map_says(entries: list[Any], data: Any) -> None:
    """Whatever the map: no finding of places or types, few exchanges, and each signal has the value behind it."""
    registers, at = [], {3: 0, 4: 0}
    for area, gap, kind, order, scale in entries:
        own = 1 if kind == "REAL" else scale
        at[area] += gap
        registers.append(entry(area, at[area], kind, order=order if SIZES[kind] == 2 else "ABCD", scale=own))
        at[area] += SIZES[kind]
    plant, library = mapped(*registers)
    assert len(plant.all(Signal)) == len(registers)
    codes = {f.code for f in analyse(plant, library).findings.values()}
    assert codes & {"SIG-101", "SIG-102", "SIG-104", "SIG-105", "SIG-107", "NET-204", "NET-205"} == set()
    assert len(plant.all(Exchange)) <= 2
    bench = Bench(plant, library)
    server = devices(bench)[0]
    wanted = {}
    for n, register in enumerate(registers):
        raw = data.draw(st.integers(0, 30_000))
        octets = encode(raw, DATA_TYPES[register.data_type], register.order)
        for k in range(register.registers):
            server.server.areas[register.area][register.address + k] = int.from_bytes(octets[2 * k : 2 * k + 2], "big")
        wanted[plant.all(Signal)[n].id] = raw * register.scale
    bench.run_until(1)
    for signal, value in wanted.items():
        assert bench.value(signal)[0] == pytest.approx(value)


def test_what_can_be_written_is_written_and_nothing_between_it() -> None:
    setpoint, start = entry(4, 100, access="read-write", scale=0.1, unit="%"), entry(4, 103, access="write")
    bit = replace(entry(3, 2, "BOOL"), bit=5)
    plant, library = mapped(setpoint, start, entry(3, 0), bit)
    told = [(x.direction, x.settings["address"], x.settings["count"]) for x in plant.all(Exchange)]
    assert sorted(told) == [("in", 0, 3), ("out", 100, 1), ("out", 103, 1)]
    kinds = {s.name: (s.type, s.unit) for s in plant.all(Signal)}
    assert kinds["SkidEntry100"] == ("REAL", "%")
    assert kinds["SkidEntry2"] == ("BOOL", "")
    # Once more there is nothing left to take.
    station = next(iter(plant.tables["stations"]))
    with pytest.raises(Refusal):
        apply(plant, library, edits.TakeMap(station=station))


def test_no_map_no_taking() -> None:
    plant = hall()
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-tcp", port=plant.all(Port)[0].id, tag="$n"),
        edits.AddStation(network="$n", tag="$s"),
    ]
    made = apply(plant, BUILTIN, edits.Batch(edits=steps))
    with pytest.raises(Refusal):
        apply(made.plant, BUILTIN, edits.TakeMap(station=made.tags["$s"]))
    loose = apply(made.plant, BUILTIN, edits.SetFields(ids=[made.plant.all(Network)[0].id], values={"port": None}))
    with pytest.raises(Refusal):
        apply(loose.plant, BUILTIN, edits.TakeMap(station=made.tags["$s"]))
