"""Controllers that tell one another: both ends in both images, either fieldbus, three alive on one bench."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import EXCHANGED
from highmoor.core.networks.claims import clashes
from highmoor.core.networks.fieldbus import Claim
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.modbus.claims import claims as modbus_claims
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from highmoor.core.signals.path import SignalPath
from tests.core.benches import cable
from tests.core.plants import built

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


def house(*transfers: edits.AddTransfer) -> tuple[Plant, list[str]]:
    """A, B and C with these transfers, and the exchange that carries each."""
    plant, made = built(CONTROLLERS), []
    ids = {c.name: c.id for c in plant.all(Controller)}
    for told_ in transfers:
        named = {"source": ids[told_.source], "destination": ids[told_.destination], "tag": "$x"}
        done = apply(plant, BUILTIN, told_.model_copy(update=named))
        plant = done.plant
        made.append(done.tags["$x"])
    return plant, made


_TRANSFERS = st.builds(
    lambda pair, bus, asks, octets: edits.AddTransfer(
        source=pair[0], destination=pair[1], fieldbus=bus, asks=asks, octets=octets, interval_ms=50
    ),
    st.permutations("ABC"), st.sampled_from(["modbus-tcp", "ethernet-ip"]),
    st.sampled_from(["source", "destination"]), st.integers(2, 60),
)  # fmt: skip


@settings(max_examples=25)
@given(st.lists(_TRANSFERS, min_size=1, max_size=4))
def test_transfers_made_as_one_edit_carry_what_is_written_and_are_in_nobodys_way(told: list[edits.AddTransfer]) -> None:
    plant, made = house(*told)
    for n, (transfer, exchange) in enumerate(zip(told, made, strict=True)):
        modbus, reads = transfer.fieldbus == "modbus-tcp", transfer.asks == "destination"
        key = "r0" if modbus else "o0"
        for controller, name, far in (
            (transfer.source, f"Given{n}", reads), (transfer.destination, f"Taken{n}", not reads),
        ):  # fmt: skip
            owner = next(c.id for c in plant.all(Controller) if c.name == controller)
            run = edits.AddSignals(
                controller=owner, pattern=name, place=exchange, key=f"f{key}" if far else key, type="UINT"
            )
            plant = apply(plant, BUILTIN, run).plant
    analysis = analyse(plant, BUILTIN)
    assert {f.code for f in analysis.findings.values() if analysis.checks.by_code[f.code].severity == "error"} == set()
    bench = Bench(plant, BUILTIN)
    bench.run_until(0.3)
    ids = {s.name: s.id for s in plant.all(Signal)}
    for n in range(len(told)):
        bench.signals.write(ids[f"Given{n}"], 1000 + n)
    bench.run_until(1)
    assert [bench.value(ids[f"Taken{n}"]) for n in range(len(told))] == [(1000 + n, "good") for n in range(len(told))]


def test_one_source_goes_to_several_partners_and_each_can_hold_it() -> None:
    """A tells B two octets and C four of the same signal: 300 in both, and what B could not hold is refused."""
    ways = [edits.AddTransfer(source="A", destination=to, asks="source", octets=8, interval_ms=50) for to in "BC"]
    plant, (to_b, to_c) = house(*ways)
    ids = {c.name: c.id for c in plant.all(Controller)}

    def done(*steps: Any) -> Plant:
        return apply(plant, BUILTIN, edits.Batch(edits=list(steps))).plant

    plant = done(
        edits.AddSignals(controller=ids["A"], pattern="Batch", type="DINT", place=to_b, key="r0", tag="$s",
                         scaling={"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100, "raw_type": "UINT"}),
        edits.LinkSignal(signal="$s", place=to_c, key="r1", also=True),
        edits.AddSignals(controller=ids["B"], pattern="AtB", type="UINT", place=to_b, key="fr0"),
        edits.AddSignals(controller=ids["C"], pattern="AtC", type="DINT", place=to_c, key="fr1"),
    )  # fmt: skip
    batch = plant.all(Signal)[0].id
    links = [link for link in plant.all(Link) if link.signal == batch]
    assert [(link.place, link.key, link.access) for link in links] == [(to_b, "r0", "writes"), (to_c, "r1", "writes")]
    bench = Bench(plant, BUILTIN)
    named = {s.name: s.id for s in plant.all(Signal)}
    bench.signals.write(batch, 300)
    bench.run_until(1)
    assert [bench.value(named[name])[0] for name in ("Batch", "AtB", "AtC")] == [300, 3000, 300]
    with pytest.raises(Refusal, match="goes from 0 to 6553"):
        bench.signals.write(batch, 6554)
    bench.signals.force(batch, 40)
    bench.run_until(2)
    assert [bench.value(named[name])[0] for name in ("AtB", "AtC")] == [400, 40]
    # One of the links goes elsewhere, the other stays; then all give way to one.
    plant = done(edits.LinkSignal(signal=batch, place=to_c, key="r3", instead=links[1].id))
    assert {(link.place, link.key) for link in plant.all(Link) if link.signal == batch} == {(to_b, "r0"), (to_c, "r3")}
    plant = done(edits.LinkSignal(signal=batch, place=to_c, key="r0"))
    (left,) = [link for link in plant.all(Link) if link.signal == batch]
    assert (left.place, left.key, left.scaling) == (to_c, "r0", links[0].scaling)


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"key": "r0", "also": True}, "linked there already"),
        ({"key": "r1", "also": True}, "has its value from .* already"),
        ({"key": "r1", "instead": "l999"}, "no such link"),
    ],
)
def test_a_signal_has_one_source(edit: dict[str, Any], says: str) -> None:
    plant, (made,) = house(edits.AddTransfer(source="B", destination="A", octets=8, interval_ms=50))
    owner = next(c.id for c in plant.all(Controller) if c.name == "A")
    run = edits.AddSignals(controller=owner, pattern="Told", type="INT", place=made, key="r0")
    plant = apply(plant, BUILTIN, run).plant
    with pytest.raises(Refusal, match=says):
        apply(plant, BUILTIN, edits.LinkSignal(signal=plant.all(Signal)[0].id, place=made, **edit))


def test_no_address_is_given_twice_on_one_wire() -> None:
    """Behind the asking controller and its partners, whichever network of the port a station is on."""
    plant = built(CONTROLLERS)
    port = plant.children(Port, plant.all(Controller)[0].id)[0].id
    steps = [
        step
        for bus in ("modbus-tcp", "ethernet-ip")
        for step in (edits.AddNetwork(fieldbus=bus, port=port, tag="$n"), edits.AddStation(network="$n"))
    ]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    assert [station.address for station in plant.all(Station)] == ["10.0.0.4", "10.0.0.5"]


def test_what_no_transfer_can_be_is_refused_by_its_field() -> None:
    wrong = {
        "destination": {"destination": "A"},
        "fieldbus": {"fieldbus": "modbus-rtu"},
        "octets": {"octets": 251},
        "place": {"fieldbus": "ethernet-ip", "place": "0"},
    }
    for field, values in wrong.items():
        with pytest.raises(Refusal) as refused:
            house(edits.AddTransfer(source="A", destination="B").model_copy(update=values))
        assert refused.value.field == field
    with pytest.raises(Refusal):
        house(edits.AddTransfer(source="A", destination="B", place="99999999"))
    # What fits exactly is taken: 125 registers read, 123 written, one frame of EtherNet/IP.
    for values in ({"octets": 250}, {"octets": 246, "asks": "source"}, {"fieldbus": "ethernet-ip", "octets": 1452}):
        house(edits.AddTransfer(source="A", destination="B").model_copy(update=values))


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
    bench.signals.write(ids["Given"], value)
    bench.run_until(1.5)
    assert bench.value(ids["Taken"])[0] == value
    assert {s["state"] for s in bench.stations.all()} == {"good"}


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
    bench.signals.write(signals[ids["B"], "ForA"], 7)
    bench.signals.write(signals[ids["B"], "ForC"], 9)
    bench.run_until(1)
    assert [bench.value(signals[ids[c], "Taken"]) for c in "AC"] == [(7, "good"), (9, "good")]
    station = next(s for s in plant.all(Station) if s.network == plant.all(Network)[0].id)
    cable(bench, station.id, plugged=False)
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


def both_ask(bus: str, first: dict[str, Any], second: dict[str, Any], *, far: bool = True) -> Plant:
    """A and C both reach B over one wire, or with `far` False a device that has B's address."""
    plant = told(bus, "out")
    ids = {c.name: c.id for c in plant.all(Controller)}
    one = plant.all(Station)[0]
    if not far:
        plant = apply(
            plant, BUILTIN, edits.SetFields(ids=[one.id], values={"partner": None, "address": "10.0.0.50"})
        ).plant
    place = {"partner": ids["B"]} if far else {"address": "10.0.0.50"}
    port = plant.children(Port, ids["C"])[0].id
    plant = apply(plant, BUILTIN, edits.Batch(edits=[
        edits.AddNetwork(fieldbus=bus, port=port, name="Second", tag="$n"),
        edits.AddStation(network="$n", connection_tag="$k", tag="$s", **place),
        *([edits.AddExchange(connection="$k", name="Other", settings={"function": 16, "count": 4})]
          if bus == "modbus-tcp" else []),
    ])).plant  # fmt: skip
    for network, values in (("House", first), ("Second", second)):
        station = next(s for s in plant.all(Station) if plant.get(s.network, Network).name == network)
        for connection in plant.children(Connection, station.id):
            for exchange in plant.children(Exchange, connection.id):
                if exchange.direction == "out":
                    named = {f"settings.{key}": value for key, value in values.items()}
                    plant = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=named)).plant
    return plant


