"""EtherNet/IP: requests by hand, what a file gives and what hands set, each check, each refusal, data both ways."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.bench import Bench
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts, AdapterPoint
from highmoor.core.networks.ethernet_ip.encapsulation import CyclicPacket, Encapsulated, EncapsulationError
from highmoor.core.networks.ethernet_ip.facts import facts
from highmoor.core.networks.ethernet_ip.messages import Answered, Asked, OpenedWay, OpenRequest, open_request
from highmoor.core.networks.ethernet_ip.paths import application_path, key_segment, read_path, request_path
from highmoor.core.networks.ethernet_ip.remedies import line_at
from highmoor.core.networks.ethernet_ip.routes import read_route
from highmoor.core.networks.ethernet_ip.served import Served
from highmoor.core.networks.ethernet_ip.settings import Agreement, agreement
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.silence import timing_with_silent
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant, base36
from highmoor.core.plant.rows import BuiltDevice, Connection, Exchange, Link, Network, PinnedType, Port, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import cable, devices, nobody_there
from tests.core.plants import KEYS, LIBRARY, hall


def cell(*stations: dict[str, Any]) -> Plant:
    """HALL with a network and these stations: `type`, `connection`, settings of `s`, `k`, and of both ways."""
    plant = hall()
    port = plant.all(Port)[0].id
    plant = apply(plant, LIBRARY, edits.AddNetwork(fieldbus="ethernet-ip", port=port, name="Cell")).plant
    for n, told in enumerate(stations):
        plant = station(plant, f"S{n}", **told)
    return plant


def station(plant: Plant, name: str, **told: Any) -> Plant:
    """One more station; `more` are further connections of it, each with its own settings."""
    made = apply(
        plant, LIBRARY,
        edits.AddStation(
            network=plant.all(Network)[0].id, type=KEYS.get(told.get("type", "")), name=name,
            connection=told.get("connection"), tag="$s", connection_tag="$k",
        ),
    )  # fmt: skip
    plant = put(made.plant, made.tags["$s"], told.get("s"))
    plant = connection(plant, made.tags["$k"], told)
    for other in told.get("more", ()):
        added = apply(plant, LIBRARY, edits.AddConnection(station=made.tags["$s"], connection=other["kind"], tag="$k"))
        plant = connection(added.plant, added.tags["$k"], other)
    return plant


def connection(plant: Plant, connection_id: str, told: dict[str, Any]) -> Plant:
    plant = put(plant, connection_id, told.get("k"))
    for exchange in plant.children(Exchange, connection_id):
        plant = put(plant, exchange.id, told.get("into" if exchange.direction == "in" else "out"))
    return plant


def put(plant: Plant, row: str, values: dict[str, Any] | None) -> Plant:
    if not values:
        return plant
    named = {f"settings.{key}": value for key, value in values.items()}
    return apply(plant, LIBRARY, edits.SetFields(ids=[row], values=named)).plant


def told_of(plant: Plant, n: int = 0) -> Agreement:
    return agreement(line_at(analyse(plant, LIBRARY), plant.all(Connection)[n].id))


BY_HAND = {"into": {"point": 100, "octets": 6, "rpi_ms": 50}, "out": {"point": 150, "octets": 2, "rpi_ms": 100}}


# ── what is sent when a connection is opened


def test_a_connection_request_by_hand() -> None:
    """The drive's speed control, every octet as CIP volume 1, 3-5.4.1 lays it out."""
    told = told_of(cell({"type": "cv7"}))
    request, large = open_request(told, serial=3, originator=0x00C00000, in_id=0x10000001)
    assert not large
    wanted = (
        "54 02 20 06 24 01"  # Forward_Open to the connection manager
        "03 FA 00 00 00 00 01 00 00 10 03 00 D0 FA 00 00 C0 00 01 00 00 00"  # 250 × 8 ms, ids, names, multiplier 8
        "20 4E 00 00 0A 48"  # O→T 20 000 µs; 4 + 2 + 4 octets, scheduled, to one
        "20 4E 00 00 0A 48"  # T→O 20 000 µs; 8 + 2 octets
        "01 0E"  # class 1 cyclic, 14 words of path
        "34 04 D1 FA 02 00 4B 00 83 01"  # Corvane, AC drive, 75, major 3 or compatible, minor 1
        "20 04 24 66 2C 64 2C 65"  # assembly 102, points 100 and 101
        "80 04 64 00 C8 00 01 7E 04 00"  # 10.0 s, 20.0 s, ramp down, 11.50 A, filled up to words
    )
    assert request.encode(large=False).encode() == bytes.fromhex(wanted)
    plant = cell({"type": "cv7"})
    told_lines = facts(line_at(analyse(plant, LIBRARY), plant.all(Connection)[0].id))
    assert [line.value for line in told_lines] == [
        "Forward_Open, service 54", "34 04 D1 FA 02 00 4B 00 83 01",
        "20 04 24 66 2C 64 2C 65 80 04 64 00 C8 00 01 7E 04 00",
        "size 10 = 4 data + 2 count + 4 header", "size 10 = 8 data + 2 count",
    ]  # fmt: skip


