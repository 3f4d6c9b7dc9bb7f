"""Places as people say them, on any exchange: the same bit, the same key, however it was typed."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.datatypes import DATA_TYPES, decode
from highmoor.core.networks.counting import OCTETS_FROM_LAST
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Port
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.exchange_format import upgraded_row
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.places import place_of
from highmoor.core.signals.spoken import piece_key
from tests.core.plants import hall

OCTETS = 24


def _made(*steps: Any) -> Plant:
    plant = hall("ai-8")
    network = edits.AddNetwork(fieldbus=steps[0], port=plant.all(Port)[0].id, tag="$n")
    station = edits.AddStation(network="$n", connection_tag="$k")
    return apply(plant, BUILTIN, edits.Batch(edits=[network, station, *steps[1:]])).plant


def _registers(function: int) -> Plant:
    count = {1: 8 * OCTETS, 23: OCTETS // 2}.get(function, OCTETS // 2)
    more = {"write_count": 4, "write_address": 100} if function == 23 else {}
    return _made(
        "modbus-tcp", edits.AddExchange(connection="$k", settings={"function": function, "count": count, **more})
    )


def _cyclic(high_octet_first: bool) -> Plant:
    plant = _made("ethernet-ip")
    into = next(x for x in plant.all(Exchange) if x.direction == "in")
    order = edits.SetFields(ids=[into.connection], values={"settings.high_octet_first": high_octet_first})
    size = edits.SetFields(ids=[into.id], values={"settings.octets": "12 words"})
    return apply(plant, BUILTIN, edits.Batch(edits=[order, size])).plant


PLANTS = {
    "registers": _registers(3),
    "coils": _registers(1),
    "write and read": _registers(23),
    "low octet first": _cyclic(False),
    "high octet first": _cyclic(True),
}
ANALYSES = {name: analyse(plant, BUILTIN) for name, plant in PLANTS.items()}


def _exchange(plant: Plant) -> Exchange:
    return next(x for x in plant.all(Exchange) if x.direction == "in")


def _wire(name: str) -> Any:
    return ANALYSES[name].result("exchange.wire", _exchange(PLANTS[name]).id)


@pytest.mark.parametrize(
    ("on", "said", "key"),
    [
        ("registers", "r1", "r1"),
        ("registers", "w1.3", "r1.3"),
        ("registers", "Word 1 bit 3", "r1.3"),
        ("registers", "words 4", "r4"),
        ("registers", "40003", "r2"),
        ("registers", "40003.15", "r2.15"),
        ("registers", "double word 2", "r4"),
        ("registers", "dw2.16", "r4.0"),
        ("registers", "o3.2", "r1.2"),
        ("registers", "o2.2", "r1.10"),
        ("registers", "fw1.3", "fr1.3"),
        ("registers", "Status bit", "status"),
        ("registers", "error code", "code"),
        ("coils", "w1.3", "b19"),
        ("coils", "coil 7", "b7"),
        ("coils", "b7", "b7"),
        ("write and read", "w1.3", "r1.3"),
        ("write and read", "wr1.3", "wr1.3"),
        ("write and read", "ww1.3", "wr1.3"),
        ("write and read", "40102.4", "wr1.4"),
        ("low octet first", "w1.3", "o2.3"),
        ("low octet first", "r1.11", "o3.3"),
        ("low octet first", "w1", "o2"),
        ("low octet first", "byte 5.7", "o5.7"),
        ("low octet first", "b5.7", "o5.7"),
        ("low octet first", "octet 5", "o5"),
        ("high octet first", "w1.3", "o3.3"),
        ("high octet first", "w1.11", "o2.3"),
        # What is no place stays as it was typed, and is a finding.
        ("registers", "w1.16", "w1.16"),
        ("registers", "o3", "o3"),
        ("coils", "w1", "w1"),
        ("registers", "somewhere", "somewhere"),
        ("registers", "", ""),
    ],
)
def test_what_is_said_is_kept_as_one_key(on: str, said: str, key: str) -> None:
    assert piece_key(_wire(on), said) == key


@given(
    st.sampled_from(["registers", "low octet first", "high octet first"]),
    st.sampled_from(["w", "r", "d", "o"]),
    st.data(),
)
def test_a_bit_said_is_that_bit_of_the_value(on: str, letter: str, data: st.DataObject) -> None:
    """Bit k of word n: what a value of that width holds when nothing but that bit is set."""
    width, kind = {"w": (16, "UINT"), "r": (16, "UINT"), "d": (32, "UDINT"), "o": (8, "USINT")}[letter]
    number, bit = data.draw(st.integers(0, 8 * OCTETS // width - 1)), data.draw(st.integers(0, width - 1))
    wire, reader = _wire(on), Reader(ANALYSES[on])
    place = place_of(reader, _exchange(PLANTS[on]).id, At.read(piece_key(wire, f"{letter}{number}.{bit}")))
    assert place is not None
    octets = bytearray(OCTETS)
    octets[place.bit // 8] |= 1 << place.bit % 8
    first = number * width // 8
    assert decode(bytes(octets[first : first + width // 8]), DATA_TYPES[kind], wire.order) == 1 << bit


@given(
    st.sampled_from(sorted(PLANTS)),
    st.text(max_size=12) | st.from_regex(r"[fwrobd]{0,3}\d{1,6}(\.\d{1,3})?", fullmatch=True),
)
def test_saying_it_twice_changes_nothing(on: str, said: str) -> None:
    key = piece_key(_wire(on), said)
    assert piece_key(_wire(on), key) == key


@pytest.mark.parametrize("said", ["ch3", "3", "channel 3", "Ch 3"])
def test_a_channel_by_its_number(said: str) -> None:
    plant = PLANTS["registers"]
    module, controller = plant.all(Module)[0], plant.all(Controller)[0]
    device = BUILTIN.find(module.type)
    assert device is not None
    number = next(c.number for c in device.each_channel() if c.key == "ch3")
    said = said if said == "ch3" else said.replace("3", str(number))
    run = edits.AddSignals(controller=controller.id, pattern="T{n}", count=2, type="INT", place=module.id, key=said)
    assert [link.key for link in apply(plant, BUILTIN, run).plant.all(Link)] == ["ch3", "ch4"]


def test_a_run_begins_at_what_is_said() -> None:
    plant = PLANTS["low octet first"]
    controller, exchange = plant.all(Controller)[0], _exchange(plant)
    run = edits.AddSignals(
        controller=controller.id, pattern="Bit{n}", count=3, type="BOOL", place=exchange.id, key="w0.14"
    )
    assert [link.key for link in apply(plant, BUILTIN, run).plant.all(Link)] == ["o1.6", "o1.7", "o2.0"]


_AT = st.builds(
    At, st.from_regex(r"[rob][0-9]{1,5}(\.[0-9]{1,2})?", fullmatch=True), st.sampled_from(["data", "back"]),
    st.sampled_from(["own", "partner"]),
)  # fmt: skip


@given(_AT | st.builds(At, st.just(""), st.sampled_from(sorted(BY_KEY))) | st.builds(At, st.just("ch3")))
def test_a_place_in_one_word_is_read_as_that_place(at: At) -> None:
    assert At.read(at.word) == at


@given(_AT)
def test_an_older_link_leads_where_it_led(at: At) -> None:
    """Before version 4 a link's key was that word."""
    older = {"id": "l1", "key": at.word, "access": "reads"}
    kept = upgraded_row("links", older, 3)
    assert (kept["key"], kept["way"], kept["end"]) == (at.key, at.way, at.end)
    beside = upgraded_row("links", {**older, "key": "status"}, 3)
    assert (beside["key"], beside["way"], beside["end"]) == ("", "status", "own")


_WORDS = WireLayout(
    6, 48, (WireField("o0", "octet 0", 0, 8), WireField("o1", "octet 1", 8, 8), WireField("o2", "word 2", 16, 16),
            WireField("o4", "Level", 32, 16, "INT")), "6 octets", counting=OCTETS_FROM_LAST,
)  # fmt: skip


@pytest.mark.parametrize(
    ("said", "key"),
    [
        ("o0.3", "o0.3"),
        ("o2.3", "o2.3"),
        ("o2.11", "o2.11"),
        ("word 1.3", "o2.3"),
        # Of a word whose high octet comes first, octet 2 has the upper bits.
        ("byte 2.3", "o2.11"),
        ("byte 3.3", "o2.3"),
        ("o3.3", "o2.3"),
        ("level.9", "o4.9"),
        ("byte 4 bit 1", "o4.9"),
        ("byte 1.3", "o1.3"),
        ("o2.16", "o2.16"),
    ],
)
def test_a_bit_of_a_word_is_one_place_by_octet_and_by_word(said: str, key: str) -> None:
    assert piece_key(_WORDS, said) == key
    assert piece_key(_WORDS, key) == key
