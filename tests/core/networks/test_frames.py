"""The frames told of a network are those that go over it: as many, as long, with the data where it is said to lie."""

from __future__ import annotations

import io
from collections import Counter
from typing import Any

import dpkt
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.capture import Capture
from highmoor.core.bench.bench import Bench
from highmoor.core.bench.labels import mac_of
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.plant import demo_plant
from highmoor.core.figures.modbus_functions import FUNCTIONS, MASK
from highmoor.core.networks.frames import Frame, FramePiece, InFrame, in_frames, traffic
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Exchange, Network, Port, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.networks.ethernet_ip.test_ethernet_ip import LIBRARY, cell
from tests.core.networks.modbus_rtu.test_modbus_rtu import on_a_line
from tests.core.plants import hall

_BEGIN_S, _END_S = 1.0, 3.0


def told(plant: Plant) -> tuple[Frame, ...]:
    frames: tuple[Frame, ...] = analyse(plant, LIBRARY).result("network.frames", plant.all(Network)[0].id)
    return frames


def alive(plant: Plant, data: bytes) -> Bench:
    """On the bench, with these octets in what the controller gives and in whatever a device could give."""
    bench = Bench(plant, LIBRARY)
    image = next(iter(bench.controllers.values())).image_out
    image[:] = (data * len(image))[: len(image)]
    for there in bench.devices.there.values():
        device: Any = there.device
        for block in getattr(device, "inputs", {}).values():
            block[:] = (data * len(block))[: len(block)]
        for area in getattr(getattr(device, "server", None), "areas", {}).values():
            area.update({n: int.from_bytes((data * 2)[:2], "big") + n & 0xFFFF for n in range(200)})
    return bench


def went_over(bench: Bench, plant: Plant) -> list[bytes]:
    """What goes over the network from one second to three after the start."""
    bench.run_until(_BEGIN_S)
    network = plant.all(Network)[0]
    line = bench.lines.get(network.id)
    if line is None:
        out = io.BytesIO()
        bench.ethernet.taps.append(Capture(out))
        bench.run_until(_END_S)
        return [bytes(frame) for _, frame in dpkt.pcapng.Reader(io.BytesIO(out.getvalue()))]
    heard: list[bytes] = []
    line.taps.append(lambda _, octets: heard.append(octets))
    bench.run_until(_END_S)
    return heard


def data_of(frame: Frame, octets: bytes) -> dict[tuple[str, bool], bytes]:
    """The pieces of a frame that went over, as octets."""
    found = {}
    for piece in frame.pieces:
        cut = octets[piece.at : piece.at + frame.characters * piece.octets]
        found[piece.exchange, piece.back] = bytes.fromhex(cut.decode()) if frame.characters == 2 else cut
    return found


def held(plant: Plant, data: bytes) -> None:
    """Every frame told goes over, no other of these lengths, with the octets of the image where they are said to be."""
    bench = alive(plant, data)
    frames, went = told(plant), went_over(bench, plant)
    lengths = Counter(frame.octets for frame in frames)
    seconds = _END_S - _BEGIN_S
    for octets in lengths:
        due = sum(frame.per_s * seconds for frame in frames if frame.octets == octets)
        assert abs(sum(len(one) == octets for one in went) - due) <= lengths[octets] + 1, octets
    analysis = analyse(plant, LIBRARY)
    controller = plant.all(Controller)[0]
    port = plant.all(Network)[0].port or ""
    image = analysis.result("controller.image", controller.id)
    for frame in frames:
        own = [one for one in went if len(one) == frame.octets]
        # On Ethernet it is seen who sent it, by what stands on the labels.
        from_it = [one for one in own if one[6:12] == mac_of(frame.sender or port)] or own
        last = [data_of(frame, one) for one in from_it][-len(frames) :]
        for piece in frame.pieces:
            area = "out" if piece.back or plant.get(piece.exchange, Exchange).direction == "out" else "in"
            item = image.item(piece.exchange, area)
            whole = bench.controllers[controller.id]
            stands = bytes(whole.image_in if area == "in" else whole.image_out)[item.offset :][: piece.octets]
            wire = analysis.result("exchange.wire", piece.exchange)
            seen = {_masked(one[piece.exchange, piece.back], 0 if piece.back else wire.bits) for one in last}
            assert _masked(stands, 0 if piece.back else wire.bits) in seen


def _masked(octets: bytes, bits: int) -> bytes:
    """Coils behind the last one are nobody's."""
    if not bits % 8 or bits > 8 * len(octets):
        return octets
    return octets[:-1] + bytes([octets[-1] & (1 << bits % 8) - 1])


