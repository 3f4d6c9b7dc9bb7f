"""Controllers that tell one another: both ends in both images, either fieldbus, three alive on one bench."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from highmoor.core.signals.path import SignalPath

from .plants import built

CONTROLLERS = edits.Batch(
    edits=[
        edits.AddController(type="tarnfell.tf-42", name="A", address="10.0.0.1"),
        edits.AddController(type="tarnfell.tf-21", name="B", address="10.0.0.2"),
        edits.AddController(type="tarnfell.tf-21", name="C", address="10.0.0.3"),
    ]
)


def told(bus: str, way: str, octets: int = 8) -> Plant:
    """A asks B for octets of data, or tells it, by either fieldbus."""
    plant = built(CONTROLLERS)
    ids = {c.name: c.id for c in plant.all(Controller)}
    port = plant.children(Port, ids["A"])[0].id
    steps: list[Any] = [
        edits.AddNetwork(fieldbus=bus, port=port, name="House", tag="$n"),
        edits.AddStation(network="$n", partner=ids["B"], tag="$s", connection_tag="$k"),
    ]
    if bus == "modbus-tcp":
        asked = {"function": 3 if way == "in" else 16, "address": 40, "count": octets // 2, "period_ms": 50}
        steps.append(edits.AddExchange(connection="$k", name="Block", settings=asked))
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    if bus == "ethernet-ip":
        for exchange in plant.all(Exchange):
            size = octets if exchange.direction == way else 2
            values = {"settings.point": 100 + (exchange.direction == "in"), "settings.octets": size}
            plant = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=values)).plant
    return plant


def add(plant: Plant, controller: str, name: str, key: str, way: str, kind: str) -> Plant:
    place = next(x.id for x in plant.all(Exchange) if x.direction == way)
    owner = next(c.id for c in plant.all(Controller) if c.name == controller)
    return apply(
        plant, BUILTIN, edits.AddSignals(controller=owner, pattern=name, place=place, key=key, type=kind)
    ).plant


BUSES = st.sampled_from(["modbus-tcp", "ethernet-ip"])
KINDS = {"UINT": 65535, "UDINT": 2**32 - 1, "BOOL": 1}


@settings(max_examples=40)
@given(BUSES, st.sampled_from(["in", "out"]), st.sampled_from(sorted(KINDS)), st.integers(0, 2), st.data())
def test_what_one_end_writes_the_other_reads(bus: str, way: str, kind: str, at: int, data: Any) -> None:
    """Any value, either fieldbus, both directions: the same at both ends, and each end in its own image."""
    place = f"r{at}" if bus == "modbus-tcp" else f"o{2 * at}"
    key = f"{place}.3" if kind == "BOOL" else place
    plant = told(bus, way)
    giver, taker = ("A", "B") if way == "out" else ("B", "A")
    far = {"A": "", "B": "f"}
    plant = add(plant, giver, "Given", far[giver] + key, way, kind)
    plant = add(plant, taker, "Taken", far[taker] + key, way, kind)
    analysis = analyse(plant, BUILTIN)
    assert {f.code for f in analysis.findings.values()} & {
        "SIG-104",
        "SIG-105",
        "SIG-106",
        "SIG-107",
        "SIG-112",
    } == set()
    ids = {s.name: s.id for s in plant.all(Signal)}
    owners = {s.name: s.controller for s in plant.all(Signal)}
    for name, area in (("Given", "out"), ("Taken", "in")):
        path: SignalPath = analysis.result("signal.path", ids[name])
        assert (path.links[0].area, path.links[0].controller) == (area, owners[name])
    bench = Bench(plant, BUILTIN)
    bench.run_until(0.5)
    value = data.draw(st.integers(0, KINDS[kind]))
    bench.write(ids["Given"], value)
    bench.run_until(1.5)
    assert bench.value(ids["Taken"])[0] == value
    assert {s["state"] for s in bench.stations()} == {"good"}


def test_two_askers_do_not_mix_and_a_pulled_cable_is_seen() -> None:
    """A and C both ask B, each for registers of its own."""
    plant = told("modbus-tcp", "in")
    ids = {c.name: c.id for c in plant.all(Controller)}
    port = plant.children(Port, ids["C"])[0].id
    asked = {"function": 3, "address": 60, "count": 2, "period_ms": 50, "timeout_ms": 200}
    plant = apply(plant, BUILTIN, edits.Batch(edits=[
        edits.AddNetwork(fieldbus="modbus-tcp", port=port, name="Second", tag="$n"),
        edits.AddStation(network="$n", partner=ids["B"], connection_tag="$k"),
        edits.AddExchange(connection="$k", name="Other", settings=asked),
    ])).plant  # fmt: skip
    for controller, exchange in (("A", "Block"), ("C", "Other")):
        place = next(x.id for x in plant.all(Exchange) if x.name == exchange)
        for owner, key, name in (("B", "fr0", f"For{controller}"), (controller, "r0", "Taken")):
            run = edits.AddSignals(controller=ids[owner], pattern=name, place=place, key=key, type="UINT")
            plant = apply(plant, BUILTIN, run).plant
    signals = {(s.controller, s.name): s.id for s in plant.all(Signal)}
    bench = Bench(plant, BUILTIN)
    bench.write(signals[ids["B"], "ForA"], 7)
    bench.write(signals[ids["B"], "ForC"], 9)
    bench.run_until(1)
    assert [bench.value(signals[ids[c], "Taken"]) for c in "AC"] == [(7, "good"), (9, "good")]
    station = next(s for s in plant.all(Station) if s.network == plant.all(Network)[0].id)
    bench.cable(station.id, plugged=False)
    bench.run_until(3)
    assert bench.value(signals[ids["A"], "Taken"])[1] == "old"


def overlapping(first: int, second: int) -> Plant:
    """A tells B four registers from one address on, and reads four from another on."""
    plant = told("modbus-tcp", "out")
    block = plant.all(Exchange)[0]
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[block.id], values={"settings.address": f"@{first}"})).plant
    settings_ = {"function": 3, "address": second, "count": 4}
    return apply(plant, BUILTIN, edits.AddExchange(connection=block.connection, name="Read", settings=settings_)).plant


@pytest.mark.parametrize(
    ("code", "spoil"),
    [
        ("NET-120", lambda p: apply(p, BUILTIN, edits.SetFields(
            ids=[p.all(Station)[0].id], values={"address": "10.0.0.9"})).plant),
        ("NET-121", lambda p: apply(p, BUILTIN, edits.SetFields(
            ids=[p.all(Network)[0].id], values={"port": p.children(Port, p.all(Controller)[1].id)[0].id})).plant),
        ("NET-122", lambda _: overlapping(40, 43)),
    ],
)  # fmt: skip
def test_each_check_of_partners(code: str, spoil: Any) -> None:
    plant = spoil(told("modbus-tcp", "in"))
    analysis = analyse(plant, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == code)
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.edit is not None
    assert found.key not in analyse(apply(plant, BUILTIN, remedy.edit).plant, BUILTIN).findings


def test_registers_side_by_side_are_no_conflict() -> None:
    assert "NET-122" not in {f.code for f in analyse(overlapping(40, 44), BUILTIN).findings.values()}


def test_partners_that_cannot_be_are_refused() -> None:
    plant = told("modbus-tcp", "in")
    network, own = plant.all(Network)[0], plant.all(Controller)[0]
    with pytest.raises(Refusal):
        apply(plant, BUILTIN, edits.AddStation(network=network.id, partner=own.id))
    serial = apply(plant, BUILTIN, edits.AddNetwork(fieldbus="modbus-rtu", tag="$n"))
    with pytest.raises(Refusal):
        apply(serial.plant, BUILTIN, edits.AddStation(network=serial.tags["$n"], partner=own.id))


@pytest.mark.parametrize("answers", ["device", "controller"])
def test_one_exchange_writes_and_reads(answers: str) -> None:
    """Function 23: what goes back has places of its own, at both ends."""
    plant = told("modbus-tcp", "in")
    station, block = plant.all(Station)[0], plant.all(Exchange)[0]
    both = {"settings.function": 23, "settings.address": 40, "settings.write_address": 60, "settings.write_count": 3}
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[block.id], values=both)).plant
    if answers == "device":
        away = {"partner": None, "address": "10.0.0.77"}
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[station.id], values=away)).plant
        # A device that holds what is written: what is written is read back.
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[block.id], values={"settings.address": 60})).plant
    plant = add(plant, "A", "Written", "wr1", "in", "UINT")
    plant = add(plant, "A", "Heard", "r1", "in", "UINT")
    if answers == "controller":
        plant = add(plant, "B", "Taken", "fwr1", "in", "UINT")
        plant = add(plant, "B", "Given", "fr1", "in", "UINT")
    analysis = analyse(plant, BUILTIN)
    assert {f.code for f in analysis.findings.values()} & {
        "SIG-104",
        "SIG-107",
        "SIG-111",
        "SIG-112",
        "NET-122",
    } == set()
    ids = {s.name: s.id for s in plant.all(Signal)}
    bench = Bench(plant, BUILTIN)
    bench.write(ids["Written"], 4711)
    if answers == "controller":
        bench.write(ids["Given"], 815)
    bench.run_until(1)
    if answers == "controller":
        assert (bench.value(ids["Taken"])[0], bench.value(ids["Heard"])[0]) == (4711, 815)
    else:
        assert bench.value(ids["Heard"])[0] == 4711
