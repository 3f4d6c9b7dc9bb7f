"""Sessions, what is answered without one, requests by way of ports, streams to all who hear, and how it all ends."""

from __future__ import annotations

import struct
from dataclasses import replace
from itertools import pairwise
from typing import Any

import pytest

from highmoor.core.bench.bench import Bench
from highmoor.core.bench.ethernet import Passed
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts
from highmoor.core.networks.ethernet_ip.encapsulation import CyclicPacket, Encapsulated, items
from highmoor.core.networks.ethernet_ip.messages import Answered, Asked, OpenedWay, OpenRequest, routed, ticks
from highmoor.core.networks.ethernet_ip.replies import reply_in
from highmoor.core.networks.ethernet_ip.routes import read_route
from highmoor.core.networks.ethernet_ip.served import Served
from highmoor.core.networks.line_time import Timing
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.benches import devices, nobody_there
from tests.core.networks.ethernet_ip.test_ethernet_ip import BY_HAND, DRIVE, LIBRARY, Still, cell, on, state
from tests.core.networks.ethernet_ip.test_requests import asking, ramp

FACTS = AdapterFacts(vendor=0xFAD1, device_type=2, product=75, revision="3.1", name="CV-7", points=DRIVE)


def link(**more: Any) -> Served:
    return Served(Adapter(FACTS, Still(), address="10.20.0.31", serial=0xD014_001F), **more)


def frame(command: int, data: str = "", session: int = 0, context: int = 0, options: int = 0) -> bytes:
    return Encapsulated(command, session, bytes.fromhex(data), 0, context, options).encode()


REGISTERED = frame(0x65, "01 00 00 00")
# command, data, session → status and data of the answer (None: there is none); CIP volume 2, 2-4.
COMMANDS: dict[str, tuple[bytes, tuple[int, str] | None]] = {
    "nothing to do": (frame(0x00, "01 02 03"), None),
    "end of the session": (frame(0x66, session=0x10001), None),
    "services": (
        frame(0x04),
        (0, "01 00 00 01 14 00 01 00 20 01 43 6F 6D 6D 75 6E 69 63 61 74 69 6F 6E 73 00 00"),
    ),
    "interfaces": (frame(0x64), (0, "00 00")),
    "identity": (
        frame(0x63),
        (0, "01 00 0C 00 26 00 01 00 00 02 AF 12 0A 14 00 1F 00 00 00 00 00 00 00 00 "
            "D1 FA 02 00 4B 00 03 01 00 00 1F 00 14 D0 04 43 56 2D 37 FF"),
    ),
    "services with data": (frame(0x04, "00"), (0x65, "")),
    "another session on the same connection": (REGISTERED, (0x01, "01 00 00 00")),
    "another command": (frame(0x70, session=0x10001), (0x01, "")),
    "another's session": (frame(0x6F, "00 00 00 00 00 00 00 00", session=0x10002), (0x64, "")),
    "no message in it": (frame(0x6F, "00 00 00 00 00 00 00 00", session=0x10001), (0x03, "")),
    "options": (frame(0x04, options=1), None),
}  # fmt: skip


@pytest.mark.parametrize("case", sorted(COMMANDS))
def test_each_command_is_answered_as_the_standard_has_it(case: str) -> None:
    asked, told = COMMANDS[case]
    served = link()
    assert served.answer(REGISTERED) == frame(0x65, "01 00 00 00", session=0x10001)
    answer = served.answer(asked)
    if told is None:
        assert answer is None
        return
    assert answer is not None
    read = Encapsulated.decode(answer)
    assert (read.status, read.data.hex(" ").upper()) == told


@pytest.mark.parametrize(
    ("data", "status", "told"),
    [("02 00 00 00", 0x69, "01 00 00 00"), ("01 00 01 00", 0x69, "01 00 00 00"), ("01 00", 0x65, ""), ("", 0x65, "")],
)
def test_a_session_of_another_version_or_length_is_refused(data: str, status: int, told: str) -> None:
    served = link()
    answer = Encapsulated.decode(served.answer(frame(0x65, data, context=7)) or b"")
    assert (answer.status, answer.session, answer.data.hex(" ").upper(), answer.context) == (status, 0, told, 7)
    assert served.session == 0


def test_what_is_ended_answers_no_more() -> None:
    served = link()
    served.answer(REGISTERED)
    served.answer(frame(0x66, session=0x10001))
    assert served.answer(frame(0x04)) is None


# ── requests by way of ports


@pytest.mark.parametrize(
    ("ms", "octets"), [(2000, "03 FA"), (255, "00 FF"), (256, "01 80"), (1, "00 01"), (0.5, "00 01")]
)
def test_a_time_out_in_ticks(ms: float, octets: str) -> None:
    assert ticks(ms).hex(" ").upper() == octets
    exponent, count = ticks(ms)
    assert count << exponent >= ms


