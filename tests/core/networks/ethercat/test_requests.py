"""Requests of the program for objects: how they are set, what they read and write on the bench, and what is refused."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.explain import ABORT_CODES, STATE_CODES, abort_in_16, explain
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Module
from highmoor.core.project import edits
from tests.core.networks.ethercat.test_bench import built, going
from tests.core.networks.ethercat.turner import LIBRARY, controller, do, line, named, put, request

IO = ("TE-1", ("TD-16", "TA-4"))


def asked_for(plant: Plant, *keys: tuple[str, str, str]) -> Plant:
    """Signals on the places of the last request."""
    exchange = plant.children(Exchange, plant.all(Connection)[-1].id)[0].id
    signals = [
        edits.AddSignals(controller=controller(plant).id, pattern=name, place=exchange, key=key, type=kind)
        for name, key, kind in keys
    ]
    return do(plant, *signals)


def seen(bench: Bench) -> dict[str, Any]:
    """The request as it is told, the last if there are several."""
    return [x for s in bench.stations.all() for x in s["exchanges"] if x["name"] == "Value"][-1]


def problems(plant: Plant) -> list[str]:
    return [dict(f.values)["problem"] for f in analyse(plant, LIBRARY).findings.values() if f.code == "NET-415"]


def value(bench: Bench, name: str) -> Any:
    return bench.value(next(s.id for s in bench.plant.tables["signals"].values() if s.name == name))[0]


def write(bench: Bench, name: str, given: float) -> None:
    bench.signals.write(next(s.id for s in bench.plant.tables["signals"].values() if s.name == name), given)


def test_an_object_is_read_when_its_bit_rises() -> None:
    plant = request(line("CS-5"), "S1", index="16#6065")
    plant = asked_for(
        plant, ("Ask", "start", "BOOL"), ("Limit", "o0", "UDINT"), ("Told", "status", "BOOL"), ("N", "length", "UINT")
    )
    assert not [f.code for f in analyse(plant, LIBRARY).findings.values() if f.code[:3] in ("SIG", "NET")]
    bench = going(plant)
    assert (seen(bench)["transactions"], seen(bench)["state"]) == (0, "waiting")
    write(bench, "Ask", 1)
    bench.run_until(2)
    assert (seen(bench)["transactions"], seen(bench)["text"]) == (1, "answered with 4 octets")
    # An SDO upload of 6065:00 and its expedited answer (ETG.1000.6, 5.6.2.3).
    assert seen(bench)["request"] == "00 20 40 65 60 00 00 00 00 00"
    assert seen(bench)["response"][:20] == "00 30 43 65 60 00 10"[:20]
    assert (value(bench, "Limit"), value(bench, "Told"), value(bench, "N")) == (10_000, True, 4)
    write(bench, "Ask", 0)
    bench.run_until(2.1)
    write(bench, "Ask", 1)
    bench.run_until(3)
    assert seen(bench)["transactions"] == 2


def test_an_object_is_written_with_what_the_program_has_there_then() -> None:
    plant = request(line("CS-5"), "S1", "write", index="16#6065")
    plant = asked_for(plant, ("Ask", "start", "BOOL"), ("Limit", "o0", "UDINT"))
    bench = going(plant)
    slave = bench.devices.there[named(plant, "S1").id].device.head  # type: ignore[attr-defined]
    write(bench, "Limit", 4321)
    bench.run_until(1.5)
    before = slave.dictionary.entries[0x6065, 0].value
    write(bench, "Ask", 1)
    bench.run_until(2)
    assert before != slave.dictionary.entries[0x6065, 0].value == (4321).to_bytes(4, "little")
    assert seen(bench)["text"] == "done"


@pytest.mark.parametrize(
    ("kind", "values", "code", "text"),
    [
        ("read", {"index": 0x7777, "octets": 4}, 0x6200, "16#06020000, there is no such object"),
        ("read", {"index": 0x6065, "subindex": 3, "octets": 4}, 0x6911, "16#06090011, there is no such subindex"),
        ("write", {"index": 0x6041}, 0x6102, "16#06010002, it can only be read"),
        ("write", {"index": 0x6065, "octets": 2}, 0x6713, "16#06070013, the value is too short"),
        ("read", {"index": 0x1008, "octets": 2}, 0, "octets beyond its room"),
    ],
)
def test_what_is_refused_has_its_code_and_its_words(kind: str, values: dict[str, Any], code: int, text: str) -> None:
    plant = request(line("CS-5"), "S1", kind, trigger="period", period_ms=100, **values)
    assert bool(problems(plant)) == bool(code)
    plant = asked_for(plant, ("Code", "code", "UINT"))
    bench = going(plant)
    assert text in seen(bench)["text"]
    assert value(bench, "Code") == code
    assert not code or explain(code) == f"refused: {text.partition(', ')[2]}"


def test_no_answer_in_time_and_nobody_there_are_two_things() -> None:
    plant = request(line("CS-5", "CS-5"), "S2", index=0x6065, trigger="period", period_ms=100, timeout_ms=0.01)
    plant = asked_for(plant, ("Code", "code", "UINT"))
    bench = going(plant)
    assert (seen(bench)["text"], value(bench, "Code")) == ("no answer within 0.01 ms", 0x5400)
    gone = going(built(plant, "S2", there=False))
    assert (seen(gone)["text"], value(gone, "Code")) == ("nobody is there who could answer", 0x0104)


def test_a_module_behind_the_station_is_asked_by_its_slot() -> None:
    plant = line(IO)
    plant = request(plant, "S1", index=0x1008, octets=4, slot=2, trigger="period", period_ms=50)
    assert not problems(plant)
    bench = going(plant)
    assert bytes.fromhex(seen(bench)["data"]).decode().strip("\0") == "TA-4"
    empty = put(plant, plant.all(Connection)[-1].id, settings__slot=1)
    assert problems(empty) == ["it has no objects"]
    assert problems(do(plant, edits.Remove(ids=[plant.all(Module)[1].id]))) == [
        "no module that answers for itself stands in slot 2"
    ]


OBJECTS = {0x6065: 4, 0x6072: 2, 0x1008: 4, 0x1018: 4}


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.sampled_from(sorted(OBJECTS)), st.integers(5, 40)), min_size=2, max_size=5))
def test_those_who_ask_one_device_at_once_wait_for_one_another(asks: list[tuple[int, int]]) -> None:
    """A mailbox holds one message: whatever the periods, nobody is given another's answer."""
    plant = line("CS-5")
    for index, period in asks:
        sub = int(index == 0x1018)
        plant = request(plant, "S1", index=index, subindex=sub, trigger="period", period_ms=period, octets=8)
    bench = going(plant, 0.3)
    failed = [x["failures"] for x in bench.stations.all()[0]["exchanges"]]
    bench.run_until(0.6)
    told = bench.stations.all()[0]["exchanges"]
    assert [x["failures"] for x in told] == failed
    for (index, _), one in zip(asks, (x for x in told if x["name"] == "Value"), strict=True):
        assert one["text"] == f"answered with {OBJECTS[index]} octets"


def test_what_a_device_exchanges_goes_with_it_alone_and_a_request_by_itself() -> None:
    plant = request(line("CS-5"), "S1", index=0x6065)
    process, asks = plant.all(Connection)
    with pytest.raises(Refusal, match="comes with it"):
        do(plant, edits.Remove(ids=[process.id]))
    with pytest.raises(Refusal, match="comes with it"):
        do(plant, edits.Remove(ids=[plant.children(Exchange, process.id)[0].id]))
    assert len(do(plant, edits.Remove(ids=[plant.children(Exchange, asks.id)[0].id])).all(Connection)) == 1
    assert not do(plant, edits.Remove(ids=[named(plant, "S1").id])).all(Connection)


def test_abort_codes_in_sixteen_bits_are_their_own_and_no_state_codes() -> None:
    short = {abort_in_16(code) for code in ABORT_CODES}
    assert len(short) == len(ABORT_CODES)
    assert not short & set(STATE_CODES)
    assert max(short) < 0x8000
    assert abort_in_16(0x06010002) == 0x6102
    assert explain(abort_in_16(0xFE000001)) == "refused, with a code of the maker's own"
