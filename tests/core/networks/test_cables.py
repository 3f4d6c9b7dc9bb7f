"""Ethernet cables: what each carries, where multicast floods, what finds no socket, what a pulled one takes along."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.tree import NetworkTree, TreeNode
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import ClosingCable, Connection, Exchange, Network, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import cable
from tests.core.plants import hall

WIRE = 86 + 100
# Octets on the wire of 100 octets of data every 10 ms, and of an empty one back, Mbit/s.
ONE, BACK = WIRE * 8 * 100 / 1e6, (86 + 4) * 8 * 100 / 1e6


def laid(*cables: tuple[str, str, str]) -> Plant:
    """HALL with stations (name, what it hangs on, type); a device sends 100 octets every 10 ms by multicast."""
    plant = hall()
    plant = apply(
        plant, BUILTIN, edits.AddNetwork(fieldbus="ethernet-ip", port=plant.all(Port)[0].id, name="Cell")
    ).plant
    network = plant.all(Network)[0].id
    for name, upper, kind in cables:
        above = next((s.id for s in plant.all(Station) if s.name == upper), None)
        made = apply(plant, BUILTIN, edits.AddStation(
            network=network, name=name, upstream=above, type=f"tarnfell.{kind}" if kind else None, tag="$s",
            connection_tag=None if kind else "$k",
        ))  # fmt: skip
        plant = made.plant
        if not kind:
            for exchange in plant.children(Exchange, made.tags["$k"]):
                into = {"settings.octets": 100, "settings.transfer": "multicast"} if exchange.direction == "in" else {}
                values = {"settings.point": 100 + (exchange.direction == "in"), "settings.rpi_ms": 10, **into}
                plant = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=values)).plant
    return plant


def tree(plant: Plant) -> NetworkTree:
    told: NetworkTree = analyse(plant, BUILTIN).result("network.tree", plant.all(Network)[0].id)
    return told


def nodes(plant: Plant) -> dict[str, TreeNode]:
    return {plant.get(node.station, Station).name: node for node in tree(plant).nodes}


STAR = (("W", "", "es-5"), ("A", "W", ""), ("B", "W", ""), ("V", "W", "es-8s"), ("C", "V", ""), ("D", "V", ""))


@pytest.mark.parametrize(("stations", "offered"), [(4, "ES-5"), (5, "ES-8")])
def test_a_switch_put_between_has_a_socket_for_everybody(stations: int, offered: str) -> None:
    """Behind a switch that hangs on the port there is no multicast to ask for; one socket leads to the port."""
    plant = laid(("W", "", "es-5"), *((f"A{n}", "", "") for n in range(stations - 1)))
    quiet = [x.id for x in plant.all(Exchange) if x.direction == "in"]
    to_one = edits.SetFields(ids=quiet, values={"settings.transfer": "point-to-point"})
    analysis = analyse(apply(plant, BUILTIN, to_one).plant, BUILTIN)
    found = next(f for f in analysis.findings.values() if f.code == "NET-110")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert remedy.label == f"Put a switch {offered} between"


@pytest.mark.parametrize(("fieldbus", "kind", "taken"), [
    ("ethernet-ip", "tarnfell.es-5", True), ("modbus-tcp", "tarnfell.es-5", True),
    ("modbus-rtu", "tarnfell.es-5", False),
    ("ethernet-ip", "generic.modbus-tcp", False), ("ethernet-ip", "generic.ethernet-ip", True),
    ("ethernet-ip", "tarnfell.di-16", False),
])  # fmt: skip
def test_what_can_be_a_station_of_a_fieldbus(fieldbus: str, kind: str, taken: bool) -> None:
    bus = fieldbus_of(fieldbus)
    assert bus is not None
    assert bus.takes(BUILTIN.find(kind)) is taken


def test_every_cable_by_hand() -> None:
    """A and B on a plain switch, C and D behind one that snoops on it."""
    at = nodes(laid(*STAR))
    assert at["W"].in_mbit_s == pytest.approx(4 * ONE)
    assert at["V"].in_mbit_s == pytest.approx(2 * ONE)
    # The plain switch sends everybody's packets everywhere; the snooping one passes none of them on.
    assert {name: node.flood_packets_s for name, node in at.items()} == {
        "W": 0, "A": 300, "B": 300, "V": 200, "C": 0, "D": 0,
    }  # fmt: skip
    assert at["A"].out_mbit_s == pytest.approx(BACK + 3 * ONE)
    assert at["V"].out_mbit_s == pytest.approx(2 * BACK + 2 * ONE)
    assert [at[n].socket for n in ("W", "A", "B", "V", "C", "D")] == [1, 2, 3, 4, 2, 3]
    # With nothing said of cables, all are on one plain switch that is not in the plant.
    alone = nodes(laid(("A", "", ""), ("B", "", "")))
    assert alone["A"].flood_packets_s == 100


@given(st.data())
def test_nothing_is_lost_on_the_way(data: Any) -> None:
    """Whatever the tree: the port hears every station once, and a cable what hangs behind it."""
    names = ["W", "V", "U"]
    cables = [(n, data.draw(st.sampled_from(["", *names[:k]])), "es-16s") for k, n in enumerate(names)]
    cables += [(f"D{n}", data.draw(st.sampled_from(["", *names])), "") for n in range(data.draw(st.integers(1, 6)))]
    told = tree(laid(*cables)).nodes
    devices = [node for node in told if not node.switch]
    assert sum(n.in_mbit_s for n in told if not n.upstream) == pytest.approx(ONE * len(devices))
    for node in told:
        own = 0 if node.switch else ONE
        behind = sum(n.in_mbit_s for n in told if n.upstream == node.station)
        assert node.in_mbit_s == pytest.approx(own + behind)


WRONG: dict[str, tuple[tuple[str, str, str], ...]] = {
    "NET-110": (("W", "", "es-5"), ("A", "", ""), ("B", "W", "")),
    "NET-111": (("W", "", "es-5"), *((f"D{n}", "W", "") for n in range(5))),
    "NET-112": (("W", "", "es-16s"), *((f"D{n}", "W", "") for n in range(4))),
    "NET-113": (("A", "", ""),),
    "NET-114": (("W", "", "es-5"), ("V", "W", "es-5")),
    "NET-118": STAR,
    "NET-119": STAR,
    "NET-123": STAR,
}


def ring(plant: Plant, one: str, other: str) -> Plant:
    """The same with a cable that closes a ring; "" for the controller's port."""
    ids = {s.name: s.id for s in plant.all(Station)}
    edit = edits.AddClosingCable(network=plant.all(Network)[0].id, one=ids[one], other=ids[other] if other else None)
    return apply(plant, BUILTIN, edit).plant


