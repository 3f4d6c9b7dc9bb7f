"""A module's octets as octets, words and double words beside its channels: the same bits by whatever name."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Reader
from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.losses import signals_lost
from highmoor.core.signals.at import At
from highmoor.core.signals.places import place_of
from highmoor.core.signals.spoken import channel_key
from tests.core.plants import hall

PLANT = hall("di-16", "do-16", "ai-8")
INPUTS, OUTPUTS, ANALOGUE = (
    next(m for m in PLANT.all(Module) if m.type == f"tarnfell.{key}") for key in ("di-16", "do-16", "ai-8")
)


def linked(plant: Plant, name: str, kind: str, module: Module, key: str, count: int = 1) -> Plant:
    run = edits.AddSignals(
        controller=plant.all(Controller)[0].id, pattern=name, count=count, type=kind, place=module.id, key=key
    )
    return apply(plant, BUILTIN, run).plant


def link_of(plant: Plant, name: str) -> Link:
    signal = next(s for s in plant.all(Signal) if s.name == name)
    return next(link for link in plant.all(Link) if link.signal == signal.id)


def codes(plant: Plant) -> set[str]:
    return {f.code for f in analyse(plant, BUILTIN).findings.values() if f.code.startswith("SIG")}


@pytest.mark.parametrize(
    ("module", "said", "key"),
    [
        (INPUTS, "byte 1", "i1"),
        (INPUTS, "i1", "i1"),
        (INPUTS, "word 0", "i0"),
        (OUTPUTS, "octet 1", "q1"),
        (ANALOGUE, "word 3", "i6"),
        (ANALOGUE, "in double word 1", "i4"),
        # A single bit has one name, that of its channel.
        (INPUTS, "i1.3", "ch11"),
        (INPUTS, "byte 1.3", "ch11"),
        (INPUTS, "word 0 bit 11", "ch11"),
        (OUTPUTS, "q0.7", "ch7"),
        (INPUTS, "3", "ch3"),
        # What is not there stays as it was said.
        (INPUTS, "byte 2", "byte 2"),
        (INPUTS, "out byte 0", "out byte 0"),
        (INPUTS, "byte 1.8", "byte 1.8"),
        (INPUTS, "q0", "q0"),
        (ANALOGUE, "byte 0.1", "byte 0.1"),
    ],
)
def test_octets_words_and_bits_as_they_are_said(module: Module, said: str, key: str) -> None:
    assert channel_key(BUILTIN.find(module.type), said) == key


def test_on_every_module_of_the_demo_an_octet_holds_its_channels() -> None:
    plant = demo_plant()
    reader, seen = Reader(analyse(plant, BUILTIN)), 0
    for module in plant.all(Module):
        device = BUILTIN.find(module.type)
        for channel in device.each_channel() if device else ():
            if channel.group.bits > 8:
                continue
            single = place_of(reader, module.id, At(channel.key))
            octet = place_of(reader, module.id, At(f"{'i' if channel.group.inward else 'q'}{channel.bit // 8}"))
            assert single is not None and octet is not None
            assert (octet.item, octet.bit + channel.bit % 8) == (single.item, single.bit)
            assert (octet.remote, octet.carrier, octet.controller) == (single.remote, single.carrier, single.controller)
            seen += single.remote
    assert seen > 20


@given(st.integers(0, 0xFFFF), st.integers(0, 0xFFFF))
def test_a_word_is_its_sixteen_channels_both_ways(inward: int, outward: int) -> None:
    plant = linked(linked(PLANT, "Into", "WORD", INPUTS, "word 0"), "Out", "WORD", OUTPUTS, "word 0")
    plant = linked(plant, "Low", "BYTE", INPUTS, "byte 0")
    ids = {s.name: s.id for s in plant.all(Signal)}
    bench = Bench(plant, BUILTIN)
    rail = next(iter(bench.controllers.values())).rail
    for n in range(16):
        rail.give(f"{INPUTS.id}.ch{n}", inward >> n & 1)
    bench.run_until(0.5)
    assert [bench.signals.value(ids[name])[0] for name in ("Into", "Low")] == [inward, inward & 0xFF]
    bench.signals.write(ids["Out"], outward)
    bench.run_until(1)
    assert sum(int(rail.take(f"{OUTPUTS.id}.ch{n}")) << n for n in range(16)) == outward


def test_a_word_and_a_bit_of_it_may_both_be_read_but_not_both_be_written() -> None:
    read = linked(linked(PLANT, "Mask", "WORD", INPUTS, "word 0"), "Door", "BOOL", INPUTS, "i1.3")
    assert codes(read) == set()
    written = linked(linked(PLANT, "Mask", "WORD", OUTPUTS, "word 0"), "Door", "BOOL", OUTPUTS, "q1.3")
    assert codes(written) == {"SIG-106"}
    beside = linked(linked(PLANT, "Mask", "BYTE", OUTPUTS, "byte 0"), "Door", "BOOL", OUTPUTS, "q1.3")
    assert codes(beside) == set()


def test_what_a_word_switches_draws_from_the_field_supply_as_its_channels_do() -> None:
    single = linked(PLANT, "Valve{n}", "BOOL", OUTPUTS, "ch0", count=16)
    loads = [
        analyse(plant, BUILTIN).result("module.wiring", OUTPUTS.id).load_ma
        for plant in (
            single,
            linked(PLANT, "All", "WORD", OUTPUTS, "word 0"),
            linked(PLANT, "Half", "BYTE", OUTPUTS, "byte 1"),
        )
    ]
    assert loads == [16 * 120, 16 * 120, 8 * 120]


def test_a_module_tells_what_is_linked_by_the_octet() -> None:
    plant = linked(linked(PLANT, "Mask", "WORD", INPUTS, "word 0"), "Door", "BOOL", INPUTS, "i1.3")
    told = analyse(plant, BUILTIN).result("module.channels", INPUTS.id)
    assert [(one.label, [s.name for s in one.signals]) for one in told.octets] == [("octet 0", ["Mask"])]
    assert [s.name for channel in told.channels for s in channel.signals] == ["Door"]


def test_a_word_needs_two_octets_and_a_run_steps_by_its_size() -> None:
    plant = linked(PLANT, "Half{n}", "BYTE", INPUTS, "byte 0", count=2)
    assert [link_of(plant, f"Half{n}").key for n in (1, 2)] == ["i0", "i1"]
    words = linked(PLANT, "Count{n}", "INT", ANALOGUE, "word 0", count=8)
    assert [link.key for link in words.all(Link)] == [f"i{2 * n}" for n in range(8)]
    assert codes(words) == set()
    assert codes(linked(PLANT, "Beyond", "WORD", INPUTS, "byte 1")) == {"SIG-105"}
    with pytest.raises(Refusal, match="has no channel"):
        linked(PLANT, "Nowhere", "BYTE", INPUTS, "byte 2")


def test_another_type_keeps_the_octets_that_it_has() -> None:
    plant = linked(linked(PLANT, "First", "BYTE", OUTPUTS, "byte 0"), "Second", "BYTE", OUTPUTS, "byte 1")
    smaller = edits.ReplaceModule(id=OUTPUTS.id, type="tarnfell.do-8n")
    assert [link.key for link in apply(plant, BUILTIN, smaller).plant.all(Link)] == ["q0"]
    assert signals_lost(plant, BUILTIN, smaller) == ("Second",)
    other = edits.ReplaceModule(id=OUTPUTS.id, type="tarnfell.di-16")
    assert apply(plant, BUILTIN, other).plant.all(Link) == []