@pytest.mark.parametrize("far", [True, False])
@pytest.mark.parametrize(
    ("bus", "key", "first", "clear", "words"),
    [("modbus-tcp", "address", 40, 44, "registers 42–43"), ("ethernet-ip", "point", 150, 151, "point O→T 150")],
)
def test_two_controllers_that_write_the_same(bus: str, key: str, first: int, clear: int, words: str, far: bool) -> None:
    code = "NET-122" if far else "NET-117"
    second = 42 if bus == "modbus-tcp" else first
    plant = both_ask(bus, {key: f"@{first}" if key == "address" else first},
                     {key: f"@{second}" if key == "address" else second}, far=far)  # fmt: skip
    found = [f for f in analyse(plant, BUILTIN).findings.values() if f.code == code]
    assert [dict(f.values)["words"] for f in found] == [words]
    remedy = remedy_of(analyse(plant, BUILTIN), found[0])
    assert (remedy is not None) == far
    if remedy and remedy.edit:
        assert found[0].key not in analyse(apply(plant, BUILTIN, remedy.edit).plant, BUILTIN).findings
    apart = {key: f"@{clear}" if key == "address" else clear}
    plant = both_ask(bus, {key: f"@{first}" if key == "address" else first}, apart, far=far)
    assert code not in {f.code for f in analyse(plant, BUILTIN).findings.values()}