ASKED = st.fixed_dictionaries(
    {"function": st.sampled_from(sorted(FUNCTIONS)), "count": st.integers(1, 40), "write_count": st.integers(1, 20)}
)


def asked(wanted: dict[str, Any]) -> dict[str, Any]:
    """As a function takes it."""
    function = FUNCTIONS[wanted["function"]]
    count = 1 if function.at_most == 1 else wanted["count"]
    more = {"write_count": wanted["write_count"]} if function.writes_at_most else {}
    return {"function": function.code, "count": count, "period_ms": 100, **more}


@settings(max_examples=25)
@given(ASKED, st.binary(min_size=3, max_size=30))
def test_modbus_over_tcp(wanted: dict[str, Any], data: bytes) -> None:
    plant = hall()
    steps: list[Any] = [
        edits.AddNetwork(fieldbus="modbus-tcp", port=plant.all(Port)[0].id, tag="$n"),
        edits.AddStation(network="$n", connection_tag="$k"),
        edits.AddExchange(connection="$k", settings=asked(wanted)),
    ]
    held(apply(plant, BUILTIN, edits.Batch(edits=steps)).plant, data)


@settings(max_examples=25)
@given(ASKED, st.sampled_from(["rtu", "ascii"]), st.booleans(), st.binary(min_size=3, max_size=30))
def test_modbus_on_a_line(wanted: dict[str, Any], mode: str, everybody: bool, data: bytes) -> None:
    plant = on_a_line({"period_ms": 200}, line={"mode": mode, "baud": 19200})
    exchange = plant.all(Exchange)[0]
    station = plant.all(Station)[0]
    made = asked(wanted)
    if FUNCTIONS[made["function"]].direction != exchange.direction:
        new = edits.AddExchange(connection=exchange.connection, settings={**made, "period_ms": 200})
        plant = apply(plant, BUILTIN, edits.Batch(edits=[edits.Remove(ids=[exchange.id]), new])).plant
        if everybody and made["function"] != MASK:
            plant = apply(plant, BUILTIN, edits.SetFields(ids=[station.id], values={"address": "0"})).plant
    else:
        values = {f"settings.{key}": value for key, value in {**made, "period_ms": 200}.items()}
        plant = apply(plant, BUILTIN, edits.SetFields(ids=[exchange.id], values=values)).plant
    held(plant, data)


WAY = st.fixed_dictionaries({"octets": st.integers(1, 200), "header": st.booleans(), "rpi_ms": st.integers(5, 40)})


@settings(max_examples=25)
@given(WAY, WAY, st.booleans(), st.binary(min_size=3, max_size=30))
def test_packets_of_ethernet_ip(into: dict[str, Any], out: dict[str, Any], to_all: bool, data: bytes) -> None:
    transfer = "multicast" if to_all else "point-to-point"
    held(cell({"into": {"point": 100, **into, "transfer": transfer}, "out": {"point": 150, **out}}), data)


@pytest.mark.parametrize("network", [n.name for n in demo_plant().all(Network)])
def test_what_loads_a_cable_is_the_sum_of_its_frames(network: str) -> None:
    """By hand from the frames; a station that is sent a stream and sends one has both."""
    plant = demo_plant()
    row = next(n for n in plant.all(Network) if n.name == network)
    analysis = analyse(plant, BUILTIN)
    frames: tuple[Frame, ...] = analysis.result("network.frames", row.id)
    rate = [8 * f.wire_octets / (f.period_ms / 1000) / 1e6 if f.period_ms else 0 for f in frames]
    for share in traffic(frames):
        into = sum(r for f, r in zip(frames, rate, strict=True) if f.sender == share.station)
        out = sum(r for f, r in zip(frames, rate, strict=True) if share.station in f.receivers)
        assert (share.in_mbit_s, share.out_mbit_s) == pytest.approx((into, out))
    # Every exchange's data is found in the frames that carry it, and in none beyond their ends.
    for frame in frames:
        for piece in frame.pieces:
            assert 0 < piece.at <= piece.at + frame.characters * piece.octets <= frame.octets
            assert analysis.result("exchange.frames", piece.exchange).frames


@pytest.mark.parametrize("characters", [1, 2])
def test_where_data_lies_is_told_from_its_first_octet_to_its_last(characters: int) -> None:
    pieces = (FramePiece("x1", 60, 4), FramePiece("x2", 70, 1, back=True), FramePiece("x1", 90, 2))
    frame = Frame("", ("s1",), 120, 144, 10, pieces, characters=characters)
    told = in_frames([frame])
    assert told["x1"] == (
        InFrame(60, 59 + 4 * characters, 120, False),
        InFrame(90, 89 + 2 * characters, 120, False),
    )
    assert told["x2"] == (InFrame(70, 69 + characters, 120, True),)