@pytest.mark.parametrize(("one", "other", "passes"), [
    # Of C and D their switch alone is in the ring; from C to B it goes over both switches; from V to the port over W.
    ("C", "D", 3), ("C", "B", 4), ("V", "", 2), ("V", "W", 2),
])  # fmt: skip
def test_a_ring_is_what_lies_between_its_ends(one: str, other: str, passes: int) -> None:
    plant = ring(laid(*STAR), one, other)
    told = tree(plant).closings[0]
    assert told.ring == passes
    found = [f for f in analyse(plant, BUILTIN).findings.values() if f.code == "NET-123"]
    assert [f.places[0].id for f in found] == [told.cable]
    assert f"through {passes} stations" in dict(found[0].values)["problem"]
    # The sums on the cables are those of the tree.
    assert nodes(plant) == nodes(laid(*STAR))


def test_a_closing_cable_takes_sockets_as_others_do() -> None:
    """W has five: towards the controller, A, B, V; the ring takes the last. A second one finds none."""
    plant = ring(laid(*STAR), "W", "C")
    assert (tree(plant).closings[0].one_socket, tree(plant).closings[0].other_socket) == (5, 2)
    assert "NET-111" not in {f.code for f in analyse(plant, BUILTIN).findings.values()}
    assert "NET-111" in {f.code for f in analyse(ring(plant, "W", "D"), BUILTIN).findings.values()}
    cable = plant.all(ClosingCable)[0]
    for values, code in (({"one_socket": 2}, "NET-118"), ({"settings.length_m": 150}, "NET-113")):
        worse = apply(plugged(plant, A=2), BUILTIN, edits.SetFields(ids=[cable.id], values=values)).plant
        found = [f for f in analyse(worse, BUILTIN).findings.values() if f.code == code]
        assert [f.places[0].id for f in found] == [cable.id]
    with pytest.raises(Refusal, match="one device to another"):
        ring(plant, "A", "A")


def test_a_closing_cable_goes_with_what_it_is_plugged_into() -> None:
    plant = ring(laid(*STAR), "C", "D")
    ids = {s.name: s.id for s in plant.all(Station)}
    assert not apply(plant, BUILTIN, edits.Remove(ids=[ids["D"]])).plant.all(ClosingCable)
    other = apply(plant, BUILTIN, edits.AddNetwork(fieldbus="ethernet-ip", port=plant.all(Port)[1].id, tag="$n"))
    edit = edits.SetFields(ids=[ids["C"]], values={"network": other.tags["$n"]})
    assert not apply(other.plant, BUILTIN, edit).plant.all(ClosingCable)