def test_what_hands_set_stands_before_the_file_and_is_taken_back_with_nothing() -> None:
    told = told_of(cell({"type": "cv7"}))
    assert [(w.point, w.octets, w.header, w.rpi_ms, w.transfer) for w in told.ways] == [
        (100, 4, True, 20, "point-to-point"),
        (101, 8, False, 20, "point-to-point"),
    ]
    assert (told.multiplier, told.config_point, told.configuration.hex()) == (8, 102, "6400c800017e04")
    mine = cell({"type": "cv7", "k": {"multiplier": 32, "parameters.param7": 250}, "into": {"rpi_ms": 40}})
    own = told_of(mine)
    assert (own.multiplier, own.configuration[:2], own.into.rpi_ms, own.out.rpi_ms) == (32, b"\xfa\x00", 40, 20)
    exchange = next(x for x in mine.all(Exchange) if x.direction == "in")
    assert told_of(put(mine, exchange.id, {"rpi_ms": None})).into.rpi_ms == 20
    # Another choice of the file reaches both ways at once.
    watching = told_of(cell({"type": "cv7", "connection": "connection2"}))
    assert (watching.application, watching.out.point, watching.out.octets, watching.out.header) == (
        "input only", 193, 0, False,
    )  # fmt: skip
    assert (watching.out.rpi_ms, watching.configuration) == (200, b"")


@pytest.mark.parametrize(("told", "point", "source", "octets"), [
    ({"type": "cv7"}, 102, "file", "64 00 C8 00 01 7E 04"),
    ({"type": "cv7", "k": {"parameters.param7": 250}}, 102, "setting", "FA 00 C8 00 01 7E 04"),
    ({**BY_HAND, "k": {"config_point": 151, "config_data": "AA BB"}}, 151, "own", "AA BB"),
])  # fmt: skip
def test_what_is_written_at_the_start_is_told_and_is_what_the_device_gets(
    told: dict[str, Any], point: int, source: str, octets: str
) -> None:
    plant = cell(told)
    connection = plant.all(Connection)[0].id
    writes = analyse(plant, LIBRARY).result("connection.startup", connection).writes
    assert [(w.reference, w.octets, w.source) for w in writes] == [(f"assembly {point}", octets, source)]
    assert [w.count for w in writes] == [len(bytes.fromhex(octets))]
    bench = on(plant)
    bench.run_until(1)
    assert devices(bench)[0].configuration == bytes.fromhex(octets)
    # A connection that only listens configures nothing.
    listens = analyse(cell({"type": "cv7", "connection": "connection2"}), LIBRARY)
    assert listens.result("connection.startup", listens.plant.all(Connection)[0].id).writes == ()


@pytest.mark.parametrize(
    ("rpi_ms", "multiplier", "times"),
    [(20, 8, (160, 160)), (5, 32, (160, 160)), (100, 4, (400, 400)), (0.1, 512, (51.2, 51.2))],
)
def test_time_outs_are_the_fewest_intervals_that_make_100_ms(rpi_ms: float, multiplier: int, times: Any) -> None:
    told = told_of(cell({"into": {"rpi_ms": rpi_ms}, "out": {"rpi_ms": rpi_ms}}))
    assert told.multiplier == multiplier
    assert tuple(told.timeout_ms(way) for way in told.ways) == pytest.approx(times)


@given(st.integers(0, 65535), st.integers(0, 65535), st.integers(0, 65535), st.binary(max_size=40))
def test_paths_come_back(config: int, out: int, into: int, data: bytes) -> None:
    base = told_of(cell(BY_HAND))
    told = replace(
        base, config_point=config, configuration=data,
        out=replace(base.out, point=out), into=replace(base.into, point=into),
    )  # fmt: skip
    path = application_path(told)
    read = read_path(path)
    assert read is not None
    assert (read.class_id, read.instance, read.points) == (4, config, (out, into))
    assert read.data == data + bytes(len(data) % 2)
    # Cut short it is another path or none, never an error.
    for end in range(len(path)):
        read_path(path[:end])


