"""A device on Ethernet: one session a TCP connection, what is answered without one, and what comes over UDP.

Source: CIP volume 2, 2-4 (commands of the encapsulation).
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.ethernet_ip.adapter import Adapter, Hear
from highmoor.core.networks.ethernet_ip.encapsulation import (
    CYCLIC_PORT,
    IDENTITY,
    INCORRECT_DATA,
    INVALID_LENGTH,
    INVALID_SESSION,
    LIST_IDENTITY,
    LIST_INTERFACES,
    LIST_SERVICES,
    NOP,
    REGISTER_SESSION,
    SEND_RR_DATA,
    SERVICES,
    SOCKET_OF_PRODUCER,
    TCP_PORT,
    UDP_PORT,
    UNKNOWN_COMMAND,
    UNREGISTER_SESSION,
    UNSUPPORTED_VERSION,
    VERSION,
    Encapsulated,
    EncapsulationError,
    socket_address,
    unconnected,
    unconnected_message,
    with_items,
)
from highmoor.core.networks.ethernet_ip.messages import Asked
from highmoor.core.networks.media import Datagram, Host, TcpEnd

# CIP over TCP (bit 5) and over UDP (bit 8) (volume 2, 2-4.6.3).
_CAPABLE = 1 << 5 | 1 << 8
# The state octet of an identity item: not known.
_STATE = 0xFF
_NS_A_MS = 1_000_000
# How long an answer to everybody's question may be put off where the question does not say, and at least, ms.
_PUT_OFF_MS, _PUT_OFF_LEAST_MS = 2000, 500


def attach(adapter: Adapter, host: Host) -> None:
    """The device onto Ethernet: its TCP port, its port for questions to everybody, and cyclic packets."""
    host.listen(TCP_PORT, lambda end: _Session(adapter, host, end).begin())
    host.hear(UDP_PORT, lambda datagram: _asked_by_datagram(adapter, host, datagram))
    host.hear(CYCLIC_PORT, lambda datagram: adapter.hear(datagram.octets))


@dataclass(slots=True)
class _Session:
    """A TCP connection at the device: answers after its time to think, ended when nothing comes any more."""

    adapter: Adapter
    host: Host
    end: TcpEnd
    served: Served = field(init=False)
    _came: int = 0
    _boots: int = 0

    def begin(self) -> None:
        """From now on it is heard."""
        self._boots = self.adapter.boots
        self.adapter.sessions += 1
        self.served = Served(self.adapter, self.adapter.sessions)
        self.end.on(self._heard, self._gone)

    def _gone(self) -> None:
        self.served.open = False

    def _heard(self, octets: bytes) -> None:
        self._came += 1
        clock = self.adapter.clock
        clock.at(clock.now_ns + int(self.adapter.reply_ms * _NS_A_MS), lambda: self._answer(octets))

    def _answer(self, octets: bytes) -> None:
        if self.adapter.away:
            return
        if self.adapter.boots != self._boots:
            # What was opened before is unknown to it: the segment is answered with a reset (RFC 9293, 3.5.2).
            self.end.close()
            return
        answer = self.served.answer(octets, self._packet)
        if not self.served.open:
            self.end.close()
        elif answer is not None:
            self.end.send(answer)
            self._idle_from_now()

    def _packet(self, packet: bytes, group: str) -> None:
        self.host.send(group or self.end.peer, CYCLIC_PORT, packet)

    def _idle_from_now(self) -> None:
        came, idle_s = self._came, self.adapter.facts.idle_s

        def over() -> None:
            if came == self._came:
                self.served.open = False
                self.end.close()

        if idle_s > 0:
            self.adapter.clock.at(self.adapter.clock.now_ns + int(idle_s * 1000 * _NS_A_MS), over)


def _asked_by_datagram(adapter: Adapter, host: Host, datagram: Datagram) -> None:
    """What needs no session is answered, after a time that is chance within what is allowed (volume 2, 2-4.2.2)."""
    try:
        frame = Encapsulated.decode(datagram.octets)
    except EncapsulationError:
        return
    if frame.command not in _LISTS or frame.options or adapter.away:
        return
    answer = Served(adapter).answer(datagram.octets)
    if answer is None:
        return
    asked_ms = frame.context & 0xFFFF
    most_ms = max(asked_ms, _PUT_OFF_LEAST_MS) if asked_ms else _PUT_OFF_MS
    # Chance that is the same every time: no two serial numbers are alike.
    chance_ms = (adapter.serial * 2_654_435_761 >> 7) % most_ms
    waits_ms = max(min(adapter.reply_ms, most_ms), chance_ms)
    clock = adapter.clock
    clock.at(
        clock.now_ns + int(waits_ms * _NS_A_MS),
        lambda: host.send(datagram.source, datagram.source_port, answer, UDP_PORT),
    )


@dataclass(slots=True)
class Served:
    """One TCP connection as the device has it; `session` 0 until one is registered."""

    adapter: Adapter
    number: int = 1
    session: int = 0
    open: bool = True

    def answer(self, octets: bytes, hear: Hear | None = None) -> bytes | None:
        """The frame that answers one, None where there is none to be; `hear` takes packets of what is opened."""
        try:
            frame = Encapsulated.decode(octets)
        except EncapsulationError:
            return None
        # Options that are not 0 belong to a version this device does not know: the frame is dropped (2-3.6).
        if not self.open or frame.options or frame.command == NOP:
            return None
        if frame.command == UNREGISTER_SESSION:
            self.open = frame.session != self.session
            return None
        status, session, data = self._done(frame, hear)
        return Encapsulated(frame.command, session, data, status, frame.context).encode()

    def _done(self, frame: Encapsulated, hear: Hear | None) -> tuple[int, int, bytes]:
        """Status, session and data of the answer."""
        if frame.command in (LIST_SERVICES, LIST_IDENTITY, LIST_INTERFACES):
            if frame.data:
                return INVALID_LENGTH, 0, b""
            return 0, 0, _LISTS[frame.command](self.adapter)
        if frame.command == REGISTER_SESSION:
            return self._registered(frame)
        if frame.command != SEND_RR_DATA:
            return UNKNOWN_COMMAND, frame.session, b""
        if not self.session or frame.session != self.session:
            return INVALID_SESSION, frame.session, b""
        try:
            asked = Asked.decode(unconnected_message(frame.data))
        except EncapsulationError:
            return INCORRECT_DATA, frame.session, b""
        if asked is None:
            return INCORRECT_DATA, frame.session, b""
        answered = self.adapter.served(asked, hear)
        group = answered.group
        more = [(SOCKET_OF_PRODUCER, socket_address(group, CYCLIC_PORT))] if group is not None else []
        return 0, frame.session, unconnected(answered.encode(), *more)

    def _registered(self, frame: Encapsulated) -> tuple[int, int, bytes]:
        if len(frame.data) != 4:
            return INVALID_LENGTH, 0, b""
        version, options = struct.unpack("<HH", frame.data)
        if version != VERSION or options:
            return UNSUPPORTED_VERSION, 0, struct.pack("<HH", VERSION, 0)
        if self.session:
            # A second one on the same connection (2-4.4.3).
            return UNKNOWN_COMMAND, self.session, frame.data
        self.session = 0x0001_0000 + self.number
        return 0, self.session, frame.data


def _services(_: Adapter) -> bytes:
    name = b"Communications".ljust(16, b"\x00")
    return with_items([(SERVICES, struct.pack("<HH", VERSION, _CAPABLE) + name)])


def _identity(adapter: Adapter) -> bytes:
    address = int.from_bytes(bytes(int(part) & 0xFF for part in adapter.address.split(".")), "big")
    own = struct.pack("<H", VERSION) + socket_address(address, TCP_PORT) + adapter.identity() + bytes([_STATE])
    return with_items([(IDENTITY, own)])


def _interfaces(_: Adapter) -> bytes:
    return with_items([])


_LISTS: dict[int, Callable[[Adapter], bytes]] = {
    LIST_SERVICES: _services,
    LIST_IDENTITY: _identity,
    LIST_INTERFACES: _interfaces,
}
