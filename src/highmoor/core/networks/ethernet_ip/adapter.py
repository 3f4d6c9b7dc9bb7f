"""An adapter of EtherNet/IP on the bench: objects, connections with watchdogs, cyclic packets.

It stands for a device as it is built: what it refuses, it refuses for the reason and with the status of the standard
(CIP volume 1, 3-5.6), whatever the configuration believes.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.figures.cip import spelled
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.ethernet_ip.acceptance import Granted, Refused, arrived, granted, heard_by_others
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts, AdapterPoint
from highmoor.core.networks.ethernet_ip.encapsulation import CyclicPacket, EncapsulationError, packet_connection
from highmoor.core.networks.ethernet_ip.messages import (
    CONNECTION_MANAGER,
    FORWARD_CLOSE,
    FORWARD_OPEN,
    LARGE_FORWARD_OPEN,
    UNCONNECTED_SEND,
    Answered,
    Asked,
    OpenRequest,
    accepted,
    refused,
    unwrapped,
)
from highmoor.core.networks.ethernet_ip.paths import ASSEMBLY_CLASS, ReadPath, read_path
from highmoor.core.networks.ethernet_ip.port_parameters import port_answer
from highmoor.core.networks.ethernet_ip.routes import read_hops
from highmoor.core.networks.io_link.parameters import Served

# Octets of the device itself, or a stretch of a controller's image.
Block = bytearray | memoryview
# Takes a packet and the address of all who hear it, "" for one that goes to whoever opened the connection.
Hear = Callable[[bytes, str], None]
_NS_A_US = 1000
RESET, IDENTITY_OBJECT = 0x05, bytes.fromhex("20 01 24 01")
# How long it takes to come back.
RESTART_NS = 2_000_000_000
# The TCP/IP interface object's configuration: address, mask, gateway, two name servers, a domain (CIP volume 2, 5-4).
INTERFACE_CONFIGURATION = bytes.fromhex("20 F5 24 01 30 05")
_INTERFACE_OCTETS = 22
# Until the first packet has come, a longer time applies (CIP volume 1, 3-4.5.2).
_FIRST_PACKET_NS = 10_000_000_000


@dataclass(slots=True, eq=False)
class Stream:
    """Packets of a connection point on their way: to one who asked, or to all who did (multicast, a `group`)."""

    point: AdapterPoint
    id: int
    rpi_us: int
    group: str = ""
    hearers: list[Held] = field(default_factory=list)
    sequence: int = 0


def _waits_ns(request: OpenRequest) -> int:
    return request.out.rpi_us * request.multiplier * _NS_A_US


@dataclass(slots=True)
class Held:
    """A connection the adapter holds: what was granted, who hears, until when it waits, and how long each time (ns)."""

    granted: Granted
    out_id: int
    stream: Stream
    hear: Hear
    alive_until: int
    open: bool = True
    heard: bool = False
    run: bool = False
    # What every packet asks for.
    out: AdapterPoint = field(init=False)
    waits_ns: int = field(init=False)

    def __post_init__(self) -> None:
        self.out, self.waits_ns = self.granted.out, _waits_ns(self.granted.request)

    @property
    def request(self) -> OpenRequest:
        return self.granted.request

    @property
    def into(self) -> AdapterPoint:
        return self.granted.into


@dataclass(slots=True)
class Adapter:
    """The device: `inputs` are what it gives, `outputs` what it takes, by connection point; `address` its IPv4."""

    facts: AdapterFacts
    clock: Clock
    address: str = "0.0.0.0"
    serial: int = 0xD000_0001
    keep: Callable[[Mapping[str, Any]], None] = lambda _: None
    inputs: dict[int, Block] = field(init=False)
    outputs: dict[int, Block] = field(init=False)
    configuration: bytes = b""
    held: list[Held] = field(default_factory=list)
    attributes: dict[bytes, bytes] = field(init=False)
    streams: dict[int, Stream] = field(default_factory=dict)
    sessions: int = 0
    # Who answers for the devices on its ports, where it is an IO-Link master, and the class they are asked by.
    ports: Served | None = None
    port_class: int = 0
    boots: int = 0
    back_ns: int = 0
    _ids: int = 0

    def __post_init__(self) -> None:
        data = [p for p in self.facts.points if p.role == "data"]
        self.inputs = {p.point: bytearray(p.octets) for p in data if p.direction == "in"}
        self.outputs = {p.point: bytearray(p.octets) for p in data if p.direction == "out"}
        self.attributes = {
            bytes.fromhex(path): bytes.fromhex(value)
            for path, value in (*self.facts.attributes.items(), *self.facts.kept.items())
        }  # fmt: skip

    def told(self) -> Sequence[Diagnosis]:
        """It tells nothing of itself."""
        return ()

    @property
    def away(self) -> bool:
        """Whether it restarts and hears nobody."""
        return self.clock.now_ns < self.back_ns

    def restart(self) -> None:
        """Whatever it held is gone; it is back after a while."""
        for held in list(self.held):
            if held in self.held:
                self._end(held)
        self.configuration = b""
        self.boots += 1
        self.back_ns = self.clock.now_ns + RESTART_NS

    @property
    def reply_ms(self) -> float:
        """How long it thinks before it answers."""
        return self.facts.reply_ms

    @property
    def running(self) -> bool:
        """Whether somebody commands it and says run; without a header, packets themselves say so."""
        return any(held.open and held.run and held.out.role == "data" for held in self.held)

    # ── messages

    def served(self, asked: Asked, hear: Hear | None = None) -> Answered:
        """The answer to a message; `hear` takes the packets of a connection opened by it."""
        request = None
        try:
            if asked.service == UNCONNECTED_SEND and asked.path == CONNECTION_MANAGER:
                return self._passed_on(asked)
            if asked.service in (FORWARD_OPEN, LARGE_FORWARD_OPEN):
                if asked.service == LARGE_FORWARD_OPEN and not self.facts.large:
                    raise Refused(0x08)
                request = OpenRequest.decode(asked)
                if request is None:
                    raise Refused(0x13)
                return self._open(asked.service, request, hear or (lambda *_: None))
            if asked.service == FORWARD_CLOSE:
                return self._close(asked)
            return self._of_object(asked)
        except Refused as refusal:
            return refused(asked.service, request, refusal.status, refusal.words, refusal.remaining_words)

    def _passed_on(self, asked: Asked) -> Answered:
        """What came by way of ports: taken out and answered here, where the route ends here."""
        found = unwrapped(asked)
        hops = read_hops(found[1]) if found else None
        if found is None or hops is None:
            raise Refused(0x13)
        try:
            arrived(self.facts, hops)
        except Refused as refusal:
            left = bytes([refusal.remaining_words])
            return Answered(asked.service, refusal.status, refusal.words, left)
        return self.served(found[0])

    # ── connections

    def _open(self, service: int, request: OpenRequest, hear: Hear) -> Answered:
        told, configuration = granted(self.facts, self._granted(), request, configured=bool(self.configuration))
        self.configuration = configuration or self.configuration
        self._ids += 1
        # The hearer chooses the id of what comes to it, whoever sends to all that of what it sends.
        out_id = 0x2000_0000 + self._ids
        first = self.clock.now_ns + max(_FIRST_PACKET_NS, _waits_ns(request))
        stream = self._stream(told)
        held = Held(told, out_id, stream, hear, first)
        self.held.append(held)
        stream.hearers.append(held)
        if len(stream.hearers) == 1:
            self._produce(stream)
        self.clock.at(first, lambda: self._first_packet(held), priority=1)
        shared = request.into.transfer == "multicast"
        return accepted(service, request, out_id, stream.id, stream.rpi_us, self.group if shared else None)

    def _stream(self, told: Granted) -> Stream:
        """The packets a connection hears: its own, or what is sent to all who hear this point already."""
        request, point = told.request, told.into
        if request.into.transfer != "multicast":
            return Stream(point, request.in_id, request.into.rpi_us)
        stream = self.streams.get(point.point)
        if stream is None:
            group = ".".join(map(str, self.group.to_bytes(4, "big")))
            stream = Stream(point, self._number << 8 & 0xFFFF_FF00 | point.point & 0xFF, request.into.rpi_us, group)
            self.streams[point.point] = stream
        return stream

    @property
    def group(self) -> int:
        """The multicast address this device sends to (CIP volume 2, 3-5.3), its subnet taken for one of 256."""
        return 0xEFC0_0100 + (((self._number & 0xFF) - 1 & 0x3FF) << 5)

    @property
    def _number(self) -> int:
        return int.from_bytes(bytes(int(part) & 0xFF for part in self.address.split(".") if part.isdigit()), "big")

    def _granted(self) -> list[Granted]:
        return [held.granted for held in self.held if held.open]

    def _close(self, asked: Asked) -> Answered:
        # Priority and ticks, then the connection's three names.
        names = struct.unpack_from("<HHI", asked.data, 2) if len(asked.data) >= 10 else None
        held = next((h for h in self.held if h.open and h.request.triad == names), None)
        if held is None:
            raise Refused(0x01, 0x0107)
        self._end(held)
        return Answered(FORWARD_CLOSE, 0, (), asked.data[2:10] + bytes(2))

    def _let_go(self, held: Held) -> None:
        held.open = False
        self.held.remove(held)
        held.stream.hearers.remove(held)
        if not held.stream.hearers:
            self.streams = {point: s for point, s in self.streams.items() if s is not held.stream}

    def _end(self, held: Held) -> None:
        self._let_go(held)
        # Listeners die with the last connection they could hear.
        left = self._granted()
        for listener in [h for h in self.held if h.granted.listens and not heard_by_others(left, h.into)]:
            self._let_go(listener)

    # ── UDP port 2222

    def _first_packet(self, held: Held) -> None:
        """End the connection when not even a first packet has come."""
        if held.open and not held.heard:
            self._end(held)

    def _watch(self, held: Held) -> None:
        """End the connection when nothing has come for its time-out."""
        if not held.open:
            return
        if self.clock.now_ns >= held.alive_until:
            self._end(held)
        else:
            self.clock.at(held.alive_until, lambda: self._watch(held), priority=1)

    def hear(self, octets: bytes) -> None:
        """A cyclic packet from a controller; what belongs to no connection is dropped."""
        if self.away:
            return
        connection = packet_connection(octets)
        for held in self.held:
            if held.out_id != connection:
                continue
            try:
                packet = CyclicPacket.decode(octets, header=held.out.header)
            except EncapsulationError:
                continue
            if held.open and len(packet.data) == held.out.octets:
                held.alive_until = self.clock.now_ns + held.waits_ns
                held.run = packet.run is not False
                if not held.heard:
                    held.heard = True
                    self._watch(held)
                if held.out.role == "data" and held.run:
                    self.outputs[held.out.point][:] = packet.data
                return

    def _produce(self, stream: Stream) -> None:
        """The next packet of a stream, and the one after it an interval later."""
        self.clock.at(self.clock.now_ns + stream.rpi_us * _NS_A_US, lambda: self._send(stream))

    def _send(self, stream: Stream) -> None:
        if not stream.hearers:
            return
        stream.sequence += 1
        header = True if stream.point.header else None
        data = bytes(self.inputs[stream.point.point])
        packet = CyclicPacket(stream.id, stream.sequence, stream.sequence, header, data).encode()
        # What all may hear is sent once.
        stream.hearers[0].hear(packet, stream.group)
        self._produce(stream)

    # ── objects

    def _of_object(self, asked: Asked) -> Answered:
        where = read_path(asked.path)
        if where is None or where.class_id is None:
            raise Refused(0x04)
        if where.class_id == 1 and asked.service == RESET:
            return self._reset(asked.data)
        if self.ports is not None and where.class_id == self.port_class:
            return port_answer(asked, where, self.ports)
        if asked.service == 0x01 and where.class_id == 1 and where.instance == 1:
            return Answered(0x01, 0, (), self.identity())
        if asked.service == 0x0E:
            return Answered(0x0E, 0, (), self._attribute(asked.path, where))
        if asked.service == 0x10:
            return self._set(asked, where)
        raise Refused(0x08)

    def _reset(self, kind: bytes) -> Answered:
        """As if its power had been away, or with its factory settings but for its address (volume 1, 5-2.3.3)."""
        if kind not in (b"", b"\x00", b"\x02"):
            raise Refused(0x20)
        if kind == b"\x02":
            self.attributes = {bytes.fromhex(p): bytes.fromhex(v) for p, v in self.facts.attributes.items()}
            self.keep({"facts.kept": None})
        self.restart()
        return Answered(RESET, 0)

    def _attribute(self, path: bytes, where: ReadPath) -> bytes:
        if path == INTERFACE_CONFIGURATION:
            octets = bytes(int(part) & 0xFF for part in reversed(self.address.split(".")))
            return octets.rjust(4, b"\x00") + bytes([0, 255, 255, 255]) + bytes(_INTERFACE_OCTETS - 8)
        if path in self.attributes:
            return self.attributes[path]
        if where.class_id == 1:
            value = self._identity(where.attribute) if where.instance == 1 else None
            if where.instance != 1:
                raise Refused(0x05)
            if value is None:
                raise Refused(0x14)
            return value
        if where.class_id == ASSEMBLY_CLASS and where.attribute == 3:
            block = self.inputs.get(where.instance or 0, self.outputs.get(where.instance or 0))
            if block is not None:
                return bytes(block)
        known = {read.class_id for p in self.attributes if (read := read_path(p))}
        raise Refused(0x14 if where.class_id in known and self._has_instance(where) else 0x05)

    def _has_instance(self, where: ReadPath) -> bool:
        reads = [read_path(p) for p in self.attributes]
        return any(r and (r.class_id, r.instance) == (where.class_id, where.instance) for r in reads)

    def _set(self, asked: Asked, where: ReadPath) -> Answered:
        if asked.path == INTERFACE_CONFIGURATION:
            if len(asked.data) != _INTERFACE_OCTETS:
                raise Refused(0x13 if len(asked.data) < _INTERFACE_OCTETS else 0x15)
            self.keep({"address": ".".join(map(str, reversed(asked.data[:4])))})
            return Answered(0x10, 0)
        if asked.path not in self.attributes:
            self._attribute(asked.path, where)
            raise Refused(0x0E)
        size = len(self.attributes[asked.path])
        if len(asked.data) != size:
            raise Refused(0x13 if len(asked.data) < size else 0x15)
        self.attributes[asked.path] = asked.data
        self.keep({f"facts.kept.{spelled(asked.path)}": asked.data.hex()})
        return Answered(0x10, 0)

    def identity(self) -> bytes:
        """All attributes of the identity object, one behind the other."""
        return b"".join(self._identity(n) or b"" for n in range(1, 8))

    def _identity(self, attribute: int | None) -> bytes | None:
        """The identity object's attributes (CIP volume 1, 5-2.2)."""
        major, _, minor = self.facts.revision.partition(".")
        name = self.facts.name.encode("ascii", "replace")[:32]
        status = 1 if self.held else 0
        known = {
            1: self.facts.vendor.to_bytes(2, "little"),
            2: self.facts.device_type.to_bytes(2, "little"),
            3: self.facts.product.to_bytes(2, "little"),
            4: bytes([int(major or 0) & 0x7F, int(minor or 0) & 0xFF]),
            5: status.to_bytes(2, "little"),
            6: self.serial.to_bytes(4, "little"),
            7: bytes([len(name)]) + name,
        }
        return known.get(attribute or 0)
