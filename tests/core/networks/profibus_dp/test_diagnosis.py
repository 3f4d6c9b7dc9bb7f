"""A diagnosis in words: a table of bits and blocks, each with a neighbour that says something else; and requests."""

from __future__ import annotations

from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.errors import Refusal
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.profibus_dp.diagnosis import SlaveDiag, blocks_of, told
from highmoor.core.networks.profibus_dp.settings import DpStation, dp_station
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Signal
from highmoor.core.project import edits

from .steep import AI, DI, DO, LIBRARY, controller, do, line, modules, named
from .wrong import request

PLANT = line(("TR-16", [DI, DO, AI]), ("EM-310", ["m7"]), "DA-20")


def station(name: str = "S1") -> DpStation:
    analysis = analyse(PLANT, LIBRARY)
    connection = PLANT.children(Connection, named(PLANT, name).id)[0]
    found = dp_station(analysis.result("connection.line", connection.id))
    assert found is not None
    return found


def said(octets: str, name: str = "S1") -> list[Diagnosis]:
    diag = SlaveDiag.of(bytes.fromhex(octets))
    assert diag is not None
    return told(diag, station(name))


HEAD = "00 0C 00 01 FA 21 "


@pytest.mark.parametrize(
    ("octets", "words"),
    [
        ("00 0C 00 01 FA 21", []),
        ("04 0C 00 01 FA 21", ["configuration fault"]),
        ("40 0C 00 01 FA 21", ["parameter fault: it refuses its parameters"]),
        ("40 0C 00 01 FA 22", ["parameter fault: its ident number is FA22, not FA21"]),
        ("10 0C 00 01 FA 21", ["not supported"]),
        ("80 0C 00 01 FA 21", ["locked by another master"]),
        ("20 0C 00 01 FA 21", ["invalid response"]),
        ("00 0E 00 01 FA 21", ["static diagnosis"]),
        ("08 0C 80 01 FA 21", ["it has more to say"]),
        # Of modules: 41 is a header for one octet of bits, 42 for two.
        ("08 0C 00 01 FA 21 42 01", ["slot 1 (DI-16 24 V)"]),
        ("08 0C 00 01 FA 21 42 06", ["slot 2 (DO-16 24 V 0.5 A)", "slot 3 (AI-4)"]),
        ("08 0C 00 01 FA 21 43 00 01", ["slot 9 has"]),
        # Of a channel: modules are counted from 1 in this file; input or output, channel; size and error.
        ("08 0C 00 01 FA 21 83 40 A6", ["slot 3 (AI-4), input channel 0: Wire break (word)"]),
        ("08 0C 00 01 FA 21 83 41 A7", ["slot 3 (AI-4), input channel 1: Above the upper limit (word)"]),
        ("08 0C 00 01 FA 21 82 85 21", ["slot 2 (DO-16 24 V 0.5 A), output channel 5: Short circuit (bit)"]),
        ("08 0C 00 01 FA 21 82 85 22", ["slot 2 (DO-16 24 V 0.5 A), output channel 5: undervoltage (bit)"]),
        ("08 0C 00 01 FA 21 82 85 30", ["slot 2 (DO-16 24 V 0.5 A), output channel 5: error 16 of its maker (bit)"]),
        # Of the device: bits and an area of its file, and what that does not name.
        ("08 0C 00 01 FA 21 02 01", ["Module missing or wrong. Compare the modules plugged"]),
        ("08 0C 00 01 FA 21 02 02", ["Supply of the field missing; check fuse F2"]),
        ("08 0C 00 01 FA 21 03 00 03", ["module not answering"]),
        ("08 0C 00 01 FA 21 03 00 00", []),
        ("08 0C 00 01 FA 21 02 04", ["bit 2 of its own diagnosis is set; its file has no text for it"]),
        # Several, one behind the other; a revision says nothing is wrong.
        ("08 0C 00 01 FA 21 C5 42 01 83 40 A6", ["slot 1 (DI-16", "slot 3 (AI-4), input channel 0"]),
        # What is cut off ends what can be read.
        ("08 0C 00 01 FA 21 83 40", []),
    ],
)
def test_what_a_diagnosis_says(octets: str, words: list[str]) -> None:
    texts = [diagnosis.text for diagnosis in said(octets)]
    assert len(texts) == len(words), texts
    for text, expected in zip(texts, words, strict=True):
        assert expected in text


def test_a_bit_that_is_clear_can_say_something() -> None:
    # The actuator's bit 7: not referenced while it is clear.
    assert [d.text for d in said("08 0C 00 01 FA 52 02 00", "S3")] == ["Not referenced"]
    assert [d.text.partition(" of")[0] for d in said("08 0C 00 01 FA 52 02 80", "S3")] == ["bit 7"]


def test_an_alarm_of_dp_v1_names_its_slot() -> None:
    # Type 1 (diagnosis), slot 1, specifier 1: it comes.
    assert [d.text for d in said("08 0C 00 01 FA 5E 04 01 01 01", "S2")] == [
        "slot 1 (Frequency): diagnosis comes, and the slot is disturbed"
    ]
    assert [d.severity for d in said("08 0C 00 01 FA 5E 04 01 01 02", "S2")] == ["note"]