@given(st.integers(0, 2**32 - 1), st.integers(0, 2**32 - 1), st.integers(0, 65535), st.binary(max_size=500),
       st.sampled_from([None, True, False]))  # fmt: skip
def test_packets_come_back(connection_id: int, sequence: int, count: int, data: bytes, run: bool | None) -> None:
    packet = CyclicPacket(connection_id, sequence, count, run, data)
    octets = packet.encode()
    assert CyclicPacket.decode(octets, header=run is not None) == packet
    # 42 octets of frame and wire around the payload: what the figure counts.
    assert len(octets) + 8 + 14 + 20 + 8 + 4 + 12 == 86 + len(data) + (0 if run is None else 4)
    with pytest.raises(EncapsulationError):
        CyclicPacket.decode(octets[:-1], header=run is not None)


@given(st.binary(max_size=120))
def test_whatever_comes_an_adapter_answers_with_a_frame_or_not_at_all(octets: bytes) -> None:
    device = Adapter(AdapterFacts(points=(AdapterPoint(100, "out", 4), AdapterPoint(101, "in", 8))), Still())
    for given_ in (octets, Encapsulated(0x65, 0, octets).encode(), Encapsulated(0x6F, 0x10001, octets).encode()):
        link = Served(device)
        link.answer(Encapsulated(0x65, 0, b"\x01\x00\x00\x00").encode())
        answer = link.answer(given_)
        assert answer is None or Encapsulated.decode(answer)
    device.hear(octets)


class Still:
    """A clock nobody winds."""

    now_ns = 0

    def at(self, time_ns: int, action: Any, priority: int = 0) -> None:
        """Nothing comes to pass."""


# ── time and load


def test_packets_in_time_by_hand() -> None:
    plant = cell({"type": "cv7"}, BY_HAND)
    told: Timing = analyse(plant, LIBRARY).result("network.course", plant.all(Network)[0].id)
    assert told.packets_per_s == 50 + 50 + 20 + 10
    by_octets = {e.request_octets + e.response_octets: e for e in told.exchanges}
    # Drive: 86 + 4 + 4 out, 86 + 8 in; weigher: 86 + 2 + 4 out, 86 + 6 in.
    assert sorted(e.request_octets for e in told.exchanges) == [0, 0, 92, 94]
    assert sorted(e.response_octets for e in told.exchanges) == [0, 0, 92, 94]
    assert by_octets[94].transaction_ms == pytest.approx(94 * 80e-6)
    assert told.load == pytest.approx((94 * 50 + 92 * 20) * 8 / 100e6)
    assert told.load_label == "of 100 Mbit/s into the controller"
    assert told.lanes[0].utilisation == pytest.approx(100 / 400)
    # Whoever meets the other's packet waits for it and no longer.
    assert {round(e.worst_late_ms, 6) for e in told.exchanges} == {round(92 * 80e-6, 6), round(94 * 80e-6, 6)}
    assert told.window_ms == 200
    assert len([b for b in told.lanes[1].blocks if b.kind == "response"]) == 4


@given(st.lists(st.tuples(st.integers(0, 1400), st.integers(2, 40), st.floats(0, 1)), min_size=1, max_size=8))
def test_no_meeting_of_packets_is_worse_than_the_one_told(ways: list[tuple[int, int, float]]) -> None:
    """Streams with any phases, served in order: nobody waits longer than the figure says."""
    plant = cell(*({"into": {"point": 100 + n, "octets": octets, "rpi_ms": every}, "out": {"point": 1, "octets": 0}}
                   for n, (octets, every, _) in enumerate(ways)))  # fmt: skip
    told: Timing = analyse(plant, LIBRARY).result("network.course", plant.all(Network)[0].id)
    into = [e for e in told.exchanges if e.response_octets]
    due = sorted(
        (phase * e.period_ms + k * e.period_ms, n)
        for n, (e, (_, _, phase)) in enumerate(zip(into, ways, strict=True)) for k in range(12)
    )  # fmt: skip
    free = 0.0
    for at, n in due:
        start = max(at, free)
        free = start + into[n].transaction_ms
        assert start - at <= into[n].worst_late_ms + 1e-9


