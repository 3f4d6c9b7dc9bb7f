"""A device's end of a TCP connection to port 44818: one session a connection, and what is answered without one.

Source: CIP volume 2, 2-4 (commands of the encapsulation).
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass

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

TCP_PORT = 44818
# CIP over TCP (bit 5) and over UDP (bit 8) (volume 2, 2-4.6.3).
_CAPABLE = 1 << 5 | 1 << 8
# The state octet of an identity item: not known.
_STATE = 0xFF


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
