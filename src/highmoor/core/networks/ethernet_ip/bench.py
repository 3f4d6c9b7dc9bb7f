"""EtherNet/IP on the bench: the scanner in the controller opens connections, sends and hears at their intervals."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import NamedTuple
from zlib import crc32

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.ethernet_ip.encapsulation import (
    CYCLIC_PORT,
    CyclicPacket,
    Encapsulated,
    EncapsulationError,
    packet_connection,
    producer_group,
)
from highmoor.core.networks.ethernet_ip.explain import explain
from highmoor.core.networks.ethernet_ip.messages import OPEN_TIMEOUT_MS, OpenRequest, Taken, open_request
from highmoor.core.networks.ethernet_ip.replies import code_of, refusal_of, reply_in
from highmoor.core.networks.ethernet_ip.requester import requester
from highmoor.core.networks.ethernet_ip.session import Session
from highmoor.core.networks.ethernet_ip.settings import Agreement, Way, agreement
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.media import Datagram, Host
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.requester import Requester
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network

NS_A_MS = 1_000_000
_NS_A_US = 1000
# How soon a connection is tried again.
_AGAIN_NS = 1_000 * NS_A_MS
# CIP volume 1, 3-4.5.2.
_FIRST_PACKET_MS = 10_000
# Connections are opened one after the other.
_STAGGER_NS = 2 * NS_A_MS


def go_live(clock: Clock, memory: Memory, host: Host, _: Network, lines: list[BenchLine]) -> None:
    """Open every connection, and make requests when they are wanted, until the controller stops."""
    inbox = _Inbox()
    host.hear(CYCLIC_PORT, inbox.hear)
    sessions: dict[str, Session] = {}
    before: Requester | None = None
    for n, line in enumerate(lines):
        address = line.line.station.address
        session = sessions.setdefault(address, Session(clock, host, address))
        if is_request(line.line.connection):
            made = requester(clock, memory, session, line)
            made.begin(before)
            memory.at_stop.append(made.stop)
            before = made
        else:
            scanned = _Scanned(clock, memory, host, inbox, session, line, agreement(line.line))
            clock.at(clock.now_ns + n * _STAGGER_NS, scanned.open)
            memory.at_stop.append(scanned.stop)
    memory.at_stop += [session.end for session in sessions.values()]


@dataclass(slots=True)
class _Inbox:
    """Cyclic packets to one controller's address, for the connections that hear them."""

    open: dict[int, list[_Scanned]] = field(default_factory=dict)

    def hear(self, datagram: Datagram) -> None:
        """A packet; what belongs to no connection is dropped."""
        for scanned in self.open.get(packet_connection(datagram.octets), ()):
            scanned.hear(datagram)

    def put(self, scanned: _Scanned, before: int, now: int) -> None:
        """A connection hears another id from now on, 0 for none."""
        left: Iterable[_Scanned] = self.open.get(before, ())
        self.open[before] = [other for other in left if other is not scanned]
        if not self.open[before]:
            del self.open[before]
        if now:
            self.open[now] = [*self.open.get(now, ()), scanned]


def serial_of(controller: str) -> int:
    """The originator's serial number: one a controller, on whichever network it scans."""
    return crc32(controller.encode())


class _Stretch(NamedTuple):
    """One way of a connection: its octets in the image (none: an empty stretch), and what is told of them."""

    live: ExchangeLive | None
    start: int
    end: int
    octets: int
    header: bool