def test_a_silent_adapter_is_sent_to_until_its_time_out_and_costs_nobody_else() -> None:
    plant = cell({**BY_HAND, "k": {"multiplier": 4}}, BY_HAND)
    analysis = analyse(plant, LIBRARY)
    alive: Timing = analysis.result("network.course", plant.all(Network)[0].id)
    silent = plant.all(Station)[0].id
    told = timing_with_silent(analysis, silent)
    lanes = {lane.id: lane for lane in told.lanes}
    own = lanes.pop(silent)
    # From it every 50 ms, four intervals of grace; to it every 100 ms: at 0 and at 100, then no more.
    assert [(b.kind, b.end_ms) for b in own.blocks if b.kind != "request"] == [("time-out", 200)]
    assert [due.due_ms for due in own.dues] == [0, 100]
    assert told.exchanges == alive.exchanges
    starts = {lane.id: [d.due_ms for d in lane.dues] for lane in alive.lanes}
    assert all([d.due_ms for d in lane.dues] == starts[lane.id] for lane in lanes.values())


# ── checks


def codes(plant: Plant) -> set[str]:
    return {f.code for f in analyse(plant, LIBRARY).findings.values() if f.code.startswith("NET-3")}


LISTENER = {"type": "pm8", "s": {"large": "yes"}, "more": [{"kind": "connection3"}]}
MANY = [{"into": {"rpi_ms": 1}, "out": {"rpi_ms": 1}} for _ in range(3)]
WRONG: dict[str, tuple[dict[str, Any], ...]] = {
    "NET-302": ({},),
    "NET-303": ({"type": "cv7", "out": {"octets": 8}},),
    "NET-304": ({"type": "cv7", "out": {"header": False}},),
    "NET-305": ({"type": "cv7", "into": {"rpi_ms": 2}},),
    "NET-306": ({**BY_HAND, "into": {"point": 100, "octets": 1453}},),
    "NET-307": ({**BY_HAND, "into": {"point": 100, "octets": 510}, "s": {"large": "no"}},),
    "NET-308": ({**BY_HAND, "into": {"point": 100, "octets": 510}},),
    "NET-309": ({**BY_HAND, "more": [{"kind": "exclusive owner", **BY_HAND}]},),
    "NET-310": (LISTENER,),
    "NET-311": ({"connection": "listen only", "into": {"transfer": "point-to-point"}},),
    "NET-312": ({"type": "ws3", "more": [{"kind": "connection2"}] * 2},),
    "NET-313": ({"type": "cv7", "into": {"rpi_ms": 5}, "out": {"rpi_ms": 4}},),
    "NET-314": tuple(MANY),
    "NET-315": (*MANY[:2], {"into": {"rpi_ms": 4}, "out": {"rpi_ms": 4}}),
    "NET-316": ({**BY_HAND, "into": {"rpi_ms": 10}, "k": {"multiplier": 4}},),
    "NET-317": ({"type": "cv7"},),
    "NET-318": ({"type": "cv7"},),
    "NET-319": ({**BY_HAND, "into": {"point": 1, "rpi_ms": 1, "transfer": "multicast"}}, BY_HAND),
    "NET-331": ({**BY_HAND, "more": [{"kind": "request", "k": {"timeout_ms": 0}}]},),
    "NET-332": ({**BY_HAND, "more": [{"kind": "request", "k": {"class": 15}}]},),
    "NET-333": ({**BY_HAND, "more": [{"kind": "request"}]},),
    "NET-334": ({**BY_HAND, "more": [{"kind": "request", "k": {"trigger": "period", "period_ms": 200}}]},),
    "NET-335": ({**BY_HAND, "more": [{"kind": "request", "k": {"trigger": "after"}}]},),
}  # fmt: skip


def spoilt(code: str) -> Plant:
    """A plant with this finding; some things only files from outside can hold."""
    plant = cell(*WRONG[code])
    rows = {row.id: row for row in plant.rows()}
    first = plant.all(Connection)[0]
    if code == "NET-317":
        rows[first.id] = replace(first, settings={**first.settings, "config_data": "01 02 03"})
    elif code == "NET-318":
        rows[first.id] = replace(first, settings={**first.settings, "choice": "connection9"})
    elif code == "NET-332":
        asked = plant.all(Connection)[1]
        rows[asked.id] = replace(asked, settings={**asked.settings, "class": 70_000})
    return Plant.of(list(rows.values()), plant.counter)


def test_a_request_is_nobody_to_listen_to() -> None:
    plant = cell({"connection": "listen only", "more": [{"kind": "request"}]})
    analysis = analyse(plant, LIBRARY)
    [found] = [f for f in analysis.findings.values() if f.code == "NET-310"]
    assert remedy_of(analysis, found) is None