def plugged(plant: Plant, field: str = "socket", **sockets: int | None) -> Plant:
    """The same with cables in these sockets."""
    for name, socket in sockets.items():
        station = next(s.id for s in plant.all(Station) if s.name == name)
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[station], values={field: socket})).plant
    return plant


def held(plant: Plant, name: str, **values: Any) -> Plant:
    """A station with what no edit would have set."""
    rows = [replace(r, **values) if isinstance(r, Station) and r.name == name else r for r in plant.rows()]
    return Plant.of(rows, plant.counter)


def test_a_cable_is_in_the_socket_that_is_said_and_the_others_take_what_is_left() -> None:
    """On W, A is in 4 and the others take 2 and 3; V comes in at its own 2, so that D takes its 1."""
    plant = plugged(plugged(laid(*STAR), A=4, C=5), "entry", V=2)
    at = nodes(plant)
    assert {name: at[name].socket for name in "WABVCD"} == {"W": 1, "A": 4, "B": 2, "V": 3, "C": 5, "D": 1}
    assert {f.code for f in analyse(plant, BUILTIN).findings.values()} & {"NET-118", "NET-119"} == set()
    # The one that leads to the controller is taken as well.
    found = [f for f in analyse(plugged(plant, C=2), BUILTIN).findings.values() if f.code == "NET-118"]
    assert [dict(f.values)["other"] for f in found] == ["the cable towards the controller"]
    with pytest.raises(Refusal, match="above 5"):
        plugged(plant, B=6)


def spoilt(code: str) -> Plant:
    """A plant with this finding; what hangs on itself only a file from outside can hold."""
    plant = laid(*WRONG[code])
    if code == "NET-112":
        fast = {"settings.octets": 1400, "settings.rpi_ms": 0.5}
        plant = apply(plant, BUILTIN, edits.SetFields(
            ids=[x.id for x in plant.all(Exchange) if x.direction == "in"], values=fast,
        )).plant  # fmt: skip
    elif code == "NET-113":
        plant = apply(plant, BUILTIN, edits.SetFields(
            ids=[plant.all(Station)[0].id], values={"settings.length_m": 101},
        )).plant  # fmt: skip
    elif code == "NET-118":
        plant = plugged(plant, A=3, B=3)
    elif code == "NET-123":
        plant = ring(plant, "C", "D")
    elif code == "NET-119":
        plant = held(plugged(plant, A=5), "A", socket=6)
    elif code == "NET-114":
        first, second = plant.all(Station)
        rows = [r for r in plant.rows() if r.id != first.id]
        plant = Plant.of([*rows, replace(first, upstream=second.id)], plant.counter)
    return plant


def test_a_cable_can_come_from_nothing_behind_it() -> None:
    plant = laid(*STAR)
    ids = {s.name: s.id for s in plant.all(Station)}
    for station, upper in (("W", "V"), ("W", "W"), ("V", ids["C"])):
        with pytest.raises(Refusal):
            apply(plant, BUILTIN, edits.SetFields(
                ids=[ids[station]], values={"upstream": ids.get(upper, upper) if upper != ids["C"] else "nonsense"},
            ))  # fmt: skip


def test_what_hung_on_a_switch_hangs_where_it_did_when_it_goes() -> None:
    plant = laid(*STAR)
    ids = {s.name: s.id for s in plant.all(Station)}
    port = plant.all(Port)[1].id
    other = apply(plant, BUILTIN, edits.AddNetwork(fieldbus="ethernet-ip", port=port, tag="$n"))
    moved = apply(other.plant, BUILTIN, edits.SetFields(ids=[ids["V"]], values={"network": other.tags["$n"]})).plant
    assert {s.name: s.upstream for s in moved.all(Station)} == {
        "W": None, "A": ids["W"], "B": ids["W"], "V": None, "C": ids["W"], "D": ids["W"],
    }  # fmt: skip
    removed = apply(plant, BUILTIN, edits.Remove(ids=[ids["V"]])).plant
    assert {s.name: s.upstream for s in removed.all(Station)}["C"] is None


def test_a_switchs_cable_takes_along_what_hangs_behind_it() -> None:
    plant = laid(*STAR)
    ids = {s.name: s.id for s in plant.all(Station)}
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    cable(bench, ids["V"], plugged=False)
    bench.run_until(2)
    states = {s["name"]: s["state"] for s in bench.stations.all()}
    assert states == {"W": "good", "A": "good", "B": "good", "V": "bad", "C": "bad", "D": "bad"}
    cable(bench, ids["V"], plugged=True)
    bench.run_until(5)
    assert {s["state"] for s in bench.stations.all()} == {"good"}