@dataclass(slots=True)
class _Scanned:
    """One connection as the scanner sees it. `in_id` 0: it is not open; each opening has its own number."""

    clock: Clock
    memory: Memory
    host: Host
    inbox: _Inbox
    session: Session
    bench_line: BenchLine
    told: Agreement
    in_id: int = 0
    out_id: int = 0
    opening: int = 0
    sequence: int = 0
    alive_until: int = 0
    heard: bool = False
    stopped: bool = False
    request: OpenRequest | None = None
    _last_count: int = -1
    # How long the scanner waits for the next packet: the interval that the device took, as often as asked for.
    _waits_ns: int = 0
    # What every packet asks for.
    _address: str = field(init=False)
    _out: _Stretch = field(init=False)
    _into: _Stretch = field(init=False)

    def __post_init__(self) -> None:
        self._address = self.bench_line.line.station.address
        self._out, self._into = self._stretch(self.told.out), self._stretch(self.told.into)

    def _stretch(self, way: Way) -> _Stretch:
        start = self.bench_line.offsets[way.exchange] if way.exchange and way.octets else 0
        live = self.bench_line.live.get(way.exchange)
        return _Stretch(live, start, start + way.octets, way.octets, way.header)

    def _lives(self) -> list[ExchangeLive]:
        return [self.bench_line.live[way.exchange] for way in self.told.ways if way.exchange]

    def _hears(self, in_id: int) -> None:
        """The id of the packets that are this connection's from now on, 0 for none."""
        self.inbox.put(self, self.in_id, in_id)
        self.in_id = in_id

    # ── opening

    def open(self) -> None:
        """What was open before is closed, then the connection request; nobody there is noticed after its time."""
        if self.stopped:
            return
        self._close()
        self.opening += 1
        opening = self.opening
        # Connection ids are the hearer's to choose; a new one each time keeps late packets of the last one apart.
        request, large = open_request(
            self.told, self.memory.fresh() & 0xFFFF, serial_of(self.memory.id), 0x1000_0000 + self.memory.fresh()
        )
        for live in self._lives():
            live.request, live.response = b"", b""

        def sent(frame: bytes) -> None:
            for live in self._lives():
                live.request = frame
                live.transactions += 1

        def answered(frame: bytes | None) -> None:
            if self.opening == opening and not self.stopped:
                self._answered(request, frame)

        self.session.ask(request.encode(large=large), OPEN_TIMEOUT_MS, sent, answered)

    def _answered(self, request: OpenRequest, frame: bytes | None) -> None:
        if frame is None:
            self._failed(explain(0x010204), 0x0204)
            return
        for live in self._lives():
            live.response = frame
        reply = reply_in(frame)
        taken = Taken.decode(reply.data) if reply and not reply.status else None
        if taken is None:
            self._failed(refusal_of(reply) or "an answer that is none", code_of(reply) or 0x0204)
            return
        self.request = request
        group = producer_group(Encapsulated.decode(frame).data)
        if group:
            self.host.join(group)
        self._opened(taken)

    def _close(self) -> None:
        """Tell the device that a connection is over, so that it need not find out; what it answers is no matter."""
        request, self.request = self.request, None
        self._hears(0)
        if request is not None:
            self.session.ask(request.close(), OPEN_TIMEOUT_MS, lambda _: None, lambda _: None)

    def stop(self) -> None:
        """The controller stops."""
        self.stopped = True
        self._close()

    def _opened(self, taken: Taken) -> None:
        self._hears(taken.in_id)
        self.out_id, self._waits_ns = taken.out_id, taken.into_us * self.told.multiplier * _NS_A_US
        self.heard, self.sequence, self._last_count = False, 0, -1
        first = self.clock.now_ns + max(self._waits_ns, _FIRST_PACKET_MS * NS_A_MS)
        live = self._out.live
        if live:
            live.state, live.text, live.last_good_ns = "good", "open", self.clock.now_ns
            self.memory.set_code(live.exchange, 0)
        into = self._into.live
        if into:
            into.state, into.text = "waiting", "open, no packet yet"
        opening = self.opening
        self._begin_sending(opening)
        self.clock.at(first, lambda: self._first_packet(opening), priority=1)

    # ── cyclic data

    def _stands(self, opening: int) -> bool:
        return self.opening == opening and bool(self.in_id)

    def _begin_sending(self, opening: int) -> None:
        """A packet to the device now and after every interval, as long as the connection stands."""
        clock, memory, host, out = self.clock, self.memory, self.host, self._out
        live, run = out.live, True if out.header else None
        interval_ns = int(self.told.out.rpi_ms * NS_A_MS)

        def send() -> None:
            if not self._stands(opening):
                return
            data = bytes(memory.image_out[out.start : out.end]) if live else b""
            self.sequence += 1
            packet = CyclicPacket(self.out_id, self.sequence, self.sequence, run, data).encode()
            if live:
                live.request, live.data = packet, data
                live.transactions += 1
                memory.set_length(live.exchange, out.octets)
            host.send(self._address, CYCLIC_PORT, packet)
            clock.at(clock.now_ns + interval_ns, send)

        send()

    def hear(self, datagram: Datagram) -> None:
        """A packet from the device."""
        into, octets = self._into, datagram.octets
        if datagram.source != self._address:
            return
        try:
            packet = CyclicPacket.decode(octets, header=into.header)
        except EncapsulationError:
            return
        if packet.connection != self.in_id or len(packet.data) != into.octets or packet.data_count == self._last_count:
            return
        self._last_count = packet.data_count
        self.alive_until = self.clock.now_ns + self._waits_ns
        live = into.live
        if live is None:
            return
        self.memory.image_in[into.start : into.end] = packet.data
        live.response, live.data, live.last_good_ns = octets, packet.data, self.clock.now_ns
        live.transactions += 1
        self.memory.set_length(live.exchange, into.octets)
        if not self.heard:
            self.heard = True
            live.state, live.text = "good", "good"
            self.memory.set_code(live.exchange, 0)
            self._watch(self.opening)

    def _first_packet(self, opening: int) -> None:
        """Until the first packet has come, a longer time applies."""
        if self._stands(opening) and not self.heard:
            self._failed("opened, but no packet came", 0x0203)

    def _watch(self, opening: int) -> None:
        """The connection is lost when nothing has come for its time-out."""
        if not self._stands(opening):
            return
        if self.clock.now_ns < self.alive_until:
            self.clock.at(self.alive_until, lambda: self._watch(opening), priority=1)
            return
        waited = shown(self._waits_ns / NS_A_MS)
        self._failed(f"{explain(0x010203)}: no packet for {waited} ms", 0x0203)

    def _failed(self, text: str, code: int) -> None:
        self._hears(0)
        for live in self._lives():
            live.state, live.text = "bad", text
            live.failures += 1
            self.memory.set_code(live.exchange, code)
            self.memory.set_length(live.exchange, 0)
        self.clock.at(self.clock.now_ns + _AGAIN_NS, self.open)