def test_a_second_owner_is_refused_on_the_bench_as_it_is_found() -> None:
    """One drive, two scanners: the one that comes second is told so, by the device itself."""
    plant = both_ask("ethernet-ip", {"point": 150}, {"point": 150}, far=False)
    into = [x.id for x in plant.all(Exchange) if x.direction == "in"]
    plant = apply(plant, BUILTIN, edits.SetFields(ids=into, values={"settings.point": 101, "settings.octets": 4})).plant
    outs = [x.id for x in plant.all(Exchange) if x.direction == "out"]
    plant = apply(plant, BUILTIN, edits.SetFields(ids=outs, values={"settings.octets": 8})).plant
    assert "NET-117" in {f.code for f in analyse(plant, BUILTIN).findings.values()}
    bench = Bench(plant, BUILTIN)
    bench.run_until(0.5)
    texts = {x["text"] for s in bench.stations.all() for x in s["exchanges"]}
    assert any(text.startswith("refused, 01/0106: ") for text in texts), texts
    # Two that own it together, one to take over from the other, are both taken.
    both = [k.id for k in plant.all(Connection)]
    shared = {"settings.application": "redundant owner"}
    together = apply(plant, BUILTIN, edits.SetFields(ids=both, values=shared)).plant
    assert "NET-117" not in {f.code for f in analyse(together, BUILTIN).findings.values()}
    bench = Bench(together, BUILTIN)
    bench.run_until(0.5)
    assert {s["state"] for s in bench.stations.all()} == {"good"}