# ── time on the way


def linked(plant: Plant, name: str) -> tuple[Plant, str]:
    """A signal at the first octet that a station gives."""
    station = next(s for s in plant.all(Station) if s.name == name)
    exchange = next(
        x for k in plant.children(Connection, station.id) for x in plant.children(Exchange, k.id) if x.direction == "in"
    )
    run = edits.AddSignals(
        controller=next(iter(plant.tables["controllers"])), pattern=f"Of{name}", place=exchange.id, key="o0",
        type="UINT",
    )  # fmt: skip
    plant = apply(plant, BUILTIN, run).plant
    return plant, next(s.id for s in plant.all(Signal) if s.name == f"Of{name}")


def test_time_through_switches_by_hand() -> None:
    """C's packet of 186 octets passes V and W: two times 14.88 µs again, 5 µs each, 100 m at 5 ns, and at worst a full
    frame of 1538 octets, 123.04 µs, before it at each."""
    plant = laid(*STAR)
    ids = {s.name: s.id for s in plant.all(Station)}
    for name, metres in (("C", 60), ("V", 40)):
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[ids[name]], values={"settings.length_m": metres})).plant
    plant, read = linked(plant, "C")
    hops = analyse(plant, BUILTIN).result("signal.path", read).hops
    [cables] = [hop for hop in hops if hop.kind == "cables"]
    assert cables.transit_ms == pytest.approx(2 * 0.01488 + 2 * 0.005 + 100 * 5e-6)
    assert cables.period_ms == pytest.approx(2 * 0.12304)
    assert cables.worst_ms == pytest.approx(cables.transit_ms + cables.period_ms)
    # What hangs on the port itself passes nothing.
    alone, read = linked(laid(("A", "", "")), "A")
    assert [hop.kind for hop in analyse(alone, BUILTIN).result("signal.path", read).hops] == ["exchange", "task"]


@given(st.data())
def test_a_station_further_behind_is_never_sooner(data: Any) -> None:
    names = ["W", "V", "U", "T"]
    cables = [(n, data.draw(st.sampled_from(["", *names[:k]])), "es-16s") for k, n in enumerate(names)]
    plant = laid(*cables, ("D", data.draw(st.sampled_from(names)), ""))
    rows = {s.id: s for s in plant.all(Station)}
    for station in rows:
        metres = data.draw(st.integers(0, 100))
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[station], values={"settings.length_m": metres})).plant
    ways = analyse(plant, BUILTIN).result("network.ways", plant.all(Network)[0].id)
    for station in plant.all(Station):
        way, before = ways.get(station.id), ways.get(station.upstream or "")
        assert [*(before.passed if before else ()), station.upstream] == (
            [*way.passed] if way and way.passed else [station.upstream]
        )
        if way and before:
            assert way.delay_ms > before.delay_ms and way.waits_ms > before.waits_ms


def test_a_cable_is_as_long_as_its_kind_bears() -> None:
    plant = laid(("A", "", ""))
    station = plant.all(Station)[0].id
    for kind, longest in (("copper", 100), ("multimode", 2_000), ("single-mode", 10_000)):
        for metres, good in ((longest, True), (longest + 1, False)):
            values = {"settings.cable": kind, "settings.length_m": metres}
            analysis = analyse(apply(plant, BUILTIN, edits.SetFields(ids=[station], values=values)).plant, BUILTIN)
            found = [f for f in analysis.findings.values() if f.code == "NET-113"]
            assert (not found) == good, (kind, metres)
            remedy = remedy_of(analysis, found[0]) if found else None
            # Beyond what any cable bears nothing is offered.
            assert (remedy is None) == (good or kind == "single-mode")


def test_a_response_too_slow_over_packets_is_mended_by_their_interval() -> None:
    plant, read = linked(laid(*STAR), "C")
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[read], values={"asked_ms": 200})).plant
    slow = [x.id for x in plant.all(Exchange) if x.direction == "in"]
    plant = apply(plant, BUILTIN, edits.SetFields(ids=slow, values={"settings.rpi_ms": 150})).plant
    analysis = analyse(plant, BUILTIN)
    path = analysis.result("signal.path", read)
    assert {hop.field for hop in path.hops if hop.kind == "exchange"} == {"settings.rpi_ms"}
    found = next(f for f in analysis.findings.values() if f.code == "SIG-108")
    remedy = remedy_of(analysis, found)
    assert remedy is not None and remedy.edit is not None
    mended = analyse(apply(plant, BUILTIN, remedy.edit).plant, BUILTIN)
    assert found.key not in mended.findings