def test_a_request_by_way_of_a_port_by_hand() -> None:
    """CIP volume 1, 3-5.5.4: priority and ticks, the message and its length, a filling octet, the route."""
    asked = Asked(0x0E, bytes.fromhex("20 01 24 01 30 07"))
    hops = b"".join(hop.encode() for hop in read_route("1/3"))
    wanted = "52 02 20 06 24 01 03 FA 08 00 0E 03 20 01 24 01 30 07 01 00 01 03"
    assert routed(asked, hops, 2000).encode().hex(" ").upper() == wanted
    odd = routed(Asked(0x10, b"\x20\x01\x24\x01", b"\x05"), hops, 2000)
    assert odd.encode().hex(" ").upper().endswith("07 00 10 02 20 01 24 01 05 00 01 00 01 03")
    assert routed(asked, b"", 2000) == asked
    device = Adapter(replace(FACTS, backplane=1, slot=3), Still())
    assert device.served(routed(asked, hops, 2000)).data == b"\x04CV-7"
    for wrong, status, left in (
        ("2/3", 0x0311, 1),
        ("1/4", 0x0312, 1),
        ("1/3, 2/5", 0x0311, 1),
        ("1/4, 2/5", 0x0312, 2),
    ):
        route = b"".join(hop.encode() for hop in read_route(wrong))
        answer = device.served(routed(asked, route, 2000))
        assert (answer.service, answer.status, answer.extended, answer.data) == (0x52, 1, (status,), bytes([left]))
    for spoilt in (b"", b"\x03\xfa\x08\x00\x0e", routed(asked, hops, 2000).data[:-1]):
        assert device.served(Asked(0x52, bytes.fromhex("20 06 24 01"), spoilt)).status == 0x13


def test_requests_and_parameters_go_by_the_stations_route() -> None:
    plant = asking(trigger="period", period_ms=200)
    station = plant.all(Station)[0]
    rows = [replace(r, settings={**r.settings, "route": "1/3"}) if r.id == station.id else r for r in plant.rows()]
    plant = Plant.of(rows, plant.counter)
    bench = on(plant)
    went: list[Passed] = []
    bench.ethernet.taps.append(went.append)
    bench.parameter(station.id, "param7")
    bench.run_until(1)
    assert ramp(bench)["state"] == "good"
    assert next(p for p in bench.stations.all()[0]["parameters"] if p["key"] == "param7")["text"] == "read"
    asked = [Asked.decode(items(p.octets[30:])[1][1]) for p in went if p.kind == "octets" and p.octets[0] == 0x6F
             and p.port == 44818]  # fmt: skip
    services = {a.service for a in asked if a}
    assert services == {0x54, 0x52}
    elsewhere = on(plant, slot=4)
    elsewhere.run_until(1)
    assert ramp(elsewhere)["text"].startswith("refused, 01/0312: ")


# ── sessions as a controller keeps them


def _run(plant: Plant, seconds: float, **changed: Any) -> tuple[Bench, list[Passed]]:
    bench = on(plant, **changed)
    went: list[Passed] = []
    bench.ethernet.taps.append(went.append)
    bench.run_until(seconds)
    return bench, went


def test_one_session_is_opened_kept_and_ended_and_every_frame_has_its_own_context() -> None:
    bench, went = _run(asking(trigger="period", period_ms=100), 2)
    bench.stop()
    frames = [Encapsulated.decode(p.octets) for p in went if p.kind == "octets" and p.port == 44818]
    assert [f.command for f in frames].count(0x65) == 1
    assert frames[0].command == 0x65
    assert frames[-1].command == 0x66
    asked = [f for f in frames if f.command == 0x6F]
    assert len({f.session for f in asked}) == 1
    assert len({f.context for f in asked}) == len(asked) > 15
    answers = {f.context for p in went if p.kind == "octets" and p.port != 44818
               for f in [Encapsulated.decode(p.octets)] if f.command == 0x6F}  # fmt: skip
    assert answers == {f.context for f in asked}
    assert [p.kind for p in went if p.kind in ("opened", "closed")] == ["opened", "closed"]


