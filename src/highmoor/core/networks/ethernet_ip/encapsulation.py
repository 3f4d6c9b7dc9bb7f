"""Encapsulation: the frame in which CIP travels over TCP port 44818, and the items of both ports.

Source: CIP volume 2, 2-3 (header, little-endian), 2-6 (common packet format).

    | command 2 | length 2 | session 4 | status 4 | sender context 8 | options 4 | data … |
"""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

from highmoor.core.errors import HighmoorError

NOP = 0x00
LIST_SERVICES = 0x04
LIST_IDENTITY = 0x63
LIST_INTERFACES = 0x64
REGISTER_SESSION = 0x65
UNREGISTER_SESSION = 0x66
SEND_RR_DATA = 0x6F
# Status of the encapsulation header (CIP volume 2, table 2-3.3).
UNKNOWN_COMMAND = 0x01
INCORRECT_DATA = 0x03
INVALID_SESSION = 0x64
INVALID_LENGTH = 0x65
UNSUPPORTED_VERSION = 0x69
VERSION = 1
TCP_PORT = 44818
# Of messages over UDP, too (CIP volume 2, 2-2).
UDP_PORT = 44818
CYCLIC_PORT = 2222
_HEADER = struct.Struct("<HHIIQI")
_ITEM = struct.Struct("<HH")
# Item count, address item with connection and sequence, head of the data item, sequence count.
_CYCLIC = struct.Struct("<HHHIIHHH")
_RUN, _IDLE = (1).to_bytes(4, "little"), bytes(4)

NULL_ADDRESS = 0x0000
IDENTITY = 0x000C
SERVICES = 0x0100
SOCKET_OF_PRODUCER = 0x8001
UNCONNECTED_DATA = 0x00B2
CONNECTED_DATA = 0x00B1
SEQUENCED_ADDRESS = 0x8002


class EncapsulationError(HighmoorError):
    """Octets that are no frame, or whose items do not fill it."""


@dataclass(frozen=True, slots=True)
class Encapsulated:
    """A frame taken apart."""

    command: int
    session: int
    data: bytes
    status: int = 0
    context: int = 0
    options: int = 0

    def encode(self) -> bytes:
        """The octets on the wire."""
        head = _HEADER.pack(self.command, len(self.data), self.session, self.status, self.context, self.options)
        return head + self.data

    @classmethod
    def decode(cls, octets: bytes) -> Encapsulated:
        """A frame from its octets. Raises EncapsulationError for what is none."""
        if len(octets) < _HEADER.size:
            raise EncapsulationError(f"{len(octets)} octets are too few for a header")
        command, length, session, status, context, options = _HEADER.unpack_from(octets)
        data = octets[_HEADER.size :]
        if length != len(data):
            raise EncapsulationError("the header's length does not fit the octets that follow")
        return cls(command, session, data, status, context, options)


def items(octets: bytes) -> list[tuple[int, bytes]]:
    """Items as (type, octets). Raises EncapsulationError where they do not fit."""
    if len(octets) < 2:
        raise EncapsulationError("there is no item count")
    found = []
    at = 2
    for _ in range(int.from_bytes(octets[:2], "little")):
        if at + _ITEM.size > len(octets):
            raise EncapsulationError("an item's head is cut off")
        kind, length = _ITEM.unpack_from(octets, at)
        at += _ITEM.size
        if at + length > len(octets):
            raise EncapsulationError("an item is cut off")
        found.append((kind, octets[at : at + length]))
        at += length
    return found


def with_items(given: Iterable[tuple[int, bytes]]) -> bytes:
    """Item count and items."""
    made = [_ITEM.pack(kind, len(octets)) + octets for kind, octets in given]
    return len(made).to_bytes(2, "little") + b"".join(made)


def unconnected(message: bytes, *more: tuple[int, bytes]) -> bytes:
    """Interface handle, time-out (both 0), a null address, a message and what stands behind it: data of SendRRData."""
    return bytes(6) + with_items([(NULL_ADDRESS, b""), (UNCONNECTED_DATA, message), *more])


def socket_address(address: int, port: int) -> bytes:
    """A socket's address as items carry it: family 2, port, address, high octets first (volume 2, 2-6.3.3)."""
    return struct.pack(">HHI8x", 2, port, address)


def producer_group(data: bytes) -> str:
    """The group's address within the data of an answer, "" where what was opened is not sent to a group."""
    sockets = [octets for kind, octets in items(data[6:]) if kind == SOCKET_OF_PRODUCER and len(octets) >= 8]
    address = sockets[0][4:8] if sockets else b""
    return ".".join(map(str, address)) if address and 224 <= address[0] < 240 else ""


def packet_connection(octets: bytes) -> int:
    """The connection a cyclic packet names, before anything else of it is known; 0 for what is too short."""
    return int.from_bytes(octets[6:10], "little") if len(octets) >= _CYCLIC.size else 0


def unconnected_message(data: bytes) -> bytes:
    """The message within the data of SendRRData. Raises EncapsulationError where there is none."""
    for kind, octets in items(data[6:]):
        if kind == UNCONNECTED_DATA:
            return octets
    raise EncapsulationError("there is no message in it")


class CyclicPacket(NamedTuple):
    """A class 1 packet over UDP port 2222: connection id, both sequence counts, run/idle (None: no header), data."""

    connection: int
    sequence: int
    # Not `count`, which is a method of every tuple.
    data_count: int
    run: bool | None
    data: bytes

    def encode(self) -> bytes:
        """The UDP payload."""
        header = b"" if self.run is None else _RUN if self.run else _IDLE
        data = header + self.data
        head = _CYCLIC.pack(
            2, SEQUENCED_ADDRESS, 8, self.connection, self.sequence & 0xFFFF_FFFF, CONNECTED_DATA, len(data) + 2,
            self.data_count & 0xFFFF,
        )  # fmt: skip
        return head + data

    @classmethod
    def decode(cls, octets: bytes, *, header: bool) -> CyclicPacket:
        """A packet from its payload, read as its receiver counts it. Raises EncapsulationError for what is none."""
        if len(octets) < _CYCLIC.size + (4 if header else 0):
            raise EncapsulationError("this is not a cyclic packet")
        number, address, eight, connection, sequence, kind, length, count = _CYCLIC.unpack_from(octets)
        fits = length + _CYCLIC.size - 2 == len(octets)
        if (number, address, eight, kind) != (2, SEQUENCED_ADDRESS, 8, CONNECTED_DATA) or not fits:
            raise EncapsulationError("this is not a cyclic packet")
        if not header:
            return cls(connection, sequence, count, None, octets[_CYCLIC.size :])
        return cls(connection, sequence, count, bool(octets[_CYCLIC.size] & 1), octets[_CYCLIC.size + 4 :])
