"""EtherNet/IP on the bench: the scanner in the controller opens connections, sends and hears at their intervals."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from zlib import crc32

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory, Wire
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.encapsulation import CyclicPacket, EncapsulationError
from highmoor.core.networks.ethernet_ip.explain import explain
from highmoor.core.networks.ethernet_ip.messages import open_request
from highmoor.core.networks.ethernet_ip.requester import Requester
from highmoor.core.networks.ethernet_ip.settings import Agreement, Way, agreement, is_request
from highmoor.core.networks.ethernet_ip.timing import wire_octets
from highmoor.core.networks.ethernet_ip.unconnected import code_of, framed, refusal_of, reply_in
from highmoor.core.networks.fieldbus import BenchLine
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network

NS_A_MS = 1_000_000
_NS_AN_OCTET = 80
# How long a request waits for its answer, and how soon a connection is tried again.
_ANSWER_NS = 2_000 * NS_A_MS
_AGAIN_NS = 1_000 * NS_A_MS
# CIP volume 1, 3-4.5.2.
_FIRST_PACKET_MS = 10_000
# Connections are opened one after the other.
_STAGGER_NS = 2 * NS_A_MS


def go_live(clock: Clock, memory: Memory, wire: Wire, network: Network, lines: list[BenchLine]) -> None:
    """Open every connection, and make requests when they are wanted; they go on for as long as the clock runs."""
    serials = iter(range(1, 0x1_0000))
    # Which scanner asks is part of a connection's name: two of them must not have one.
    originator = crc32(network.id.encode())
    before: Requester | None = None
    for n, line in enumerate(lines):
        if is_request(line.line.connection):
            made = Requester(clock, memory, wire, line)
            made.begin(before)
            before = made
        else:
            scanned = _Scanned(clock, memory, wire, line, agreement(line.line), serials, originator, n)
            clock.at(clock.now_ns + n * _STAGGER_NS, scanned.open)


@dataclass(slots=True)
class _Scanned:
    """One connection as the scanner sees it. `in_id` 0: it is not open; each opening has its own number."""

    clock: Clock
    memory: Memory
    wire: Wire
    bench_line: BenchLine
    told: Agreement
    serials: Iterator[int]
    originator: int
    number: int
    in_id: int = 0
    out_id: int = 0
    opening: int = 0
    sequence: int = 0
    alive_until: int = 0
    heard: bool = False
    _last_count: int = field(default=-1)

    @property
    def _address(self) -> str:
        return self.bench_line.line.station.address

    def _lives(self) -> list[ExchangeLive]:
        return [self.bench_line.live[way.exchange] for way in self.told.ways if way.exchange]

    def _live(self, way: Way) -> ExchangeLive | None:
        return self.bench_line.live.get(way.exchange)

    def _adapter(self) -> Adapter | None:
        device = self.wire.reached(self._address)
        return device if isinstance(device, Adapter) else None

    # ── opening

    def open(self) -> None:
        """A session, then the connection request; nobody there is noticed after the answer's time."""
        self.opening += 1
        opening, device = self.opening, self._adapter()
        serial = next(self.serials, 1)
        # Connection ids are the hearer's to choose; a new one each time keeps late packets of the last one apart.
        in_id = 0x1000_0000 + (self.number << 12) + opening % 0x1000
        request, large = open_request(self.told, serial, self.originator, in_id)
        message = request.encode(large=large)
        octets = framed(device, message)
        for live in self._lives():
            live.request, live.response = octets, b""
            live.transactions += 1
        if device is None:
            self.clock.at(self.clock.now_ns + _ANSWER_NS, lambda: self._silent(opening))
            return
        took = int(2 * device.reply_ms * NS_A_MS)
        self.clock.at(self.clock.now_ns + took, lambda: self._arrived(octets, in_id, opening))

    def _arrived(self, octets: bytes, in_id: int, opening: int) -> None:
        device = self._adapter()
        answer = device.answer(octets, self._hear) if device else None
        if answer is None:
            self.clock.at(self.clock.now_ns + _ANSWER_NS, lambda: self._silent(opening))
            return
        for live in self._lives():
            live.response = answer
        reply = reply_in(answer)
        if reply is None or reply.status:
            self._failed(refusal_of(reply), code_of(reply))
            return
        self._opened(int.from_bytes(reply.data[:4], "little"), in_id)

    def _silent(self, opening: int) -> None:
        if self.opening == opening and not self.in_id:
            self._failed(explain(0x010204), 0x0204)

    def _opened(self, out_id: int, in_id: int) -> None:
        self.in_id, self.out_id = in_id, out_id
        self.heard, self.sequence, self._last_count = False, 0, -1
        first = self.clock.now_ns + int(max(self.told.timeout_ms(self.told.into), _FIRST_PACKET_MS) * NS_A_MS)
        live = self._live(self.told.out)
        if live:
            live.state, live.text, live.last_good_ns = "good", "open", self.clock.now_ns
            self.memory.set_status(live.exchange, True)
            self.memory.set_code(live.exchange, 0)
        into = self._live(self.told.into)
        if into:
            into.state, into.text = "waiting", "open, no packet yet"
        self._send(in_id)
        self.clock.at(first, lambda: self._first_packet(in_id), priority=1)

    # ── cyclic data

    def _send(self, in_id: int) -> None:
        """The next packet to the device, and the one after it an interval later."""
        if self.in_id != in_id:
            return
        way, live = self.told.out, self._live(self.told.out)
        data = b""
        if way.octets and live:
            start = self.bench_line.offsets[way.exchange]
            data = bytes(self.memory.image_out[start : start + way.octets])
        self.sequence += 1
        packet = CyclicPacket(self.out_id, self.sequence, self.sequence, True if way.header else None, data).encode()
        if live:
            live.request, live.data = packet, data
            live.transactions += 1
        arrives = self.clock.now_ns + _NS_AN_OCTET * wire_octets(way.octets, way.header)
        self.clock.at(arrives, lambda: self._delivered(packet))
        self.clock.at(self.clock.now_ns + int(way.rpi_ms * NS_A_MS), lambda: self._send(in_id))

    def _delivered(self, packet: bytes) -> None:
        device = self._adapter()
        if device:
            device.hear(packet)

    def _hear(self, octets: bytes) -> None:
        """A packet from the device: over a cable that is out, or to a connection that is no more, it is lost."""
        way = self.told.into
        if not self.in_id or self._adapter() is None:
            return
        try:
            packet = CyclicPacket.decode(octets, header=way.header)
        except EncapsulationError:
            return
        if packet.connection != self.in_id or len(packet.data) != way.octets or packet.count == self._last_count:
            return
        self._last_count = packet.count
        self.alive_until = self.clock.now_ns + int(self.told.timeout_ms(way) * NS_A_MS)
        live = self._live(way)
        if live is None:
            return
        if way.octets:
            start = self.bench_line.offsets[way.exchange]
            self.memory.image_in[start : start + way.octets] = packet.data
        live.response, live.data, live.last_good_ns = octets, packet.data, self.clock.now_ns
        live.transactions += 1
        if not self.heard:
            self.heard = True
            live.state, live.text = "good", "good"
            self.memory.set_status(live.exchange, True)
            self.memory.set_code(live.exchange, 0)
            self._watch(self.in_id)

    def _first_packet(self, in_id: int) -> None:
        """Until the first packet has come, a longer time applies."""
        if self.in_id == in_id and not self.heard:
            self._failed("opened, but no packet came", 0x0203)

    def _watch(self, in_id: int) -> None:
        """The connection is lost when nothing has come for its time-out."""
        if self.in_id != in_id:
            return
        if self.clock.now_ns < self.alive_until:
            self.clock.at(self.alive_until, lambda: self._watch(in_id), priority=1)
            return
        waited = shown(self.told.timeout_ms(self.told.into))
        self._failed(f"{explain(0x010203)}: no packet for {waited} ms", 0x0203)

    def _failed(self, text: str, code: int) -> None:
        self.in_id = 0
        for live in self._lives():
            live.state, live.text = "bad", text
            live.failures += 1
            self.memory.set_status(live.exchange, False)
            self.memory.set_code(live.exchange, code)
        self.clock.at(self.clock.now_ns + _AGAIN_NS, self.open)