def test_two_devices_of_one_address_over_two_networks() -> None:
    plant = both_ask("modbus-tcp", {"address": "@4"}, {"address": "@20"}, far=False)
    stations = plant.all(Station)
    rows = {row.id: row for row in plant.rows()}
    for station, kind in zip(stations, ("ashgill.one", "ashgill.other"), strict=True):
        rows[station.id] = replace(station, type=kind)
    other = Plant.of(list(rows.values()), plant.counter)
    assert "NET-116" in {f.code for f in analyse(other, BUILTIN).findings.values()}
    # In another subnet it is another wire, and the same address is nobody's business.
    away = next(p for p in plant.all(Port) if p.address == "10.0.0.3")
    rows[away.id] = replace(away, address="10.0.1.3")
    apart = analyse(Plant.of(list(rows.values()), plant.counter), BUILTIN)
    assert {f.code for f in apart.findings.values()} & {"NET-116", "NET-117"} == set()


@pytest.mark.parametrize("read", [20, 10])
def test_a_partner_mirrors_a_watch_without_a_program(read: int) -> None:
    plant = told("modbus-tcp", "in")
    connection = plant.all(Exchange)[0].connection
    watch = edits.AddWatch(connection=connection, watch="beat", write="@10", read=f"@{read}", period_ms=100, tag="$w")
    plant = apply(plant, BUILTIN, watch).plant
    assert "NET-122" not in {f.code for f in analyse(plant, BUILTIN).findings.values()}
    bench = Bench(plant, BUILTIN)
    bench.run_until(2)
    texts = [x["text"] for s in bench.stations.all() for x in s["exchanges"]]
    assert any(text.startswith("alive, at ") for text in texts), texts
    station = plant.all(Station)[0]
    cable(bench, station.id, plugged=False)
    bench.run_until(6)
    assert not any("alive, at" in x["text"] for s in bench.stations.all() for x in s["exchanges"])


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
    bench.signals.write(ids["Written"], 4711)
    if answers == "controller":
        bench.signals.write(ids["Given"], 815)
    bench.run_until(1)
    if answers == "controller":
        assert (bench.value(ids["Taken"])[0], bench.value(ids["Heard"])[0]) == (4711, 815)
    else:
        assert bench.value(ids["Heard"])[0] == 4711


_CLAIMS = st.builds(
    lambda space, first, size, exchange, writes, together: Claim(
        space, first, first + size, f"x{exchange}", "settings.address", writes, together
    ),
    st.sampled_from(["registers", "coils"]), st.integers(0, 12), st.integers(1, 5), st.integers(0, 4), st.booleans(),
    st.booleans(),
)  # fmt: skip


@given(st.lists(_CLAIMS, max_size=8))
def test_clashes_are_those_that_counting_each_place_finds(claims: list[Claim]) -> None:
    """Against the plainest of all ways: every pair, every place of both."""
    expected = []
    for n, later in enumerate(claims):
        for earlier in claims[:n]:
            both = set(range(later.first, later.end)) & set(range(earlier.first, earlier.end))
            meant = later.exchange == earlier.exchange or (later.together and earlier.together)
            if both and later.space == earlier.space and (later.writes or earlier.writes) and not meant:
                last = f"–{max(both)}" if len(both) > 1 else ""
                expected.append((later, earlier, f"{later.space} {min(both)}{last}"))
    assert [(c.later, c.earlier, c.words) for c in clashes(claims)] == expected


def test_every_function_claims_what_it_touches() -> None:
    """Function 23 reads one stretch and writes another, 22 one register, 15 coils."""
    plant = told("modbus-tcp", "in")
    block = plant.all(Exchange)[0]
    line = plant_lines(plant, BUILTIN, plant.all(Station)[0])[0]
    for settings_, expected in (
        ({"function": 3, "address": 4, "count": 3}, [("registers", 4, 7, False)]),
        ({"function": 4, "address": 4, "count": 1}, [("input registers", 4, 5, False)]),
        ({"function": 2, "address": 9, "count": 8}, [("discrete inputs", 9, 17, False)]),
        ({"function": 15, "address": 0, "count": 10}, [("coils", 0, 10, True)]),
        ({"function": 22, "address": 7}, [("registers", 7, 8, True)]),
        ({"function": 23, "address": 1, "count": 2, "write_address": 9, "write_count": 3},
         [("registers", 1, 3, False), ("registers", 9, 12, True)]),
    ):  # fmt: skip
        way = EXCHANGED[settings_["function"]].direction
        one = replace(line, exchanges=(replace(block, direction=way, settings=settings_),))
        assert [(c.space, c.first, c.end, c.writes) for c in modbus_claims(one)] == expected, settings_