def test_of_a_connection_neither_direction_goes_alone() -> None:
    plant = cell(BY_HAND)
    out = next(x for x in plant.all(Exchange) if x.direction == "out")
    gone = apply(plant, LIBRARY, edits.Remove(ids=[out.id])).plant
    assert not gone.all(Exchange)
    assert not gone.all(Connection)
    # From a file it can be one way only, and is found.
    half = Plant.of([row for row in plant.rows() if row.id != out.id], plant.counter)
    assert codes(half) == {"NET-301"}


def test_stations_as_their_files_say_have_nothing_to_mend() -> None:
    assert codes(cell({"type": "cv7"}, {"type": "pm8", "s": {"large": "yes"}}, {"type": "ws3"}, BY_HAND)) == set()


def test_a_size_off_by_the_header_says_so() -> None:
    analysis = analyse(cell({"type": "cv7", "out": {"octets": 8}}), LIBRARY)
    found = next(f for f in analysis.findings.values() if f.code == "NET-303")
    assert "4 too many" in dict(found.values)["likely"]


def test_what_a_station_is_not_is_refused() -> None:
    plant = cell({"type": "cv7"})
    for edit in (
        edits.AddConnection(station=plant.all(Station)[0].id, connection="connection7"),
        edits.AddExchange(connection=plant.all(Connection)[0].id),
        edits.SetFields(ids=[plant.all(Station)[0].id], values={"settings.revision": "3.x"}),
        edits.SetFields(ids=[plant.all(Connection)[0].id], values={"settings.choice": "connection9"}),
    ):
        with pytest.raises(Refusal):
            apply(plant, LIBRARY, edit)


def test_a_controller_opens_only_so_many() -> None:
    plant = cell(*({} for _ in range(2)))
    before = analyse(plant, LIBRARY)
    assert "NET-107" not in {f.code for f in before.findings.values()}
    many = plant
    for k in range(4):
        many = apply(many, LIBRARY, edits.Replicate(id=plant.all(Station)[0].id, count=64, pattern=f"R{k}x{{n}}")).plant
    found = [f for f in analyse(many, LIBRARY).findings.values() if f.code == "NET-107"]
    assert "258 EtherNet/IP connections; 256" in dict(found[0].values)["opened"]


# ── the bench


def linked(plant: Plant) -> Plant:
    """A signal at the first octet of each way of the first connection."""
    first = plant.all(Connection)[0].id
    for exchange in plant.children(Exchange, first):
        name = "Taken" if exchange.direction == "in" else "Given"
        run = edits.AddSignals(
            controller=next(iter(plant.tables["controllers"])), pattern=name, place=exchange.id, key="o0",
            type="UINT",
        )  # fmt: skip
        plant = apply(plant, LIBRARY, run).plant
    return plant


def signal(plant: Plant, name: str) -> str:
    return next(s.id for s in plant.all(Signal) if s.name == name)


def state(bench: Bench, name: str) -> str:
    return next(s["text"] for s in bench.stations.all() if s["name"] == name)


def on(plant: Plant, **changed: Any) -> Bench:
    """The plant built as configured, but for what is changed of the first station."""
    facts = json.loads(TypeAdapter(dict[str, Any]).dump_json(changed))
    station = plant.all(Station)[0]
    device = BuiltDevice(f"bd{base36(plant.counter + 1)}", station.network, "V", station.id, facts=facts)
    return Bench(plant, LIBRARY, Plant.of([*plant.rows(), device], plant.counter + 1))


def test_data_goes_both_ways_low_octet_first() -> None:
    plant = linked(cell({"type": "cv7"}))
    bench = on(plant)
    bench.signals.write(signal(plant, "Given"), 0x1234)
    bench.run_until(1)
    adapter = devices(bench)[0]
    assert isinstance(adapter, Adapter)
    assert adapter.outputs[100].hex() == "34120000"
    assert adapter.running
    assert adapter.configuration.hex() == "6400c800017e04"
    adapter.inputs[101][:2] = b"\xcd\xab"
    bench.run_until(1.3)
    assert bench.value(signal(plant, "Taken")) == (0xABCD, "good")


def test_a_connection_turned_high_octet_first_takes_its_links_along() -> None:
    plant = linked(cell({"type": "cv7"}))
    connection_id = plant.all(Connection)[0].id
    by_hand = next(link for link in plant.all(Link) if link.access == "reads")
    plant = apply(plant, LIBRARY, edits.SetFields(ids=[by_hand.id], values={"order": "CDAB"})).plant
    turned = put(plant, connection_id, {"high_octet_first": True})
    assert {link.access: link.order for link in turned.all(Link)} == {"reads": "CDAB", "writes": "ABCD"}
    bench = on(turned)
    bench.signals.write(signal(turned, "Given"), 0x1234)
    bench.run_until(1)
    assert devices(bench)[0].outputs[100].hex() == "12340000"
    again = put(turned, connection_id, {"high_octet_first": None})
    assert {link.access: link.order for link in again.all(Link)} == {"reads": "CDAB", "writes": "DCBA"}


