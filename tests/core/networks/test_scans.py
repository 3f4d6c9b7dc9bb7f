"""Scans: what is told of them before holds, what they find is what stands there, and what differs can be put right."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pymodbus.pdu.mei_message import ReadDeviceInformationResponse

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import device_of
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethernet_ip.scan import identity_in
from highmoor.core.networks.modbus.identification import REQUEST, Identification, identification_in
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.scanning import Found, FoundModule
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, BuiltModule, Module, Network, PinnedType, Port, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.alignment import aligned
from highmoor.core.project.apply import apply
from highmoor.core.project.differences import Difference, Reachable, differences
from tests.core.benches import devices, done
from tests.core.networks.ethernet_ip.test_ethernet_ip import KEYS, LIBRARY, cell
from tests.core.plants import hall


def scanned(bench: Bench, seconds: float = 300, **wanted: Any) -> list[Found]:
    """What a scan of the first network finds, and that it took no longer than was told."""
    network = bench.plant.all(Network)[0].id
    bench.scan(network, "ada", wanted)
    begun = bench.seconds
    while bench.scans.shown[network].state == "running" and bench.seconds < begun + seconds:
        bench.run_until(bench.seconds + 0.25)
    scan = bench.scans.shown[network]
    assert scan.state == "done"
    assert scan.ended_s is not None
    assert scan.ended_s - scan.begun_s <= scan.takes_s
    assert scan.scanning is not None
    assert scan.scanning.done == scan.scanning.asked
    return [replace(one, node=bench.devices.node_of(network, one)) for one in scan.found]


def told(plant: Plant, found: list[Found], catalogue: Any = BUILTIN) -> list[Difference]:
    return differences(analyse(plant, catalogue), plant.all(Network)[0].id, found)


# ── what a device says of itself


@given(st.tuples(*[st.text(st.characters(codec="ascii", exclude_categories=("Cc",)), max_size=64)] * 3))
def test_an_identification_is_read_as_an_independent_library_reads_it(texts: tuple[str, str, str]) -> None:
    unit = Identification(*texts).answer(REQUEST)
    theirs = ReadDeviceInformationResponse()
    theirs.decode(unit[1:])
    assert [theirs.information[n].decode() for n in range(3)] == list(texts)
    assert identification_in(unit) == Identification(*texts)


@given(st.binary(max_size=40))
def test_octets_that_are_no_identification_are_refused(octets: bytes) -> None:
    for unit in (octets, REQUEST[:2] + octets):
        try:
            identification_in(unit)
        except ModbusError:
            continue
    assert identity_in(octets, "10.0.0.1", "") is None


# ── found is what stands there

SETTINGS = ({}, {"facts.baud": 9600}, {"facts.baud": 115200}, {"facts.parity": "none", "facts.stop_bits": 2})


@settings(max_examples=25, deadline=None)
@given(st.data())
def test_a_sweep_finds_whoever_is_on_the_line_and_at_what_they_are_set(data: st.DataObject) -> None:
    numbers = sorted(data.draw(st.sets(st.integers(1, 12), min_size=1, max_size=4)))
    mode = data.draw(st.sampled_from(["rtu", "ascii"]))
    plant = hall("ser-2")
    port = next(p for p in plant.all(Port) if p.key == "1")
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-rtu", port=port.id, tag="$n"),
        edits.SetFields(ids=["$n"], values={"settings.mode": mode}),
    ]
    # Whoever answers after the time-out damages what others say to the scan; here everybody is in time.
    for n in numbers:
        settings_ = {"function": 3, "count": 4, "period_ms": data.draw(st.integers(20, 500)), "timeout_ms": 100}
        steps += [
            edits.AddStation(network="$n", address=str(n), name=f"S{n}", connection_tag=f"$k{n}"),
            edits.AddExchange(connection=f"$k{n}", settings=settings_),
        ]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    set_to: dict[int, dict[str, Any]] = {}
    absent = data.draw(st.sets(st.sampled_from(numbers)))
    for station in plant.all(Station):
        n = int(station.address)
        values = {**data.draw(st.sampled_from(SETTINGS)), "facts.reply_ms": data.draw(st.integers(0, 60))}
        set_to[n] = {k.removeprefix("facts."): v for k, v in values.items() if k != "facts.reply_ms"}
        edit = edits.SetBuilt(ids=[station.id], values={**values, "there": n not in absent})
        plant = apply(plant, BUILTIN, edit).plant
    bench = Bench(plant, BUILTIN)
    bench.run_until(1)
    found = scanned(bench, last=15)
    line = {"parity": "even", "stop_bits": 1, "baud": 19200}
    wanted = {str(n): {k: v for k, v in own.items() if v != line[k]} for n, own in set_to.items() if n not in absent}
    assert {f.address: dict(f.set_to) for f in found} == wanted
    kinds = {d.address: d.kind for d in told(plant, found)}
    assert kinds == {
        str(n): "silent" if n in absent else "other" if wanted[str(n)] else "agrees" for n in numbers
    }  # fmt: skip


def test_an_answer_that_another_spoke_into_is_asked_for_again() -> None:
    """S1 answers the controller after its time-out, into what S2 and S3 say to the scan."""
    plant = hall("ser-2")
    port = next(p for p in plant.all(Port) if p.key == "1")
    asked = {"function": 3, "count": 4, "period_ms": 200, "timeout_ms": 25, "retries": 0}
    steps: list[Any] = [edits.AddNetwork(fieldbus="modbus-rtu", port=port.id, tag="$n")]
    for n in (1, 2, 3):
        steps += [edits.AddStation(network="$n", address=str(n), tag=f"$s{n}", connection_tag=f"$k{n}")]
    steps += [edits.AddExchange(connection="$k1", settings=asked)]
    plant = apply(plant, BUILTIN, edits.Batch(edits=steps)).plant
    for reply_ms in range(26, 90, 4):
        ids = [s.id for s in plant.all(Station)]
        late = edits.SetBuilt(ids=ids[:1], values={"facts.reply_ms": reply_ms})
        prompt = edits.SetBuilt(ids=ids[1:], values={"facts.reply_ms": 5})
        bench = Bench(plant, BUILTIN, apply(apply(plant, BUILTIN, late).plant, BUILTIN, prompt).plant)
        bench.run_until(1)
        found = {f.address: f.trouble for f in scanned(bench, last=6, others=False)}
        assert found == {"1": "", "2": "", "3": ""}, reply_ms


def test_the_controller_goes_on_asking_while_it_scans() -> None:
    plant = hall("ser-2")
    port = next(p for p in plant.all(Port) if p.key == "1")
    steps = edits.Batch(edits=[
        edits.AddNetwork(fieldbus="modbus-rtu", port=port.id, tag="$n"),
        edits.AddStation(network="$n", address="1", connection_tag="$k"),
        edits.AddExchange(connection="$k", settings={"function": 3, "count": 4, "period_ms": 500}),
    ])  # fmt: skip
    bench = Bench(apply(plant, BUILTIN, steps).plant, BUILTIN)
    bench.run_until(2)
    live = next(iter(bench.exchanges.values()))
    before = live.transactions
    bench.scan(bench.plant.all(Network)[0].id, "ada", {})
    bench.run_until(12)
    # The last one may be waiting its turn.
    assert live.transactions - before in (19, 20)
    assert live.state == "good"


MODULES = ["di-16", "ai-8", "do-8n", "do-16", "ao-4"]


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.sampled_from(MODULES), max_size=6), st.lists(st.sampled_from(MODULES), max_size=6), st.booleans()
)  # fmt: skip
def test_a_coupler_is_taken_over_with_its_modules_and_can_be_put_right_either_way(
    drawn: list[str], there: list[str], by_hand: bool
) -> None:
    plant = apply(
        hall(), BUILTIN,
        edits.Batch(edits=[
            edits.AddNetwork(fieldbus="modbus-tcp", port=hall().all(Port)[0].id, tag="$n"),
            edits.AddStation(network="$n", type="tarnfell.tc-16", address="10.0.0.40", rail_tag="$r"),
            *(edits.InsertModules(rail="$r", type=f"tarnfell.{key}") for key in drawn),
        ]),
    ).plant  # fmt: skip
    station = plant.all(Station)[0]
    device = BuiltDevice("bdzz", station.network, "V", station.id, rail="own" if there != drawn else "configured")
    rows = [BuiltModule(f"bmz{n}", "bdzz", f"{n}V", f"tarnfell.{key}") for n, key in enumerate(there)]
    built = Plant.of([*plant.rows(), device, *(rows if there != drawn else ())], plant.counter + 60_000)
    bench = Bench(built, BUILTIN)
    bench.run_until(0.5)
    found = scanned(bench, first="10.0.0.38", last="10.0.0.42")
    assert [f.address for f in found] == ["10.0.0.40"]
    assert [m.types for m in found[0].modules or ()] == [(f"tarnfell.{key}",) for key in there]
    (difference,) = told(built, found)
    if there == drawn:
        assert (difference.kind, difference.acts) == ("agrees", ())
        return
    assert difference.kind == "modules"
    act = next(a for a in difference.acts if (a.hand == "by hand") == by_hand)
    assert act.edit is not None
    if by_hand:
        done(bench, act.edit)
        bench.run_until(bench.seconds + 0.5)
        found, after = scanned(bench, first="10.0.0.40", last="10.0.0.40"), bench.built
    else:
        after = apply(built, BUILTIN, act.edit).plant
        rail = after.children(Rail, station.id)[0]
        assert [m.type for m in after.children(Module, rail.id)] == [f"tarnfell.{key}" for key in there]
    assert [d.kind for d in told(after, found)] == ["agrees"]


def test_somebody_nobody_knows_is_taken_over_as_what_he_says_he_is() -> None:
    plant = apply(
        hall(), BUILTIN, edits.AddNetwork(fieldbus="modbus-tcp", port=hall().all(Port)[0].id, tag="$n")
    ).plant  # fmt: skip
    network = plant.all(Network)[0].id
    kinds = ["tarnfell.di-16", "tarnfell.ao-4"]
    stranger = edits.AddBuiltDevice(network=network, address="10.0.0.77", type="tarnfell.tc-16", modules=kinds)
    for wrong in ({"type": ""}, {"modules": ["tarnfell.tc-16"]}, {"modules": ["nobody.nothing"]}):
        with pytest.raises(Refusal):
            apply(plant, BUILTIN, stranger.model_copy(update=wrong))
    built = apply(plant, BUILTIN, stranger).plant
    bench = Bench(built, BUILTIN)
    found = scanned(bench, first="10.0.0.70", last="10.0.0.80")
    (difference,) = told(built, found)
    assert difference.kind == "unknown"
    edit = difference.acts[0].edit
    assert edit is not None
    after = apply(built, BUILTIN, edit).plant
    assert [(s.type, s.address) for s in after.all(Station)] == [("tarnfell.tc-16", "10.0.0.77")]
    rail = after.children(Rail, after.all(Station)[0].id)[0]
    assert [m.type for m in after.children(Module, rail.id)] == kinds
    assert [d.kind for d in told(after, found)] == ["agrees"]


# ── EtherNet/IP


def test_identities_moved_devices_and_revisions() -> None:
    plant = cell({"type": "cv7"}, {"type": "ws3"}, {"type": "pm8"})
    stations = {s.name: s for s in plant.all(Station)}
    steps = edits.Batch(edits=[
        edits.SetBuilt(ids=[stations["S0"].id], values={"address": "10.0.0.99"}),
        edits.SetBuilt(ids=[stations["S1"].id], values={"facts.revision": "1.0"}),
    ])  # fmt: skip
    built = apply(plant, LIBRARY, steps).plant
    bench = Bench(built, LIBRARY)
    bench.run_until(1)
    found = scanned(bench)
    by_station = {built.get(d.station, Station).name: d for d in told(built, found, LIBRARY)}
    assert {name: d.kind for name, d in by_station.items()} == {"S0": "elsewhere", "S1": "other", "S2": "agrees"}
    assert "Revision 1.0 instead of" in by_station["S1"].says
    # Each way that is offered puts it right.
    for name, d in by_station.items():
        for act in d.acts:
            if act.edit is not None:
                after = apply(built, LIBRARY, act.edit).plant
                again = Bench(after, LIBRARY)
                again.run_until(1)
                kinds = {x.station: x.kind for x in told(after, scanned(again), LIBRARY)}
                assert kinds[stations[name].id] == "agrees", act
    # Over the network: the device keeps it, so that the bench need not.
    network = built.all(Network)[0].id
    bench.act(network, "10.0.0.99", "address", stations["S0"].address)
    bench.run_until(bench.seconds + 1)
    assert [(d.good, d.text) for d in bench.deeds] == [(True, f"it has the address {stations['S0'].address} now")]
    assert bench.devices.kept == [(stations["S0"].id, {"address": stations["S0"].address})]
    done(bench, edits.KeepInDevice(id=stations["S0"].id, values={"address": stations["S0"].address}))
    bench.run_until(bench.seconds + 4)
    assert {s["state"] for s in bench.stations.all() if s["name"] in ("S0", "S2")} == {"good"}
    bench.act(network, "10.0.0.99", "address", "10.0.0.98")
    bench.run_until(bench.seconds + 3)
    assert bench.deeds[-1].good is False


def test_a_stranger_whose_type_another_plant_has_is_taken_over_with_it() -> None:
    plant = cell()
    network = plant.all(Network)[0].id
    stranger = edits.AddBuiltDevice(network=network, address="10.0.0.77", type=KEYS["pm8"])
    built = apply(plant, LIBRARY, stranger).plant
    found = scanned(Bench(built, LIBRARY))
    reach = [
        Reachable(device, edits.TypePin(device=device_of(KEYS[name]), sha256="0" * 64, reader=1, file=f"{name}.eds"))
        for name in ("cv7", "pm8")
        if (device := LIBRARY.find(KEYS[name]))
    ]

    def compared(plant: Plant) -> Difference:
        (difference,) = differences(analyse(plant, LIBRARY), network, found, within_reach=lambda: reach)
        return difference

    (alone,) = told(built, found, LIBRARY)
    offered = compared(built)
    assert alone.unread != ""
    assert offered.unread == ""
    # Only what it is is offered, and before the way without a file.
    assert [act.label for act in offered.acts[1:]] == [act.label for act in alone.acts]
    assert offered.acts[0].label.endswith("with pm8.eds")
    assert offered.acts[0].edit is not None
    after = apply(built, LIBRARY, offered.acts[0].edit).plant
    assert [(s.type, s.address) for s in after.all(Station)] == [(KEYS["pm8"], "10.0.0.77")]
    assert [pin.key for pin in after.all(PinnedType)] == [KEYS["pm8"]]
    assert compared(after).kind == "agrees"


def test_two_of_one_type_that_are_missing_are_not_guessed() -> None:
    plant = cell({"type": "cv7"}, {"type": "cv7"})
    ids = [s.id for s in plant.all(Station)]
    one = edits.SetBuilt(ids=ids[:1], values={"address": "10.0.0.99"})
    other = edits.SetBuilt(ids=ids[1:], values={"powered": False})
    built = apply(plant, LIBRARY, edits.Batch(edits=[one, other])).plant
    bench = Bench(built, LIBRARY)
    bench.run_until(1)
    kinds = [d.kind for d in told(built, scanned(bench), LIBRARY)]
    assert kinds == ["silent", "silent", "unknown"]


def test_a_doubled_address_is_seen_by_its_serial_numbers() -> None:
    plant = cell({"type": "cv7"}, {"type": "ws3"})
    first, second = plant.all(Station)
    built = apply(plant, LIBRARY, edits.SetBuilt(ids=[second.id], values={"address": first.address})).plant
    bench = Bench(built, LIBRARY)
    bench.run_until(1)
    found = scanned(bench)
    assert [f.address for f in found] == [first.address] * 2
    by_station = {d.station: d for d in told(built, found, LIBRARY)}
    assert by_station[first.id].kind == "doubled"
    assert by_station[first.id].acts[0].edit is not None


# ── one after the other


def test_a_second_scan_waits_for_the_first_and_each_can_be_taken_back() -> None:
    bench = Bench(cell({"type": "cv7"}), LIBRARY)
    network = bench.plant.all(Network)[0].id
    bench.scan(network, "ada", {})
    bench.scan(network, "ben", {})
    bench.scan(network, "eve", {})
    assert [(s["by"], s["state"], s["ahead"]) for s in bench.scans.told()] == [
        ("ada", "running", ""), ("ben", "waiting", "ada"), ("eve", "waiting", "ben"),
    ]  # fmt: skip
    with pytest.raises(Refusal, match="waits already"):
        bench.scan(network, "ben", {})
    bench.stop_scan(network, "ben")
    bench.run_until(0.3)
    bench.stop_scan(network, "ada")
    # What stops leaves what it found, and the next begins.
    assert [(s["by"], s["state"]) for s in bench.scans.told()] == [("eve", "running")]
    bench.run_until(4)
    assert [(s["by"], s["state"], len(s["found"])) for s in bench.scans.told()] == [("eve", "done", 1)]
    with pytest.raises(Refusal, match="Nothing is being scanned"):
        bench.stop_scan(network, "ada")


@pytest.mark.parametrize(
    ("kind", "wanted", "says"),
    [("modbus-tcp", {"first": "10.0.0.9", "last": "10.0.0.1"}, "no range"), ("modbus-tcp", {"first": "x"}, "IPv4"),
     ("modbus-tcp", {"speed": 1}, "no setting"), ("modbus-rtu", {"last": 248}, "247")],
)  # fmt: skip
def test_what_cannot_be_wanted_of_a_scan(kind: str, wanted: dict[str, Any], says: str) -> None:
    plant = hall("ser-2")
    port = next(p.id for p in plant.all(Port) if (p.key == "1") == (kind == "modbus-rtu"))
    bench = Bench(apply(plant, BUILTIN, edits.AddNetwork(fieldbus=kind, port=port)).plant, BUILTIN)
    with pytest.raises(Refusal, match=says):
        bench.scan(bench.plant.all(Network)[0].id, "ada", wanted)


def test_a_network_on_no_port_is_scanned_by_nobody() -> None:
    bench = Bench(apply(hall(), BUILTIN, edits.AddNetwork(fieldbus="ethernet-ip")).plant, BUILTIN)
    with pytest.raises(Refusal, match="no port"):
        bench.scan(bench.plant.all(Network)[0].id, "ada", {})


# ── order


@given(st.lists(st.sampled_from("abc"), max_size=9), st.lists(st.sampled_from("abc"), max_size=9))
def test_alignment_keeps_both_orders_and_the_longest_that_both_have(one: list[str], other: list[str]) -> None:
    pairs = list(aligned(one, other, lambda a, b: a == b))
    assert [p.one for p in pairs if p.one is not None] == one
    assert [p.other for p in pairs if p.other is not None] == other
    assert all(p.one == p.other for p in pairs if p.same)
    assert all(p.one != p.other or not p.same for p in pairs if not p.same)

    def longest(a: str, b: str) -> int:
        if not a or not b:
            return 0
        return 1 + longest(a[1:], b[1:]) if a[0] == b[0] else max(longest(a[1:], b), longest(a, b[1:]))

    assert sum(p.same for p in pairs) == longest("".join(one), "".join(other))


def test_one_missing_module_is_one_difference() -> None:
    found = tuple(FoundModule(str(n), (key,)) for n, key in enumerate("bcd"))
    pairs = list(aligned("abcd", found, lambda a, b: a in b.types))
    assert [(p.one, p.same) for p in pairs] == [("a", False), ("b", True), ("c", True), ("d", True)]


def test_a_device_that_is_changed_goes_and_comes_and_others_are_not_disturbed() -> None:
    plant = cell({"type": "cv7"}, {"type": "cv7"})
    first, second = plant.all(Station)
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    kept = devices(bench)[1]
    counts = {x.name: x.failures for x in bench.exchanges.values()}
    done(bench, edits.SetBuilt(ids=[first.id], values={"powered": False}))
    bench.run_until(3)
    assert {s["name"]: s["state"] for s in bench.stations.all()} == {"S0": "bad", "S1": "good"}
    done(bench, edits.SetBuilt(ids=[first.id], values={"powered": True, "facts.reply_ms": 30}))
    bench.run_until(6)
    assert {s["state"] for s in bench.stations.all()} == {"good"}
    assert kept in devices(bench)
    assert counts.keys() == {x.name for x in bench.exchanges.values()}
    assert second.id in bench.devices.there
