"""Signals: layout with padding, places, octet orders, paths; by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.datatypes import DATA_TYPES, ORDERS, decode, encode
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.networks.counting import COILS, OCTETS, OCTETS_FROM_LAST, REGISTERS, Counting, UnitKey
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Connection,
    Controller,
    Exchange,
    Link,
    Module,
    Network,
    Port,
    Signal,
    Station,
    Task,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.patterns import counted
from highmoor.core.project.signal_edits import at_after
from highmoor.core.signals.at import At
from tests.core.plants import built, hall


def with_network(plant: Plant, *exchanges: dict[str, int]) -> Plant:
    """A Modbus TCP network on the first port, one station, these exchanges."""
    port = plant.all(Port)[0].id
    return apply(
        plant,
        BUILTIN,
        edits.Batch(
            edits=[
                edits.AddNetwork(fieldbus="modbus-tcp", port=port, tag="$n"),
                edits.AddStation(network="$n", connection_tag="$k"),
                *(edits.AddExchange(connection="$k", settings=dict(settings)) for settings in exchanges),
            ]
        ),
    ).plant


def signal(plant: Plant, name: str, kind: str, place: str | None, key: str, **more: object) -> Plant:
    owner = plant.all(Controller)[0].id
    edit = edits.AddSignals(controller=owner, pattern=name, type=kind, place=place, key=key, **more)  # type: ignore[arg-type]
    return apply(plant, BUILTIN, edit).plant


def test_nine_registers_become_twenty_octets_on_a_controller_that_aligns_to_four() -> None:
    for controller, padding, next_offset in (("tarnfell.tf-42", 2, 24), ("tarnfell.tf-21", 0, 20)):
        plant = built(
            edits.Batch(
                edits=[
                    edits.AddController(type=controller, address="10.0.0.1", rail_tag="$r"),
                    edits.InsertModules(rail="$r", type="tarnfell.di-16"),
                ]
            )
        )
        plant = with_network(plant, {"function": 4, "count": 9}, {"function": 3, "count": 1}, {"function": 16})
        image = analyse(plant, BUILTIN).result("controller.image", plant.all(Controller)[0].id)
        module, first, second = list(image.items.values())[:3]
        alignment = image.alignment
        assert (module.offset, module.octets, module.padding) == (0, 2, alignment - 2)
        assert (first.offset, first.octets, first.padding) == (alignment, 18, padding)
        assert second.offset == next_offset
        # One status bit an exchange, both ways, in one block behind all data.
        status = [(s.octet, s.bit) for s in image.beside.values()]
        assert status == [(second.end, 0), (second.end, 1), (second.end, 2)]
        assert image.in_octets % alignment == 0


def test_a_pinned_module_holds_its_octets_and_others_go_around_it() -> None:
    plant = hall("di-16", "di-16", "ai-8")
    first, second, third = plant.all(Module)
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[third.id], values={"pin_in": 4})).plant
    image = analyse(plant, BUILTIN).result("controller.image", plant.all(Controller)[0].id)
    offsets = {m.id: image.item(m.id, "in").offset for m in (first, second, third)}
    assert offsets == {first.id: 0, second.id: 20, third.id: 4}


VALUE = 0x11223344


@pytest.mark.parametrize(
    ("order", "octets"),
    [("ABCD", "11223344"), ("CDAB", "33441122"), ("BADC", "22114433"), ("DCBA", "44332211")],
)
def test_where_the_octets_stand_in_each_order(order: str, octets: str) -> None:
    assert encode(VALUE, DATA_TYPES["UDINT"], order) == bytes.fromhex(octets)
    assert decode(bytes.fromhex(octets), DATA_TYPES["UDINT"], order) == VALUE


@given(
    st.sampled_from([t for t in DATA_TYPES.values() if t.family not in ("bool", "real")]),
    st.sampled_from(ORDERS),
    st.data(),
)
def test_decoding_takes_encoding_back(data_type: object, order: str, data: st.DataObject) -> None:
    kind = DATA_TYPES[data_type.name]  # type: ignore[attr-defined]
    value = data.draw(st.integers(kind.low, kind.high))
    assert decode(encode(value, kind, order), kind, order) == value
    assert encode(kind.high + 1, kind, order) == encode(kind.high, kind, order)  # type: ignore[operator]


@pytest.mark.parametrize(
    ("key", "steps", "after"),
    [
        ("ch3", 2, "ch5"),
        ("r0", 4, "r4"),
        ("r4.14", 3, "r5.1"),
        ("b7", 1, "b8"),
        ("status", 0, "status"),
        ("fwr4.14", 3, "fwr5.1"),
        ("wb7", 1, "wb8"),
    ],
)
def test_keys_count_on(key: str, steps: int, after: str) -> None:
    counting = next((c for c in (REGISTERS, COILS) if c.letter in key.partition(".")[0][-2:]), None)
    assert at_after(At.read(key), steps, counting).word == after


@given(st.sampled_from([REGISTERS, OCTETS, OCTETS_FROM_LAST, COILS]), st.integers(0, 4000))
def test_a_single_bit_has_one_key_and_is_found_by_it(counting: Counting, at: int) -> None:
    named = UnitKey.of(counting.bit_key(at))
    assert named is not None
    assert named.letter == counting.letter
    assert counting.bits * named.unit + counting.offset(named.bit or 0, counting.bits) == at
    assert UnitKey.of(named.text) == named


def test_bits_of_a_register_count_from_its_second_octet() -> None:
    # Modbus Application Protocol 1.1b3, 4.2: the high octet travels first.
    assert [REGISTERS.offset(bit, 16) for bit in (0, 7, 8, 15)] == [8, 15, 0, 7]
    assert [OCTETS.offset(bit, 16) for bit in (0, 7, 8, 15)] == [0, 7, 8, 15]
    # IO-Link Interface and System Specification 1.1.3, annex F: bit 0 is the lowest of the last octet.
    assert [OCTETS_FROM_LAST.offset(bit, 32) for bit in (0, 9, 31)] == [24, 17, 7]


def test_patterns() -> None:
    assert counted("Bed{n}Temp", 1, 1, 3) == ["Bed1Temp", "Bed2Temp", "Bed3Temp"]
    assert counted("V{n:02}", 8, 2, 2) == ["V08", "V10"]
    assert counted("Plain", 1, 1, 1) == ["Plain"]
    for bad in ("{x}", "{n", "{n:3}"):
        with pytest.raises(Refusal):
            counted(bad, 1, 1, 1)
    with pytest.raises(Refusal, match="one name 2 times"):
        counted("Same", 1, 1, 2)


def test_a_path_by_hand() -> None:
    """DI-16 with 3 ms filter on a 1 ms bus, 10 ms task of 1 ms: worst 3 + 1 + 11, typical 3 + 0.5 + 6."""
    plant = demo_plant()
    analysis = analyse(plant, BUILTIN)
    by_name = {s.name: s.id for s in plant.all(Signal)}
    path = analysis.result("signal.path", by_name["TurnerLimit1"])
    assert [hop.kind for hop in path.hops] == ["filter", "bus", "task"]
    assert (path.typical_ms, path.worst_ms) == (9.5, 15)
    assert path.links[0].written == "in, octet 4, bit 0"
    assert path.links[0].terminals == "X2:1"
    # Every 200 ms, 8 ms of thinking and 195 octets on the wire, then a task of 10 ms.
    humidity = analysis.result("signal.path", by_name["HumidifierHumidity"])
    assert humidity.worst_ms == pytest.approx(200 + 8.0156 + 11)
    outward = analysis.result("signal.path", by_name["FreshAirDamper1"])
    assert [hop.kind for hop in outward.hops] == ["task", "bus", "conversion"]


def test_a_bit_of_a_register_lies_in_its_second_octet() -> None:
    plant = with_network(hall(), {"function": 3, "count": 2})
    place = plant.all(Exchange)[0].id
    for name, key in (("Low", "r1.0"), ("High", "r1.8"), ("Last", "r1.15")):
        plant = signal(plant, name, "BOOL", place, key)
    analysis = analyse(plant, BUILTIN)
    written = {s.name: analysis.result("signal.path", s.id).links[0].written for s in plant.all(Signal)}
    assert written == {"Low": "in, octet 3, bit 0", "High": "in, octet 2, bit 0", "Last": "in, octet 2, bit 7"}


def found(plant: Plant) -> set[str]:
    return {f.code for f in analyse(plant, BUILTIN).findings.values() if f.code.startswith("SIG")}


def test_each_finding_of_signals_has_its_cause() -> None:
    plant = with_network(hall("ai-8", "do-16"), {"function": 3, "count": 2}, {"function": 16, "count": 3})
    analogue, digital = plant.all(Module)
    read, write = plant.all(Exchange)
    span = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10}
    good = signal(plant, "Level", "REAL", analogue.id, "ch0", scaling=span)
    assert found(good) == set()
    assert found(signal(good, "Lonely", "INT", None, "")) == {"SIG-103"}
    assert found(signal(good, "Bit", "BOOL", analogue.id, "ch1")) == {"SIG-105"}
    assert found(signal(good, "Raw", "REAL", analogue.id, "ch1")) == {"SIG-105"}
    assert found(signal(good, "Long", "UDINT", read.id, "r1")) == {"SIG-105"}
    assert found(signal(good, "Fits", "UDINT", read.id, "r0")) == set()
    assert found(signal(good, "Beyond", "UINT", read.id, "r2")) == {"SIG-104"}
    assert found(signal(good, "Wrong", "REAL", analogue.id, "ch1", scaling={**span, "raw_hi": 27648})) == {"SIG-110"}
    # 8 mA of 4–20 mA is meant; 4095 and 32767 counts are no round values, and 36 mA is none that comes.
    assert found(signal(good, "Meant", "REAL", analogue.id, "ch1", scaling={**span, "raw_lo": 7500})) == set()
    for wrong in ({"raw_hi": 4095}, {"raw_hi": 32767}, {"raw_hi": 60000}, {"raw_lo": 7501}):
        assert found(signal(good, "Wrong", "REAL", analogue.id, "ch1", scaling={**span, **wrong})) == {"SIG-110"}
    assert "SIG-109" in found(signal(good, "Flat", "REAL", analogue.id, "ch1", scaling={**span, "lo": 10}))
    twice = signal(signal(good, "One", "UDINT", write.id, "r0"), "Two", "UINT", write.id, "r1")
    assert found(twice) == {"SIG-106"}
    # Two readers of one place are no error.
    assert found(signal(signal(good, "A", "UINT", read.id, "r0"), "B", "UINT", read.id, "r0")) == set()
    renamed = apply(good, BUILTIN, edits.SetFields(ids=[good.all(Signal)[0].id], values={"asked_ms": 5})).plant
    assert found(renamed) == {"SIG-108"}
    other = signal(good, "Valve", "BOOL", digital.id, "ch0")
    clash = apply(other, BUILTIN, edits.SetFields(ids=[other.all(Signal)[1].id], values={"name": "LEVEL"})).plant
    assert found(clash) == {"SIG-101"}


def test_network_findings_have_their_causes() -> None:
    plant = with_network(hall(), {"function": 3}, {"function": 16, "count": 4}, {"function": 16, "address": 2})
    read, first, _ = plant.all(Exchange)

    def with_values(row_id: str, **values: object) -> set[str]:
        edit = edits.SetFields(ids=[row_id], values={k.replace("__", "."): v for k, v in values.items()})
        after = apply(plant, BUILTIN, edit).plant
        return {f.code for f in analyse(after, BUILTIN).findings.values() if f.code.startswith("NET")}

    assert with_values(read.id, name="Read") == {"NET-207"}
    assert "NET-201" in with_values(read.id, settings__timeout_ms=0)
    assert "NET-202" in with_values(read.id, settings__timeout_ms=5)
    assert "NET-203" in with_values(read.id, settings__period_ms=50)
    assert "NET-204" in with_values(read.id, settings__count=126)
    assert "NET-204" in with_values(read.id, settings__count=0)
    assert "NET-205" in with_values(first.id, settings__address="@65534")
    assert "NET-206" in with_values(read.id, settings__period_ms=3)
    connection = plant.all(Connection)[0].id
    assert "NET-208" in with_values(connection, settings__unit=0)
    assert "NET-209" in with_values(connection, settings__unit=250)


def test_tasks_serve_signals_and_the_slowest_is_the_usual_one() -> None:
    plant = signal(hall("di-16"), "Door", "BOOL", None, "")
    plant = apply(
        plant, BUILTIN, edits.LinkSignal(signal=plant.all(Signal)[0].id, place=plant.all(Module)[0].id, key="ch0")
    ).plant
    analysis = analyse(plant, BUILTIN)
    fast = next(t for t in plant.all(Task) if t.name == "Fast")
    before = analysis.result("signal.path", plant.all(Signal)[0].id).worst_ms
    applied = apply(plant, BUILTIN, edits.SetFields(ids=[plant.all(Signal)[0].id], values={"task": fast.id}))
    analysis.advance(applied.plant, applied.change)
    assert before - analysis.result("signal.path", plant.all(Signal)[0].id).worst_ms == 90
    assert [link.access for link in applied.plant.all(Link)] == ["reads"]


def test_the_slowest_path_over_a_network_is_the_slowest_of_its_signals() -> None:
    plant = demo_plant()
    analysis = analyse(plant, BUILTIN)
    for network in plant.all(Network):
        over = [
            analysis.result("signal.path", link.signal).worst_ms
            for link in plant.all(Link)
            if (exchange := plant.find(link.place)) is not None
            and isinstance(exchange, Exchange)
            and plant.get(plant.get(exchange.connection, Connection).station, Station).network == network.id
        ]
        assert analysis.result("network.slowest", network.id).worst_ms == max(over)


@pytest.mark.parametrize(("designation", "called"), [("", "DI-16"), ("-K1", "-K1")])
def test_a_second_source_is_refused_by_the_name_of_the_first(designation: str, called: str) -> None:
    plant = hall("di-16")
    module = plant.all(Module)[0].id
    plant = signal(plant, "Door", "BOOL", module, "ch0")
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[module], values={"designation": designation})).plant
    more = edits.LinkSignal(signal=plant.all(Signal)[0].id, place=module, key="ch1", also=True)
    with pytest.raises(Refusal, match=f"Door has its value from {called} already"):
        apply(plant, BUILTIN, more)


@pytest.mark.parametrize(
    ("module", "kind", "several", "scaled", "becomes"),
    [
        ("ai-8", "INT", False, {"raw_lo": 0, "raw_hi": 30000, "raw_type": "INT"}, "REAL"),
        ("ai-8", "REAL", False, {"raw_lo": 0, "raw_hi": 30000}, "REAL"),
        ("ai-8", "INT", True, {"raw_lo": 0, "raw_hi": 30000, "raw_type": "INT"}, "INT"),
    ],
)
def test_a_whole_number_that_is_scaled_becomes_a_real_and_back(
    module: str, kind: str, several: bool, scaled: dict[str, object], becomes: str
) -> None:
    plant = hall(module, "ao-4")
    controller, (first, second) = plant.all(Controller)[0].id, plant.all(Module)
    add = edits.AddSignals(controller=controller, pattern="Level", type=kind, place=first.id, key="ch0")
    plant = apply(plant, BUILTIN, add).plant
    signal, link = plant.all(Signal)[0].id, plant.all(Link)[0].id
    if several:
        plant = apply(plant, BUILTIN, edits.LinkSignal(signal=signal, place=second.id, key="ch0", also=True)).plant
    done = apply(plant, BUILTIN, edits.ScaleLink(link=link)).plant
    assert done.get(link, Link).scaling == {"lo": 0, "hi": 100, "clamp": False, **scaled}
    assert done.get(signal, Signal).type == becomes
    undone = apply(done, BUILTIN, edits.ScaleLink(link=link, scaled=False)).plant
    assert (undone.get(link, Link).scaling, undone.get(signal, Signal).type) == (None, kind)