def test_both_ends_notice_silence_and_begin_anew() -> None:
    plant = linked(cell({"type": "cv7"}))
    bench = on(plant)
    bench.run_until(1)
    adapter = devices(bench)[0]
    assert isinstance(adapter, Adapter)
    station_id = plant.all(Station)[0].id
    cable(bench, station_id, plugged=False)
    # Eight intervals of 20 ms: not before, and both ends by themselves.
    bench.run_until(1.13)
    assert (state(bench, "S0"), len(adapter.held)) == ("good", 1)
    bench.run_until(1.2)
    assert "no packet for 160 ms" in state(bench, "S0")
    assert bench.value(signal(plant, "Taken"))[1] == "old"
    assert (adapter.held, adapter.running) == ([], False)
    cable(bench, station_id, plugged=True)
    bench.run_until(4)
    assert state(bench, "S0") == "good"


DRIVE = (AdapterPoint(100, "out", 4, header=True), AdapterPoint(101, "in", 8))
REFUSALS: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    # how it is refused: what is configured, what is built otherwise
    "01/0106": ({"type": "cv7", "more": [{"kind": "connection1"}]}, {}),
    "01/0108": ({**BY_HAND, "k": {"application": "redundant owner"}}, {"redundant_owners": False}),
    "01/0109": ({**BY_HAND}, {"points": (AdapterPoint(150, "out", 4), AdapterPoint(100, "in", 6)), "terse": True}),
    "01/0111": ({"type": "cv7"}, {"rpi_least_ms": 50}),
    "01/0112": ({**BY_HAND}, {"rpi_most_ms": 80}),
    "01/0113": ({"type": "cv7", "more": [{"kind": "connection2"}]}, {"connections": 1}),
    "01/0114": ({"type": "cv7"}, {"product": 76}),
    "01/0115": ({"type": "cv7"}, {"device_type": 3}),
    "01/0116": ({"type": "cv7"}, {"revision": "4.1"}),
    "01/0117": ({"type": "cv7"}, {"points": DRIVE[1:]}),
    "01/0118": ({"type": "cv7"}, {"config_point": 9}),
    "01/0119": ({"type": "pm8", "connection": "connection3"}, {}),
    "01/011A": (
        {"type": "cv7", "more": [{"kind": "connection2"}]},
        {"points": (*DRIVE[:1], replace(DRIVE[1], consumers=1), AdapterPoint(193, "out", role="input only"))},
    ),
    "01/0311": ({**BY_HAND, "s": {"route": "1/0"}}, {"backplane": 2}),
    "01/0312": ({**BY_HAND, "s": {"route": "1/3"}}, {"slot": 4}),
    "01/0110": ({**BY_HAND}, {"needs_configuration": True}),
    "01/0126": ({"type": "cv7"}, {"config_octets": 12}),
    "01/0127": ({"type": "cv7"}, {"points": (replace(DRIVE[0], header=False), DRIVE[1])}),
    "01/0128": ({"type": "cv7"}, {"points": (DRIVE[0], replace(DRIVE[1], octets=10))}),
    "02": ({"type": "cv7", "more": [{"kind": "connection2"}]}, {"room_octets": 30}),
    "08": ({**BY_HAND, "into": {"point": 100, "octets": 600}}, {"large": False}),
}


@pytest.mark.parametrize("status", sorted(REFUSALS))
def test_each_refusal_comes_over_the_wire_with_its_status(status: str) -> None:
    configured, built = REFUSALS[status]
    bench = on(cell(configured), **built)
    bench.run_until(0.5)
    texts = [x["text"] for s in bench.stations.all() for x in s["exchanges"]]
    assert any(text.startswith(f"refused, {status}: ") for text in texts), texts


