"""An adapter of EtherNet/IP on the bench: objects, sessions, connections with watchdogs, cyclic packets.

It stands for a device as it is built: what it refuses, it refuses for the reason and with the status of the standard
(CIP volume 1, 3-5.6), whatever the configuration believes.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethernet_ip.acceptance import Granted, Refused, granted, heard_by_others
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts, AdapterPoint
from highmoor.core.networks.ethernet_ip.encapsulation import (
    INVALID_SESSION,
    REGISTER_SESSION,
    SEND_RR_DATA,
    UNKNOWN_COMMAND,
    CyclicPacket,
    Encapsulated,
    EncapsulationError,
    unconnected,
    unconnected_message,
)
from highmoor.core.networks.ethernet_ip.messages import (
    FORWARD_CLOSE,
    FORWARD_OPEN,
    LARGE_FORWARD_OPEN,
    Answered,
    Asked,
    OpenRequest,
    accepted,
    refused,
)
from highmoor.core.networks.ethernet_ip.paths import ASSEMBLY_CLASS, ReadPath, read_path

# Octets of the device itself, or a stretch of a controller's image.
Block = bytearray | memoryview
Hear = Callable[[bytes], None]
_NS_A_US = 1000
# Until the first packet has come, a longer time applies (CIP volume 1, 3-4.5.2).
_FIRST_PACKET_NS = 10_000_000_000


@dataclass(slots=True)
class Held:
    """A connection the adapter holds: what was granted, who hears, until when it waits (ns)."""

    granted: Granted
    out_id: int
    hear: Hear
    alive_until: int
    open: bool = True
    heard: bool = False
    sequence: int = 0
    run: bool = False

    @property
    def request(self) -> OpenRequest:
        return self.granted.request

    @property
    def out(self) -> AdapterPoint:
        return self.granted.out

    @property
    def into(self) -> AdapterPoint:
        return self.granted.into


@dataclass(slots=True)
class Adapter:
    """The device: `inputs` are what it gives, `outputs` what it takes, by connection point."""

    facts: AdapterFacts
    clock: Clock
    reply_ms: float = 2
    inputs: dict[int, Block] = field(init=False)
    outputs: dict[int, Block] = field(init=False)
    configuration: bytes = b""
    held: list[Held] = field(default_factory=list)
    attributes: dict[bytes, bytes] = field(init=False)
    _sessions: set[int] = field(default_factory=set)
    _ids: int = 0

    def __post_init__(self) -> None:
        data = [p for p in self.facts.points if p.role == "data"]
        self.inputs = {p.point: bytearray(p.octets) for p in data if p.direction == "in"}
        self.outputs = {p.point: bytearray(p.octets) for p in data if p.direction == "out"}
        self.attributes = {
            bytes.fromhex(path): bytes.fromhex(value) for path, value in self.facts.attributes.items()
        }  # fmt: skip

    @property
    def running(self) -> bool:
        """Whether somebody commands it and says run; without a header, packets themselves say so."""
        return any(held.open and held.run and held.out.role == "data" for held in self.held)

    # ── TCP port 44818

    def answer(self, octets: bytes, hear: Hear | None = None) -> bytes | None:
        """The frame that answers one; `hear` takes the packets of connections opened with it. None for no frame."""
        try:
            frame = Encapsulated.decode(octets)
        except EncapsulationError:
            return None
        if frame.command == REGISTER_SESSION:
            session = 0x10000 + len(self._sessions) + 1
            self._sessions.add(session)
            return Encapsulated(REGISTER_SESSION, session, frame.data, 0, frame.context).encode()
        if frame.command != SEND_RR_DATA:
            return Encapsulated(frame.command, frame.session, b"", UNKNOWN_COMMAND, frame.context).encode()
        if frame.session not in self._sessions:
            return Encapsulated(frame.command, frame.session, b"", INVALID_SESSION, frame.context).encode()
        try:
            asked = Asked.decode(unconnected_message(frame.data))
        except EncapsulationError:
            return None
        if asked is None:
            return None
        answered = self._served(asked, hear)
        return Encapsulated(SEND_RR_DATA, frame.session, unconnected(answered.encode()), 0, frame.context).encode()

    def _served(self, asked: Asked, hear: Hear | None) -> Answered:
        request = None
        try:
            if asked.service in (FORWARD_OPEN, LARGE_FORWARD_OPEN):
                if asked.service == LARGE_FORWARD_OPEN and not self.facts.large:
                    raise Refused(0x08)
                request = OpenRequest.decode(asked)
                if request is None:
                    raise Refused(0x13)
                return self._open(asked.service, request, hear or (lambda _: None))
            if asked.service == FORWARD_CLOSE:
                return self._close(asked)
            return self._of_object(asked)
        except Refused as refusal:
            return refused(asked.service, request, refusal.status, refusal.extended)

    # ── connections

    def _open(self, service: int, request: OpenRequest, hear: Hear) -> Answered:
        told, configuration = granted(self.facts, self._granted(), request, configured=bool(self.configuration))
        self.configuration = configuration or self.configuration
        self._ids += 1
        out_id = 0x2000_0000 + self._ids
        first = self.clock.now_ns + max(_FIRST_PACKET_NS, self._waits_ns(request))
        held = Held(told, out_id, hear, first)
        self.held.append(held)
        self._produce(held)
        self.clock.at(first, lambda: self._first_packet(held), priority=1)
        return accepted(service, request, out_id)

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

    def _end(self, held: Held) -> None:
        held.open = False
        self.held.remove(held)
        # Listeners die with the last connection they could hear.
        left = self._granted()
        for listener in [h for h in self.held if h.granted.listens and not heard_by_others(left, h.into)]:
            listener.open = False
            self.held.remove(listener)

    # ── UDP port 2222

    @staticmethod
    def _waits_ns(request: OpenRequest) -> int:
        return request.out.rpi_us * request.multiplier * _NS_A_US

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
        for held in self.held:
            try:
                packet = CyclicPacket.decode(octets, header=held.out.header)
            except EncapsulationError:
                continue
            if packet.connection == held.out_id and held.open and len(packet.data) == held.out.octets:
                held.alive_until = self.clock.now_ns + self._waits_ns(held.request)
                held.run = packet.run is not False
                if not held.heard:
                    held.heard = True
                    self._watch(held)
                if held.out.role == "data" and held.run:
                    self.outputs[held.out.point][:] = packet.data
                return

    def _produce(self, held: Held) -> None:
        """The next packet of a connection, and the one after it an interval later."""
        self.clock.at(self.clock.now_ns + held.request.into.rpi_us * _NS_A_US, lambda: self._send(held))

    def _send(self, held: Held) -> None:
        if not held.open:
            return
        held.sequence += 1
        header = True if held.into.header else None
        data = bytes(self.inputs[held.into.point])
        held.hear(CyclicPacket(held.request.in_id, held.sequence, held.sequence, header, data).encode())
        self._produce(held)

    # ── objects

    def _of_object(self, asked: Asked) -> Answered:
        where = read_path(asked.path)
        if where is None or where.class_id is None:
            raise Refused(0x04)
        if where.class_id == 1 and asked.service == 0x05:
            for held in list(self.held):
                self._end(held) if held in self.held else None
            return Answered(0x05, 0)
        if asked.service == 0x01 and where.class_id == 1 and where.instance == 1:
            return Answered(0x01, 0, (), b"".join(self._identity(n) or b"" for n in range(1, 8)))
        if asked.service == 0x0E:
            return Answered(0x0E, 0, (), self._attribute(asked.path, where))
        if asked.service == 0x10:
            return self._set(asked, where)
        raise Refused(0x08)

    def _attribute(self, path: bytes, where: ReadPath) -> bytes:
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
        if asked.path not in self.attributes:
            self._attribute(asked.path, where)
            raise Refused(0x0E)
        size = len(self.attributes[asked.path])
        if len(asked.data) != size:
            raise Refused(0x13 if len(asked.data) < size else 0x15)
        self.attributes[asked.path] = asked.data
        return Answered(0x10, 0)

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
            6: (0x00D0_0000 + self.facts.product).to_bytes(4, "little"),
            7: bytes([len(name)]) + name,
        }
        return known.get(attribute or 0)
