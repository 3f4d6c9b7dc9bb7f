"""A remote rail carries data: laid out in registers, brought by exchanges, seen in the image and on the bench."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Module, Port, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from highmoor.core.signals.path import SignalPath
from tests.core.benches import cable, rails
from tests.core.plants import hall

MILLIAMPS = {"raw_lo": 0, "raw_hi": 30000, "lo": 4, "hi": 20}


def coupled(*modules: str) -> Plant:
    """HALL with a coupler at 10.1.0.20, its modules called -M0 and so on, nothing exchanged yet."""
    plant = hall()
    port = plant.all(Port)[0].id
    steps: list[Any] = [
        edits.SetFields(ids=[port], values={"address": "10.1.0.1"}),
        edits.AddNetwork(fieldbus="modbus-tcp", port=port, tag="$n"),
        edits.AddStation(network="$n", type="tarnfell.tc-16", name="Gallery", address="10.1.0.20"),
    ]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    rail = next(r.id for r in plant.all(Rail) if r.head.startswith("s"))
    for n, module in enumerate(modules):
        steps = [
            edits.InsertModules(rail=rail, type=f"tarnfell.{module}", tag="$m"),
            edits.SetFields(ids=["$m"], values={"designation": f"-M{n}"}),
        ]
        plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    return plant


def signals_everywhere(plant: Plant) -> Plant:
    """A signal on every channel of the remote modules."""
    controller = plant.all(Controller)[0].id
    for module in plant.all(Module):
        device = BUILTIN.find(module.type)
        channels = list(device.each_channel()) if device else []
        if not channels:
            continue
        analogue = channels[0].group.bits == 16
        run = edits.AddSignals(
            controller=controller, pattern=f"S{module.designation[2:]}c{{n}}", start=0, count=len(channels),
            place=module.id, key="ch0", type="REAL" if analogue else "BOOL", scaling=MILLIAMPS if analogue else None,
        )  # fmt: skip
        plant = apply(plant, BUILTIN, run).plant
    return plant


def codes(analysis: Analysis) -> list[str]:
    return sorted(f.code for f in analysis.findings.values() if f.code.startswith(("NET-21", "SIG")))


def carried(plant: Plant) -> Plant:
    """What the remedies make of it, one after the other."""
    for _ in range(20):
        analysis = analyse(plant, BUILTIN)
        found = next((f for f in analysis.findings.values() if f.code in ("NET-210", "NET-211")), None)
        if found is None:
            return plant
        remedy = remedy_of(analysis, found)
        assert remedy is not None
        assert remedy.edit is not None
        plant = apply(plant, BUILTIN, remedy.edit).plant
    raise AssertionError("the remedies come to no end")


def links(plant: Plant) -> dict[str, tuple[str, str, int]]:
    """Image address, order and octet by signal."""
    analysis = analyse(plant, BUILTIN)
    paths: dict[str, SignalPath] = {s.name: analysis.result("signal.path", s.id) for s in plant.all(Signal)}
    return {name: (p.links[0].written, p.links[0].order, p.links[0].octet or 0) for name, p in paths.items()}


def test_modules_stand_in_whole_registers_by_hand() -> None:
    # DI-16: register 30001. DO-8N: one octet, in 40001. AI-8: 30002 … 30009. DO-16: 40002.
    plant = signals_everywhere(carried(coupled("di-16", "do-8n", "ai-8", "do-16")))
    assert [(x.name, x.direction, x.settings["address"], x.settings["count"]) for x in plant.all(Exchange)] == [
        ("Rail in", "in", 0, 9),
        ("Rail out", "out", 0, 2),
    ]
    assert codes(analyse(plant, BUILTIN)) == []
    where = links(plant)
    # The registers begin at octet 0 of either area; a register's low octet is its second on the wire.
    # A single bit has no order of octets: its module's own stays.
    assert where["S0c0"] == ("in, octet 1, bit 0", "DCBA", 1)
    assert where["S0c9"] == ("in, octet 0, bit 1", "DCBA", 0)
    assert where["S2c0"] == ("in, octets 2–3", "ABCD", 2)
    assert where["S2c7"] == ("in, octets 16–17", "ABCD", 16)
    assert where["S1c3"] == ("out, octet 1, bit 3", "DCBA", 1)
    assert where["S3c8"] == ("out, octet 2, bit 0", "DCBA", 2)
    channels = analyse(plant, BUILTIN).result("module.channels", plant.all(Module)[2].id)
    assert channels.in_place == "in, octets 2–17: input registers 30002–30009 by Rail in"


def test_the_way_of_a_remote_signal_leads_over_coupler_and_network() -> None:
    plant = signals_everywhere(carried(coupled("di-16")))
    path = analyse(plant, BUILTIN).result("signal.path", plant.all(Signal)[0].id)
    assert [hop.kind for hop in path.hops] == ["filter", "bus", "exchange", "task"]
    # 3 ms filter; the coupler's own 2 ms; 500 ms of the exchange with its transaction; HALL's slow task.
    assert [hop.period_ms for hop in path.hops] == [0, 2, 500, 100]


def test_exchanges_that_do_not_meet_the_rail() -> None:
    plant = carried(coupled("di-16", "ai-8"))
    exchange = plant.all(Exchange)[0]
    longer = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values={"settings.count": 10})).plant
    analysis = analyse(longer, BUILTIN)
    assert codes(analysis) == ["NET-212"]
    found = next(f for f in analysis.findings.values() if f.code == "NET-212")
    assert dict(found.values)["stretch"] == "input register 30010"
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    assert apply(longer, BUILTIN, remedy.edit).plant.all(Exchange)[0].settings["count"] == 9
    # Two registers short: channels 6 and 7 of the AI-8 reach nobody, the others do.
    shorter = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values={"settings.count": 7})).plant
    assert codes(analyse(signals_everywhere(shorter), BUILTIN)) == ["NET-210", "SIG-111", "SIG-111"]


def test_two_writers_meet_in_the_exchange() -> None:
    plant = signals_everywhere(carried(coupled("do-16")))
    again = edits.AddSignals(
        controller=plant.all(Controller)[0].id, pattern="Both", count=1, type="UINT",
        place=plant.all(Exchange)[0].id, key="r0",
    )  # fmt: skip
    assert set(codes(analyse(apply(plant, BUILTIN, again).plant, BUILTIN))) == {"SIG-106"}


@pytest.mark.parametrize(("on_loss", "kept"), [("off", False), ("hold", True)])
@pytest.mark.parametrize("waits", [700, 0])
def test_outputs_do_on_loss_what_their_modules_are_set_to(on_loss: str, kept: bool, waits: int) -> None:
    plant = signals_everywhere(carried(coupled("do-16", "ao-4")))
    station = plant.all(Station)[0].id
    steps = [
        edits.SetFields(ids=[m.id], values={f"settings.channels.{channel}.on_loss": on_loss})
        for m, channel in zip((m for m in plant.all(Module) if m.designation.startswith("-M")), ("ch3", "ch0"),
                              strict=True)
    ]  # fmt: skip
    steps.append(edits.SetFields(ids=[station], values={"settings.watchdog_ms": waits}))
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    ids = {s.name: s.id for s in plant.all(Signal)}
    bench = Bench(plant, BUILTIN)
    bench.signals.write(ids["S0c3"], 1)
    bench.signals.write(ids["S1c0"], 12)
    bench.run_until(2)
    rail = rails(bench)[0]
    first, second = (m.id for m in plant.all(Module) if m.designation.startswith("-M"))
    on = (1, pytest.approx(12, abs=0.001))
    assert (rail.take(f"{first}.ch3"), rail.take(f"{second}.ch0")) == on
    cable(bench, station, plugged=False)
    bench.run_until(2.1)
    # Not before its time is over, and for ever where it never is.
    assert (rail.take(f"{first}.ch3"), rail.take(f"{second}.ch0")) == on
    bench.run_until(4)
    let_go = (0, pytest.approx(4, abs=0.001))
    assert (rail.take(f"{first}.ch3"), rail.take(f"{second}.ch0")) == (on if kept or not waits else let_go)
    cable(bench, station, plugged=True)
    bench.run_until(8)
    assert (rail.take(f"{first}.ch3"), rail.take(f"{second}.ch0")) == on


def test_a_watchdog_shorter_than_the_writes_is_found_and_mended() -> None:
    plant = carried(coupled("do-16"))
    station = plant.all(Station)[0].id
    out = [x.id for x in plant.all(Exchange) if x.direction == "out"]
    assert codes(analyse(plant, BUILTIN)) == []
    short = apply(plant, BUILTIN, edits.SetFields(ids=[station], values={"settings.watchdog_ms": 400})).plant
    analysis = analyse(short, BUILTIN)
    assert codes(analysis) == ["NET-215"]
    found = next(f for f in analysis.findings.values() if f.code == "NET-215")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    assert codes(analyse(apply(short, BUILTIN, remedy.edit).plant, BUILTIN)) == []
    quick = apply(short, BUILTIN, edits.SetFields(ids=out, values={"settings.period_ms": 300})).plant
    assert codes(analyse(quick, BUILTIN)) == []


@settings(max_examples=12)
@given(st.lists(st.sampled_from(["di-16", "ai-8", "do-8n", "do-16", "ao-4"]), min_size=1, max_size=5))
def test_every_channel_is_alive_and_alone(modules: list[str]) -> None:
    """Whatever stands on the rail: what one terminal gets, one signal shows, and the other way round."""
    plant = signals_everywhere(carried(coupled(*modules)))
    assert codes(analyse(plant, BUILTIN)) == []
    bench = Bench(plant, BUILTIN)
    rail = rails(bench)[0]
    there = [module.id for module in plant.all(Module) if module.designation.startswith("-M")]
    wanted: dict[str, tuple[str, float]] = {}
    for n, signal in enumerate(plant.all(Signal)):
        value = float(n % 3 == 0) if signal.type == "BOOL" else 4 + 16 * (n + 1) / 100
        module, _, channel = signal.name[1:].partition("c")
        terminal = f"{there[int(module)]}.ch{channel}"
        wanted[signal.id] = (terminal, value)
        if rail.terminals[terminal].inward:
            rail.give(terminal, value)
        else:
            bench.signals.write(signal.id, value)
    bench.run_until(3)
    for signal_id, (terminal, value) in wanted.items():
        got, quality = bench.value(signal_id)
        assert quality == "good"
        seen = float(got or 0) if rail.terminals[terminal].inward else rail.take(terminal)
        assert abs(seen - value) < 0.002, (modules, terminal)