@pytest.mark.parametrize(
    ("changed", "status"),
    [
        ({"trigger": 0x00}, (1, 0x0103)),
        ({"path": b"\xff\xff"}, (1, 0x0315)),
        ({"path": bytes.fromhex("20 04 24 66 2C 64")}, (1, 0x0315)),
        ({"out": OpenedWay(20_000, 10, "null")}, (1, 0x0123)),
        ({"into": OpenedWay(20_000, 10, "null")}, (1, 0x0124)),
        ({"path": b"\x01\x00" + bytes.fromhex("20 04 24 66 2C 64 2C 65")}, (1, 0x0311)),
        ({}, (0, None)),
    ],
)
def test_requests_that_no_configuration_makes(changed: dict[str, Any], status: Any) -> None:
    device = Adapter(AdapterFacts(points=DRIVE, config_point=102, config_octets=7), Still())
    way = OpenedWay(20_000, 10, "point-to-point")
    request = OpenRequest(
        0, 7, 1, 2, 3, 8, way, way, 1, bytes.fromhex("20 04 24 66 2C 64 2C 65 80 04 64 00 C8 00 01 7E 04 00"),
    )  # fmt: skip
    asked = replace(request, **changed).encode(large=False)
    answer = device.served(asked, None)
    assert (answer.status, answer.extended[0] if answer.extended else None) == status
    if not answer.status:
        # Once more by the same names it is open already; another owner is one too many; closed it is gone.
        assert device.served(asked, None).extended == (0x0100,)
        close = Asked(0x4E, b"\x20\x06\x24\x01", bytes([10, 5]) + bytes.fromhex("01 00 02 00 03 00 00 00 00 00"))
        assert (device.served(close, None).status, device.held) == (0, [])
        assert device.served(close, None).extended == (0x0107,)
    assert Answered.decode(answer.encode()) == answer


def test_a_multiplier_or_type_that_is_none_is_not_valid() -> None:
    device = Adapter(AdapterFacts(points=DRIVE), Still())
    way = OpenedWay(20_000, 10, "point-to-point")
    request = OpenRequest(0, 7, 1, 2, 3, 8, way, way, 1, bytes.fromhex("20 04 24 66 2C 64 2C 65"))
    asked = request.encode(large=False)
    multiplier = bytearray(asked.data)
    multiplier[18] = 8
    reserved = bytearray(asked.data)
    # Bits 13–14 of the O→T parameters, behind the 22 fixed octets and the interval.
    reserved[27] |= 0x60
    for spoilt_data in (multiplier, reserved):
        assert device.served(replace(asked, data=bytes(spoilt_data)), None).extended == (0x0108,)
    assert device.held == []


def test_two_redundant_owners_live_together_and_an_exclusive_one_does_not_join() -> None:
    redundant = {"k": {"application": "redundant owner"}}
    for second, good in ((redundant, True), ({}, False)):
        told = {**BY_HAND, **second}
        plant = cell({**BY_HAND, **redundant, "more": [{"kind": "exclusive owner", **told}]})
        bench = Bench(plant, LIBRARY)
        bench.run_until(1)
        adapter = devices(bench)[0]
        assert isinstance(adapter, Adapter)
        assert (len(adapter.held), state(bench, "S0") == "good") == ((2, True) if good else (1, False)), second


@given(st.lists(st.tuples(st.integers(1, 65535), st.one_of(
    st.integers(0, 255).map(str), st.ip_addresses(v=4).map(str), st.from_regex(r"[a-z]{2,20}", fullmatch=True))),
    max_size=4))  # fmt: skip
def test_ports_on_the_way_come_back(hops: list[tuple[int, str]]) -> None:
    text = ", ".join(f"{port}/{address}" for port, address in hops)
    told = replace(told_of(cell(BY_HAND)), route=read_route(text))
    path = request_path(told)
    read = read_path(path)
    assert read is not None
    assert (tuple((hop.port, hop.address) for hop in read.hops), len(path) % 2) == (tuple(hops), 0)
    assert read.class_id == 4
    for end in range(len(path)):
        read_path(path[:end])


def test_ports_on_the_way_by_hand() -> None:
    # CIP volume 1, table C-1.3: backplane port 1, slot 3; port 5 to an address as text; port 18, written in two octets.
    told = {"1/3": "01 03", "5/130.151.137.105": "15 0F 31 33 30 2E 31 35 31 2E 31 33 37 2E 31 30 35 00",
            "18/1": "0F 12 00 01"}  # fmt: skip
    for text, octets in told.items():
        assert b"".join(hop.encode() for hop in read_route(text)).hex(" ").upper() == octets
    plant = cell({**BY_HAND, "s": {"route": " 1/03 "}})
    assert plant.all(Station)[0].settings["route"] == "1/3"
    bench = Bench(plant, LIBRARY)
    bench.run_until(0.5)
    assert state(bench, "S0") == "good"
    for wrong in ("1", "0/1", "1/", "1/256", "x/1", "1/x", "1/ü2"):
        with pytest.raises(Refusal):
            put(plant, plant.all(Station)[0].id, {"route": wrong})


