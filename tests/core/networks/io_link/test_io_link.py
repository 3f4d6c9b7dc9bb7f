"""Ports of IO-Link masters: where their data lies, fields by bits, names and scales at once, the same on the bench."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.bench.controller import SignalCode
from highmoor.core.datatypes import DATA_TYPES, whole_type
from highmoor.core.errors import Refusal
from highmoor.core.figures.io_link import extracted
from highmoor.core.networks.io_link.data import FieldsOf, data_of, field_at
from highmoor.core.networks.io_link.timing import cycle_ms, message_ms
from highmoor.core.networks.wire import stretches
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Connection, Link, Module, Port, Rail, Signal
from highmoor.core.project import edits
from highmoor.core.project.remedies import remedy_of
from tests.core.demo import DEMO, LIBRARY
from tests.core.networks.io_link.masters import (
    CLIMATE,
    DI,
    DISTANCE,
    DO,
    ETHERCAT_MASTER,
    FILES,
    GENERIC,
    LEVEL,
    MASTER,
    described,
    do,
    exchange,
    give,
    master_on,
    named,
    on_port,
    put,
    rail,
    signal,
    station,
    words,
)
from tests.core.plants import hall


@st.composite
def fields(draw: Any) -> tuple[bytes, int, int, int]:
    """Data of a port, a field within it by its lowest bit and its length, and what stands before it in the image."""
    octets = draw(st.binary(min_size=1, max_size=32))
    bits = draw(st.integers(1, min(64, 8 * len(octets))))
    return octets, draw(st.integers(0, 8 * len(octets) - bits)), bits, draw(st.integers(0, 5))


def coded(field: Any, before: int, kind: str) -> SignalCode:
    octet, bit = divmod(8 * before + field.bit, 8)
    raw = DATA_TYPES[kind]
    return SignalCode("g", raw, raw, "in", octet, bit, "ABCD", None, "", "", field.bits, high=field.high)


@given(told=fields(), signed=st.booleans())
def test_a_field_is_read_as_the_standard_counts_it(told: tuple[bytes, int, int, int], signed: bool) -> None:
    octets, first, bits, before = told
    field = field_at("in", len(octets), first, bits)
    assert field is not None and field.key == f"g{first}.{bits}"
    unsigned = whole_type(bits)
    kind = unsigned.removeprefix("U") if signed and bits > 1 else unsigned
    image = b"\xaa" * before + octets + b"\x55" * 9
    assert coded(field, before, kind).read(image) == extracted(octets, first, bits, signed=signed and bits > 1)


@given(told=fields(), value=st.integers(0, 2**64 - 1))
def test_writing_a_field_changes_its_bits_alone(told: tuple[bytes, int, int, int], value: int) -> None:
    octets, first, bits, before = told
    field = field_at("out", len(octets), first, bits)
    assert field is not None
    image = bytearray(b"\xaa" * before + octets + b"\x55" * 9)
    coded(field, before, whole_type(bits)).write(image, value % (1 << bits))
    there = bytes(image[before : before + len(octets)])
    mask = (1 << bits) - 1 << first
    assert int.from_bytes(there, "big") == int.from_bytes(octets, "big") & ~mask | (value % (1 << bits)) << first
    assert image[:before] == b"\xaa" * before and image[before + len(octets) :] == b"\x55" * 9
    changed = {
        8 * n + bit for n, (a, b) in enumerate(zip(b"\0" * len(octets), mask.to_bytes(len(octets), "big"), strict=True))
        for bit in range(8) if (a ^ b) >> bit & 1
    }  # fmt: skip
    taken = [bit for at, n in stretches(field.bit, bits, high=field.high) for bit in range(at, at + n)]
    assert sorted(taken) == sorted(changed)


def test_fields_are_named_by_bits_as_people_say_them() -> None:
    fields_of = FieldsOf("in", 4)
    assert fields_of("g8.24") and not fields_of("g9.24") and not fields_of("t8.24") and not fields_of("g0.0")
    plant = put(words({1: GENERIC}), on_port(words({1: GENERIC}), 1).id, settings__in_octets=4, settings__out_octets=2)
    place = on_port(plant, 1).id
    said = {
        "g8.24": "g8.24", "bits 8–31": "g8.24", "bits 8..31": "g8.24", "24 bits from 8": "g8.24", "bit 3": "g3.1",
        "in bits 4 to 5": "g4.2", "out bits 0-7": "t0.8",
    }  # fmt: skip
    for text, key in said.items():
        after = signal(plant, "Made", place, text, "BYTE")
        link = after.get(after.referring("links", "signal", named(after, "Made").id)[0], Link)
        assert (link.key, link.access) == (key, "writes" if key[0] == "t" else "reads"), text


def places(plant: Any) -> list[tuple[int, str, int | None, int | None]]:
    told = analyse(plant, LIBRARY).result("rail.master", rail(plant).id)
    return [(p.port, told.known, p.inward.first, p.inward.room) for p in told.ports]


def test_where_ports_lie_is_known_from_the_file_the_slots_or_what_is_set() -> None:
    assert places(described(MASTER, {}))[:2] == [(1, "file", 2, 32), (2, "file", 34, 32)]
    # The first slot comes with a port of 4 octets; the others have none yet.
    assert places(described(ETHERCAT_MASTER, {}))[:2] == [(1, "slots", 0, 4), (2, "slots", None, None)]
    assert places(words())[6:] == [(7, "set", 124, 16), (8, "set", 140, 16)]
    plant = words({3: GENERIC}, in_first=None, in_octets=None)
    assert places(plant)[2] == (3, "set", None, None)  # out is set still
    plant = put(plant, on_port(plant, 3).id, settings__in_at=77)
    assert places(plant)[2] == (3, "set", 77, None)


def test_ports_come_once_and_on_what_has_data_of_its_own() -> None:
    plant = described(MASTER, {})
    assert rail(plant).places == 8 and rail(described(ETHERCAT_MASTER, {})).places == 4
    for head, why in ((station(plant).id, "has ports already"), ("nobody", "nobody"), (rail(plant).id, "known type")):
        with pytest.raises(Refusal, match=why):
            do(plant, edits.AddPorts(head=head))
    plugged = described(MASTER, {1: CLIMATE})
    with pytest.raises(Refusal, match="on a port itself"):
        do(plugged, edits.AddPorts(head=on_port(plugged, 1).id))


def test_its_fields_are_taken_with_names_units_and_scales() -> None:
    plant = described(MASTER, {8: DISTANCE})
    plant = do(plant, edits.NameValues(of=on_port(plant, 8).id, prefix="Lift"))
    made = {s.name: s for s in plant.all(Signal)}
    links = {plant.get(link.signal, Signal).name: link for link in plant.all(Link)}
    assert {name: (s.type, s.unit, links[name].key) for name, s in made.items()} == {
        "LiftDistance": ("REAL", "mm", "g8.24"), "LiftQuality": ("REAL", "%", "g2.6"),
        "LiftSwitch1": ("BOOL", "", "g0.1"), "LiftSwitch2": ("BOOL", "", "g1.1"),
        "LiftDataValid": ("BOOL", "", "valid"), "LiftConnected": ("BOOL", "", "connected"),
        "LiftLaser": ("BOOL", "", "t0.1"),
    }  # fmt: skip
    # 0.1 mm a count.
    scaling = links["LiftDistance"].scaling
    assert scaling and (scaling["raw_lo"], scaling["raw_hi"], scaling["lo"], scaling["hi"]) == (0, 1000, 0, 100)
    assert scaling["raw_type"] == "DINT" and links["LiftSwitch1"].scaling is None
    with pytest.raises(Refusal, match="has a signal already"):
        do(plant, edits.NameValues(of=on_port(plant, 8).id))
    # What is set decides which fields there are: as a level it gives one value.
    level = put(described(MASTER, {8: DISTANCE}), on_port(described(MASTER, {8: DISTANCE}), 8).id,
                settings__variant="PD_Level")  # fmt: skip
    level = do(level, edits.NameValues(of=on_port(level, 8).id, prefix="Lift"))
    link = next(one for one in level.all(Link) if one.key == "g0.32")
    assert link.scaling and (link.scaling["lo"], link.scaling["hi"]) == (-5, 5)
    assert level.get(link.signal, Signal).unit == "m"


def test_the_same_millimetres_by_file_by_bits_and_by_offset_and_shift() -> None:
    """A master that nobody describes: the distance with its file, by its bits, and out of the exchange by hand."""
    plant = words({2: DISTANCE, 3: GENERIC})
    generic = on_port(plant, 3)
    plant = put(plant, generic.id, settings__in_octets=4)
    plant = do(plant, edits.NameValues(of=on_port(plant, 2).id, prefix="Lift"))
    tenth = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100}
    plant = signal(plant, "ByBits", generic.id, "bits 8–31", "REAL", **tenth, raw_type="DINT")
    # Port 2 lies from octet 44 on; what stands behind the distance in the same double word is shifted out.
    shift = {"raw_lo": 0, "raw_hi": 256_000, "lo": 0, "hi": 100, "raw_type": "DINT"}
    plant = signal(plant, "ByShift", exchange(plant, "in").id, "o44", "REAL", **shift)
    plant = do(plant, edits.SetFields(ids=[link.id for link in plant.all(Link) if link.key == "o44"],
                                      values={"order": "ABCD"}))  # fmt: skip
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    for millimetres in (0.0, 4321.7, 20000.0, 0.1):
        for port, key in ((2, "g8.24"), (3, "g8.24")):
            give(bench, on_port(plant, port), key, millimetres)
        give(bench, on_port(plant, 2), "g2.6", 60)
        bench.run_until(bench.seconds + 0.3)
        seen = {name: bench.value(named(plant, name).id)[0] for name in ("LiftDistance", "ByBits", "ByShift")}
        assert seen["LiftDistance"] == seen["ByBits"] == pytest.approx(millimetres)
        # The bits behind it are less than one count.
        assert millimetres <= seen["ByShift"] < millimetres + 0.1


def test_a_device_gets_its_file_later_and_keeps_what_is_read_of_it() -> None:
    plant = words({3: GENERIC})
    place = on_port(plant, 3).id
    plant = put(plant, place, settings__in_octets=8, settings__cycle_ms=12)
    for name, key in (("Height", "bits 8–31"), ("Beyond", "bits 40–47"), ("Good", "valid")):
        plant = signal(plant, name, place, key, "BOOL" if key == "valid" else "DINT")
    plant = do(plant, edits.ReplaceModule(id=place, type=DISTANCE))
    # What it has not is not read any more; what was set and can be set stays.
    assert {link.key for link in plant.all(Link)} == {"g8.24", "valid"}
    assert on_port(plant, 3).settings == {"cycle_ms": 12}
    path = analyse(plant, LIBRARY).result("signal.path", named(plant, "Height").id)
    assert path.links[0].label.endswith("port 3, Distance")
    # The other way round nobody says how much data there is: nothing is left to read.
    again = do(plant, edits.ReplaceModule(id=place, type=GENERIC))
    assert {link.key for link in again.all(Link)} == {"valid"}


def test_pins_stand_in_one_word_and_data_is_valid_while_a_device_is_there() -> None:
    plant = words({1: DI, 2: DO, 3: LEVEL, 4: CLIMATE})
    plant = put(plant, on_port(plant, 3).id, settings__pin2="in")
    for port, key, name in (
        (1, "pin4", "Switch"),
        (2, "pin4out", "Valve"),
        (3, "pin2", "Beside"),
        (3, "valid", "Good"),
    ):
        plant = signal(plant, name, on_port(plant, port).id, key, "BOOL")
    analysis = analyse(plant, LIBRARY)
    written = {n: analysis.result("signal.path", named(plant, n).id).links[0].written for n in ("Switch", "Valve")}
    # Octet 2 of what it gives, bit 0 for port 1; octet 2 of what it takes, bit 1 for port 2.
    assert written == {"Switch": "in, octet 2, bit 0", "Valve": "out, octet 2, bit 1"}
    bench = Bench(plant, LIBRARY)
    give(bench, on_port(plant, 1), "pin4", 1)
    give(bench, on_port(plant, 3), "pin2", 1)
    bench.signals.write(named(plant, "Valve").id, "1")
    bench.run_until(1)
    assert [bench.value(named(plant, n).id) for n in ("Switch", "Beside", "Good")] == [(True, "good")] * 3
    taken, terminal = bench.devices.terminals[on_port(plant, 2).id, "pin4out"]
    assert taken.take(terminal) == 1


@pytest.mark.parametrize(
    ("there", "validation", "good"),
    [
        ({}, "type", True), ({"there": False}, "type", False), ({"type": CLIMATE}, "type", False),
        ({"type": CLIMATE}, "none", True),
    ],
)  # fmt: skip
def test_what_is_plugged_in_is_compared_and_comes_and_goes(there: Any, validation: str, good: bool) -> None:
    plant = words({3: LEVEL})
    plant = put(plant, on_port(plant, 3).id, settings__validation=validation)
    for key in ("valid", "g2.14"):
        plant = signal(plant, f"At{key[:1]}", on_port(plant, 3).id, key, "BOOL" if key == "valid" else "UINT")
    bench = Bench(plant, LIBRARY)
    give(bench, on_port(plant, 3), "g2.14", 777)
    bench.run_until(1)
    assert [bench.value(named(plant, n).id)[0] for n in ("Atv", "Atg")] == [True, 777]
    master = next(iter(bench.devices.there.values())).device
    if there:
        built = do(plant, edits.SetBuilt(ids=[on_port(plant, 3).id], values=there))
        bench.rebuilt(built)
        give(bench, on_port(plant, 3), "g2.14", 777) if there.get("there", True) else None
        bench.run_until(2)
        assert bench.value(named(plant, "Atv").id)[0] is good
        assert bench.value(named(plant, "Atg").id)[0] == (777 if good else 0)
    # The master went on meanwhile, and all is well again once the right device is back.
    assert next(iter(bench.devices.there.values())).device is master
    bench.rebuilt(plant)
    give(bench, on_port(plant, 3), "g2.14", 777)
    bench.run_until(3)
    assert [bench.value(named(plant, n).id)[0] for n in ("Atv", "Atg")] == [True, 777]


def test_ports_as_slots_under_ethercat() -> None:
    plant = DEMO
    lift, level = named(plant, "LiftHeight"), named(plant, "SprayTankLevel")
    path = analyse(plant, LIBRARY).result("signal.path", lift.id)
    assert [hop.kind for hop in path.hops][:2] == ["port", "exchange"]
    # 2.3 ms is the device's own cycle; 4 octets in, 1 out at 230.4 kbit/s take 0.5 ms more.
    assert path.hops[0].period_ms == 2.3 and path.hops[0].transit_ms == pytest.approx(124 / 230.4, rel=0.02)
    bench = Bench(plant, LIBRARY)
    bench.run_until(4)
    value, quality = bench.value(lift.id)
    assert quality == "good" and 2225 < value < 2475
    assert 600 < bench.value(level.id)[0] < 680


def test_a_cycle_is_told_as_it_can_be_coded() -> None:
    device = LIBRARY.find(DISTANCE)
    assert device is not None
    # COM3: 4 in, 1 out: 3 frames of the master and 6 of the device of 11 bits, 10 + 2·1 + 5·3 bits between.
    assert message_ms(4, 1, 230400) == (9 * 11 + 10 + 2 + 15) * 1000 / 230400
    assert float(cycle_ms(device, {})) == 2.3
    # Beyond 6.3 ms in steps of 0.4.
    assert float(cycle_ms(device, {"cycle_ms": 6.5})) == 6.8 and float(cycle_ms(device, {"cycle_ms": 1})) == 2.3
    assert float(cycle_ms(device, {"cycle_ms": 500})) == 132.8
    assert cycle_ms(LIBRARY.types[DI], {}) == 0


def test_every_variant_of_process_data_can_be_set() -> None:
    device = LIBRARY.find(DISTANCE)
    assert device is not None and device.io_link is not None
    told = {v.key: data_of(device, {"variant": v.key}) for v in device.io_link.variants}
    assert {key: [(f.label, f.key) for f in data.gives] for key, data in told.items()} == {
        "PD_Distance": [("Distance", "g8.24"), ("Quality", "g2.6"), ("Switch 2", "g1.1"), ("Switch 1", "g0.1")],
        "PD_Level": [("Level", "g0.32")],
    }  # fmt: skip
    assert [len(data.takes) for data in told.values()] == [1, 0]
    # Unless it is set, as its parameter begins; what no variant is called counts as not set.
    assert data_of(device, {}) == told["PD_Distance"] == data_of(device, {"variant": "PD_Nothing"})


@settings(max_examples=25, deadline=None)
@given(
    rpi=st.sampled_from((10, 20, 50)), task=st.sampled_from((4, 10, 100)), cycle=st.sampled_from((None, 6, 24, 60)),
    waits=st.lists(st.floats(0.0001, 0.4), min_size=3, max_size=5), device=st.sampled_from((CLIMATE, GENERIC)),
)  # fmt: skip
def test_no_port_is_later_than_its_path_says(rpi: int, task: int, cycle: Any, waits: Any, device: str) -> None:
    plant = words({1: device, 2: GENERIC}, rpi_ms=rpi)
    for port in (1, 2):
        values: dict[str, Any] = {"settings__cycle_ms": cycle}
        if on_port(plant, port).type == GENERIC:
            values |= {"settings__in_octets": 4, "settings__out_octets": 2}
        plant = put(plant, on_port(plant, port).id, **values)
    for row in plant.tables["tasks"]:
        plant = put(plant, row, period_ms=task)
    plant = signal(plant, "In", on_port(plant, 1).id, "bits 16–31", "INT")
    plant = signal(plant, "Out", on_port(plant, 2).id, "out bits 3–9", "UINT")
    analysis = analyse(plant, LIBRARY)
    worst = {n: analysis.result("signal.path", named(plant, n).id).worst_ms / 1000 for n in ("In", "Out")}
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    controller = next(iter(bench.controllers.values()))
    lies, terminal = bench.devices.terminals[on_port(plant, 2).id, "t3.7"]
    for n, wait in enumerate(waits, start=1):
        bench.run_until(bench.seconds + wait)
        give(bench, on_port(plant, 1), "g16.16", n if device == GENERIC else n / 10)
        bench.signals.write(named(plant, "Out").id, str(n))
        begin = bench.seconds
        arrived: dict[str, float] = {}
        while len(arrived) < 2 and bench.seconds < begin + max(worst.values()) + 0.5:
            bench.run_until(bench.seconds + 0.0005)
            if controller.value(controller.signals[named(plant, "In").id]) == n:
                arrived.setdefault("In", bench.seconds - begin)
            if lies.take(terminal) == n:
                arrived.setdefault("Out", bench.seconds - begin)
        for name, late in arrived.items():
            assert late <= worst[name] + 0.0006, name
        assert len(arrived) == 2


def test_nothing_from_outside_upsets_the_ports() -> None:
    plant = words({1: GENERIC})
    for path, value in (("in_octets", 33), ("in_octets", "much"), ("cycle_ms", 0.1), ("vendor_id", 0)):
        with pytest.raises(Refusal):
            put(plant, on_port(plant, 1).id, **{f"settings__{path}": value})
    for path, value in (("pin4_in", "2.8"), ("pin4_in", "word 2"), ("in_first", -1), ("in_octets", 0)):
        with pytest.raises(Refusal):
            put(plant, rail(plant).id, **{f"settings__{path}": value})
    with pytest.raises(Refusal):
        put(plant, rail(plant).id, settings__carries="nothing")
    assert master_on(Bench(plant, LIBRARY)) is not None
    assert isinstance(on_port(plant, 1), Module)


def test_a_slot_that_is_too_small_a_port_is_made_the_next_larger() -> None:
    plant = described(ETHERCAT_MASTER, {1: DISTANCE})
    analysis = analyse(plant, LIBRARY)
    found = next(f for f in analysis.findings.values() if f.code.startswith("IOL"))
    assert found.code == "IOL-101"  # it has a port of 4 octets in, none out
    other = described(ETHERCAT_MASTER, {})
    small = next(m for m in other.all(Module) if m.rail != rail(other).id)
    key = small.type.rpartition("/")[0]
    other = do(other, edits.ReplaceModule(id=small.id, type=f"{key}/m00006201"),
               edits.InsertModules(rail=rail(other).id, type=CLIMATE, slot=1))  # fmt: skip
    analysis = analyse(other, LIBRARY)
    found = next(f for f in analysis.findings.values() if f.code == "IOL-102")
    remedy = remedy_of(analysis, found)
    assert remedy is not None and remedy.edit is not None and remedy.label == "Make port 1 IO-Link port, 4 octets in"
    assert found.key not in analyse(do(other, remedy.edit), LIBRARY).findings


REMOTE = next(key for name, key in FILES.items() if name.endswith(".TR-40"))


@pytest.mark.parametrize(
    ("bus", "port", "head", "modules"),
    [
        ("profinet", "A", REMOTE, {3: "AI4"}), ("profibus-dp", "P", FILES["tr16.gsd"], {1: "m1", 2: "m1", 3: "m3"}),
        ("modbus-tcp", "A", None, {}),
    ],
)  # fmt: skip
def test_ports_under_other_fieldbuses(bus: str, port: str, head: str | None, modules: dict[int, str]) -> None:
    """A slot of so many octets is a port on any fieldbus; over Modbus TCP their places are set by hand."""
    plant = hall("pb-1")
    at = next(one.id for one in plant.all(Port) if one.key == port)
    plant = do(
        plant,
        edits.AddNetwork(fieldbus=bus, port=at, name="Cell", tag="$n"),
        edits.AddStation(network="$n", type=head, name="Master", tag="$s"),
        edits.AddPorts(head="$s", ports=4, tag="$p"),
    )
    own = next((one for one in plant.children(Rail, station(plant).id) if one.name != "Ports"), None)
    for slot, module in modules.items():
        plant = do(plant, edits.InsertModules(rail=own.id if own else "", type=f"{head}/{module}", slot=slot))
    if bus == "modbus-tcp":
        connection = plant.all(Connection)[0].id
        plant = do(plant, edits.AddExchange(connection=connection, name="All", settings={"function": 3, "count": 8}))
        plant = put(plant, rail(plant).id, settings__in_first=2, settings__in_octets=4)
    plant = do(plant, edits.InsertModules(rail=rail(plant).id, type=GENERIC, slot=3))
    plant = put(plant, on_port(plant, 3).id, settings__in_octets=2)
    plant = signal(plant, "Level", on_port(plant, 3).id, "bits 2–15", "UINT")
    path = analyse(plant, LIBRARY).result("signal.path", named(plant, "Level").id)
    assert path.links[0].octet is not None
    assert path.links[0].bits == 14
    bench = Bench(plant, LIBRARY)
    bench.run_until(3)
    give(bench, on_port(plant, 3), "g2.14", 777)
    bench.run_until(4)
    assert bench.value(named(plant, "Level").id)[0] == 777