def test_the_module_meant_is_the_place() -> None:
    assert [d.place for d in said("08 0C 00 01 FA 21 83 40 A6")] == [modules(PLANT, "S1")[2].id]


def test_blocks_are_cut_by_their_lengths() -> None:
    cut = [block.hex() for block in blocks_of(bytes.fromhex("03 AA BB 42 01 85 40 A6 C1 01"))]
    assert cut == ["03aabb", "4201", "8540a6", "c1", "01"]
    assert list(blocks_of(b"")) == []
    # A length of nothing would never end.
    assert len(list(blocks_of(b"\x00\x00\x00"))) == 3


# ── requests of the program


def asked(kind: str, octets: int, value: int | None = None, **values: Any) -> tuple[Bench, dict[str, str], Plant]:
    """A bench of the meter, whose record 0/2 holds 00 64, with a request started."""
    plant = request(line(("EM-310", ["m7"])), "S1", kind, octets, **values)
    exchange = next(x for x in plant.all(Exchange) if x.name == "Record")
    owner = controller(plant).id
    for name, type_, key in (("Ask", "BOOL", "start"), ("Code", "UINT", "code"), ("Value", "UINT", "o0")):
        plant = do(
            plant, edits.AddSignals(controller=owner, pattern=name, count=1, type=type_, place=exchange.id, key=key)
        )
    there = do(plant, edits.KeepInDevice(id=named(plant, "S1").id, values={"facts.records": {"0/2": "00 64"}}))
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    bench = Bench(plant, LIBRARY, there)
    bench.run_until(0.3)
    if value is not None:
        bench.signals.write(ids["Value"], value)
        bench.run_until(0.6)
    bench.signals.write(ids["Ask"], True)
    bench.run_until(1.2)
    return bench, ids, plant


def test_a_record_is_read_by_slot_and_index() -> None:
    bench, ids, _ = asked("read", 2, index=2)
    assert bench.value(ids["Value"])[0] == 100
    assert bench.value(ids["Code"])[0] == 0


def test_a_record_is_written_and_read_back() -> None:
    bench, ids, plant = asked("write", 2, value=0x0190, index=2)
    assert bench.value(ids["Code"])[0] == 0
    slave = bench.devices.there[named(plant, "S1").id].device.slave  # type: ignore[attr-defined]
    assert slave.records[0, 2] == bytes.fromhex("01 90")


@pytest.mark.parametrize(
    ("kind", "octets", "values", "code", "words"),
    [
        ("read", 2, {"index": 3}, 0xB000, "invalid index"),
        ("read", 2, {"index": 2, "slot": 1}, 0xB200, "invalid slot"),
        ("write", 3, {"index": 2}, 0xB100, "write length error"),
    ],
)
def test_what_is_refused_is_told_by_its_code(
    kind: str, octets: int, values: dict[str, Any], code: int, words: str
) -> None:
    bench, ids, _ = asked(kind, octets, **values)
    assert bench.value(ids["Code"])[0] == code
    assert any(words in exchange["text"] for s in bench.stations.all() for exchange in s["exchanges"])


def test_one_without_an_access_point_answers_so() -> None:
    plant = request(line(("TR-16", [DI])), "S1", octets=2, index=2)
    exchange = next(x for x in plant.all(Exchange) if x.name == "Record")
    plant = do(
        plant,
        edits.AddSignals(
            controller=controller(plant).id, pattern="Ask", count=1, type="BOOL", place=exchange.id, key="start"
        ),
    )
    bench = Bench(plant, LIBRARY)
    bench.run_until(0.3)
    bench.signals.write(plant.all(Signal)[0].id, True)
    bench.run_until(1)
    assert "it has no access point for acyclic requests" in bench.exchanges[exchange.id].text


# ── by hand


def by_hand() -> tuple[Bench, str]:
    plant = line(("EM-310", ["m7"]), ("TR-16", [DI]))
    row = named(plant, "S1").id
    there = do(plant, edits.KeepInDevice(id=row, values={"facts.records": {"0/2": "00 64"}}))
    bench = Bench(plant, LIBRARY, there)
    bench.run_until(0.3)
    return bench, row


def told_of(bench: Bench) -> dict[str, Any]:
    bench.run_until(bench.seconds + 0.3)
    told: dict[str, Any] = bench.objects.news[-1]
    return told


def test_a_record_is_read_and_written_by_hand() -> None:
    bench, row = by_hand()
    bench.objects.read(row, "0000:02")
    told = told_of(bench)
    assert (told["good"], told["forms"]["octets"], told["forms"]["decimal"]) == (True, "00 64", "100")
    bench.objects.write(row, "0000:02", "01 90")
    assert told_of(bench)["text"] == "written"
    bench.objects.read(row, "0000:02")
    assert told_of(bench)["forms"]["hexadecimal"] == "16#0190"
    bench.objects.read(row, "0000:09")
    assert told_of(bench)["text"] == "access: invalid index (B0 00)"


@pytest.mark.parametrize(
    ("key", "typed"), [("0000:02", "1"), ("0000:02", "xy"), ("0000:02", "00 " * 241), ("FFFF:02", "00")]
)
def test_what_is_no_record_is_refused(key: str, typed: str) -> None:
    bench, row = by_hand()
    with pytest.raises(Refusal):
        bench.objects.write(row, key, typed)