def test_a_refused_connection_leaves_the_device_as_it_was() -> None:
    """What is refused for another reason does not change the configuration of whoever commands it."""
    facts = AdapterFacts(points=DRIVE, config_point=102, config_octets=2)
    device = Adapter(facts, Still())
    way = OpenedWay(20_000, 10, "point-to-point")
    path = "20 04 24 66 2C 64 2C 65 80 01 {} 00"
    first = OpenRequest(0, 7, 1, 2, 3, 8, way, way, 1, bytes.fromhex(path.format("11")))
    assert device.served(first.encode(large=False), None).status == 0
    second = replace(first, serial=2, path=bytes.fromhex(path.format("22")))
    assert device.served(second.encode(large=False), None).extended == (0x0106,)
    assert device.configuration == b"\x11\x00"


def test_identity_rules() -> None:
    for rule, built, taken in (
        ("compatible", "3.1", True), ("compatible", "3.4", True), ("compatible", "3.0", False),
        ("exact", "3.1", True), ("exact", "3.4", False), ("off", "9.9", True),
    ):  # fmt: skip
        plant = cell({"type": "cv7", "s": {"identity": rule}})
        bench = on(plant, revision=built)
        bench.run_until(0.5)
        assert (state(bench, "S0") == "good") == taken, (rule, built)
        assert bool(key_segment(told_of(plant).identity)) == (rule != "off")


def test_a_listener_hears_and_dies_with_its_owner() -> None:
    plant = cell({**LISTENER, "into": {"transfer": "multicast"}})
    bench = on(plant)
    bench.run_until(2)
    adapter = devices(bench)[0]
    assert isinstance(adapter, Adapter)
    assert [held.out.role for held in adapter.held] == ["data", "listen only"]
    adapter._end(adapter.held[0])
    assert adapter.held == []


def test_nobody_there_and_something_else_there() -> None:
    plant = cell({"type": "cv7"})
    address = plant.all(Station)[0].address
    empty = nobody_there(plant)
    port = plant.all(Network)[0].port
    modbus = apply(empty, LIBRARY, edits.AddNetwork(fieldbus="modbus-tcp", port=port, tag="$n"))
    network = modbus.tags["$n"]
    modbus = apply(modbus.plant, LIBRARY, edits.AddBuiltDevice(network=network, address=address))
    for bench in (Bench(plant, LIBRARY, empty), Bench(plant, LIBRARY, modbus.plant)):
        bench.run_until(3)
        assert state(bench, "S0") == "no answer to the request"


def test_an_analysis_of_the_demo_file_devices_is_kept_current() -> None:
    """A file's device changed to another one of its file's connections: image, octets and findings follow."""
    plant = cell({"type": "pm8", "s": {"large": "yes"}})
    analysis: Analysis = analyse(plant, LIBRARY)
    out = next(x for x in plant.all(Exchange) if x.direction == "out")
    assert analysis.result("exchange.wire", out.id).octets == 42
    change = apply(plant, LIBRARY, edits.SetFields(
        ids=[plant.all(Connection)[0].id], values={"settings.choice": "connection2"},
    ))  # fmt: skip
    analysis.advance(change.plant, change.change)
    assert analysis.result("exchange.wire", out.id).octets == 0
    assert {f.key for f in analysis.findings.values()} == {
        f.key for f in analyse(change.plant, LIBRARY).findings.values()
    }


def test_a_device_of_which_nobody_knows_what_it_bears_is_not_told_a_limit() -> None:
    """Its link is more than full, which the cable's own check says; no figure is made up for the device."""
    busy = {"point": 1, "octets": 1400, "rpi_ms": 0.1}
    found = {f.code for f in analyse(cell({"into": busy, "out": {"point": 2}}), LIBRARY).findings.values()}
    assert "NET-313" not in found


@pytest.mark.parametrize(("users", "says"), [(4, "S0, S1, S2, S3."), (6, "S0, S1, S2, S3 and 2 more.")])
def test_a_type_in_use_says_by_whom(users: int, says: str) -> None:
    plant = cell(*[{"type": "cv7"}] * users)
    pin = PinnedType("d1", KEYS["cv7"], "cv7", "0" * 64, 1, "cv7.eds", "m")
    plant = Plant.of([*plant.rows(), pin], plant.counter)
    with pytest.raises(Refusal, match=f"The type is in use: {says}"):
        apply(plant, LIBRARY, edits.Remove(ids=["d1"]))
    unused = Plant.of([*cell({"type": "pm8"}).rows(), pin], plant.counter)
    assert not apply(unused, LIBRARY, edits.Remove(ids=["d1"])).plant.all(PinnedType)