@pytest.mark.parametrize(("idle_s", "opened"), [(0, 1), (1, 4), (1.6, 1)])
def test_a_device_ends_a_session_on_which_nothing_came_and_a_request_opens_another(idle_s: float, opened: int) -> None:
    plant = asking(trigger="period", period_ms=1500)
    station = plant.all(Station)[0]
    plant = apply(plant, LIBRARY, edits.SetFields(ids=[station.id], values={"settings.idle_s": idle_s})).plant
    bench, went = _run(plant, 5.9)
    assert [p.kind for p in went].count("opened") == opened
    # The first ends a second after the connection was opened, each other a second after its request.
    assert [p.kind for p in went].count("closed") == (opened if opened > 1 else 0)
    told = ramp(bench)
    assert (told["failures"], told["state"]) == (0, "good")
    # What is cyclic lives on without it.
    assert state(bench, "S0") == "good"
    assert len(devices(bench)[0].held) == 1


def _services(went: list[Passed]) -> list[int]:
    """Services of the messages to the device, in order."""
    found = []
    for passed in went:
        if passed.kind == "octets" and passed.port == 44818 and passed.octets[0] == 0x6F:
            found.append(items(passed.octets[30:])[1][1][0])
    return found


def test_a_connection_is_closed_when_the_controller_stops_and_nothing_is_sent_after_it() -> None:
    plant = cell(BY_HAND)
    bench, went = _run(plant, 1)
    adapter = devices(bench)[0]
    assert isinstance(adapter, Adapter)
    assert len(adapter.held) == 1
    bench.stop()
    assert _services(went) == [0x54, 0x4E]
    assert adapter.held == []
    closed = max(n for n, p in enumerate(went) if p.kind == "octets" and p.octets[0] == 0x6F and p.port != 44818)
    assert [p for p in went[closed:] if p.kind == "datagram"] == []


def test_a_lost_connection_is_closed_before_it_is_opened_again() -> None:
    """The device goes on sending, but what comes is of another size: the scanner gives up, closes, and opens anew."""
    plant = cell(BY_HAND)
    bench, went = _run(plant, 1)
    adapter = devices(bench)[0]
    assert isinstance(adapter, Adapter)
    adapter.inputs[100] = bytearray(7)
    bench.run_until(4)
    assert _services(went)[:3] == [0x54, 0x4E, 0x54]
    assert len(adapter.held) == 1


def test_nothing_goes_out_where_nobody_is() -> None:
    plant = cell(BY_HAND, {"type": "cv7"})
    bench = Bench(plant, LIBRARY, nobody_there(plant))
    went: list[Passed] = []
    bench.ethernet.taps.append(went.append)
    bench.run_until(5)
    assert went == []
    assert {x["request"] for s in bench.stations.all() for x in s["exchanges"]} == {""}
    assert state(bench, "S0") == "no answer to the request"


# ── names and streams


def test_ids_and_serials_are_unique_over_all_networks_of_a_controller() -> None:
    from highmoor.core.catalogue.builtin import BUILTIN
    from highmoor.core.plant.rows import Port
    from highmoor.core.project import edits
    from highmoor.core.project.apply import apply

    plant = cell({"type": "cv7"}, {"type": "ws3"})
    other = next(p for p in plant.all(Port) if p.key == "B")
    wanted = edits.Batch(edits=[
        edits.SetFields(ids=[other.id], values={"address": "10.30.0.1"}),
        edits.AddNetwork(fieldbus="ethernet-ip", port=other.id, tag="$n"),
        edits.AddStation(network="$n", address="10.30.0.9"), edits.AddStation(network="$n", address="10.30.0.10"),
    ])  # fmt: skip
    plant = apply(plant, LIBRARY, wanted).plant
    assert BUILTIN
    bench = Bench(plant, LIBRARY)
    bench.run_until(1)
    held = [h for d in devices(bench) for h in d.held]
    assert len(held) >= 2
    assert len({h.request.triad for h in held}) == len(held)
    assert len({h.request.originator for h in held}) == len(bench.controllers)
    assert len({h.stream.id for h in held}) == len(held)
    serials = {d.serial for d in devices(bench)}
    assert len(serials) == len(devices(bench))


SHARED = {"into": {"point": 100, "octets": 6, "rpi_ms": 50, "transfer": "multicast"}}


def test_what_is_sent_to_all_is_one_stream_whose_id_the_producer_chooses() -> None:
    device = Adapter(AdapterFacts(points=DRIVE, connections=9), Still(), address="10.20.0.31")
    way = OpenedWay(20_000, 10, "point-to-point")
    told: list[bytes] = []
    ids = []
    for n, into in ((1, OpenedWay(20_000, 10, "multicast")), (2, OpenedWay(40_000, 10, "multicast")), (3, way)):
        request = OpenRequest(0, 70 + n, n, 2, 3, 8, way, into, 1, bytes.fromhex("20 04 24 66 2C 64 2C 65"), True)
        served = Served(device)
        served.answer(REGISTERED)
        message = request.encode(large=False).encode()
        head = bytes(6) + b"\x02\x00\x00\x00\x00\x00" + struct.pack("<HH", 0xB2, len(message))
        answer = served.answer(Encapsulated(0x6F, served.session, head + message).encode(), told.append)
        reply = reply_in(answer)
        assert isinstance(reply, Answered)
        assert (reply.status, answer is not None) == (0, True)
        out_id, in_id, *_, into_us = struct.unpack_from("<IIHHIII", reply.data)
        ids.append(in_id)
        assert out_id
        # Who joins a stream gets its interval, and is told where it is sent: 239.192.1.0 + 32 · (31 − 1).
        assert into_us == 20_000
        sockets = [data for kind, data in items(Encapsulated.decode(answer or b"").data[6:]) if kind == 0x8001]
        group = bytes.fromhex("00 02 08 AE EF C0 04 C0") + bytes(8)
        assert sockets == ([] if n == 3 else [group])
    assert ids[0] == ids[1] not in (71, 72)
    assert ids[2] == 73
    assert [len(s.hearers) for s in device.streams.values()] == [2]


def test_a_shared_stream_counts_once_in_packets_and_on_the_wire() -> None:
    once, twice = (
        cell({**BY_HAND, **SHARED}),
        cell({**BY_HAND, **SHARED, "more": [{"kind": "input only", **SHARED, "out": {"point": 198}}]}),
    )
    loads: list[Timing] = [analyse(p, LIBRARY).result("network.timing", p.all(Network)[0].id) for p in (once, twice)]
    # The second hears the same packets; all it adds is its heartbeat.
    assert (loads[1].packets_per_s or 0) - (loads[0].packets_per_s or 0) == pytest.approx(1000 / 200)
    bench, went = _run(twice, 2)
    adapter = devices(bench)[0]
    assert len(adapter.held) == 2
    given = [p.octets for p in went if p.kind == "datagram" and p.source == adapter.address]
    packets = [CyclicPacket.decode(octets, header=False) for octets in given]
    assert len({p.connection for p in packets}) == 1
    assert len({p.sequence for p in packets}) == pytest.approx(2000 / 50, abs=2)
    assert state(bench, "S0") == "good"


def test_packets_of_a_device_come_at_its_interval() -> None:
    _, went = _run(cell({**BY_HAND, "into": {"point": 100, "octets": 400, "rpi_ms": 100}}), 1)
    given = [p.time_ns for p in went if p.kind == "datagram" and p.source != "10.0.0.1"]
    assert {(b - a) for a, b in pairwise(given)} == {100_000_000}
    opened = next(p.time_ns for p in went if p.kind == "octets" and p.port != 44818 and p.octets[0] == 0x6F)
    assert given[0] - opened == 100_000_000


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"rpi_most_ms": 80}, "; 80 ms to it and 50 ms from it would be taken"),
        ({"points": (replace(DRIVE[0], point=150, octets=4, header=False), replace(DRIVE[1], point=100, octets=6))},
         "; 6 octets are expected"),
    ],
)  # fmt: skip
def test_what_stands_behind_a_refusal_is_said(changed: dict[str, Any], says: str) -> None:
    bench, _ = _run(cell(BY_HAND), 0.5, **changed)
    assert state(bench, "S0").endswith(says)


def test_a_refused_request_carries_its_names_and_what_was_left_of_its_path() -> None:
    way = OpenedWay(20_000, 10, "point-to-point")
    path = b"".join(h.encode() for h in read_route("1/3")) + bytes.fromhex("20 04 24 66 2C 64 2C 65")
    request = OpenRequest(0, 7, 0x1122, 0x3344, 0x55667788, 8, way, way, 1, path)
    for facts, status, left in (
        (replace(FACTS, backplane=2), 0x0311, 5), (replace(FACTS, backplane=1, slot=9), 0x0312, 5),
        (replace(FACTS, backplane=1, slot=3, points=()), 0x0117, 0),
    ):  # fmt: skip
        answer = Adapter(facts, Still()).served(request.encode(large=False))
        names = bytes.fromhex("22 11 44 33 88 77 66 55")
        assert (answer.extended[0], answer.data) == (status, names + bytes([left, 0]))
    # What is asked is refused with what would be taken: O→T as asked (0), T→O at most 15 ms (3).
    facts = replace(FACTS, rpi_most_ms=15)
    slow = replace(request, path=bytes.fromhex("20 04 24 66 2C 64 2C 65"), out=OpenedWay(10_000, 10, "point-to-point"))
    answer = Adapter(facts, Still()).served(slow.encode(large=False))
    assert answer.extended == (0x0112, 0x0300, 10_000, 0, 15_000, 0)
