"""Frames and datagrams of EtherCAT as octets. Source: ETG.1000.4 (IEC 61158-4-12), 5.2 to 5.4."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

ETHERTYPE = 0x88A4
# Commands: auto increment, configured address, broadcast, logical; read, write, both (table 7 ff.).
NOP, APRD, APWR, APRW, FPRD, FPWR, FPRW, BRD, BWR, BRW, LRD, LWR, LRW, ARMW, FRMW = range(15)
NAMES = (
    "NOP", "APRD", "APWR", "APRW", "FPRD", "FPWR", "FPRW", "BRD", "BWR", "BRW", "LRD", "LWR", "LRW", "ARMW", "FRMW",
)  # fmt: skip
_DATAGRAM = struct.Struct("<BBIHH")
_HEAD_OCTETS = 14
FIRST = _HEAD_OCTETS + 2
_LENGTH, _MORE = 0x07FF, 0x8000
_TYPE = 1 << 12
_LEAST = 60


@dataclass(frozen=True, slots=True)
class Sent:
    """A datagram: command, an index that comes back, address of 32 bits, data; `counter` as it came back."""

    command: int
    index: int
    address: int
    data: bytes
    counter: int = 0


def physical(node: int, register: int) -> int:
    """The address of a register: the node's position or configured address in the low word."""
    return node & 0xFFFF | register << 16


def encode(source: bytes, datagrams: Sequence[Sent]) -> bytes:
    """An Ethernet frame without its check sequence, padded to its least length."""
    body = bytearray()
    for n, one in enumerate(datagrams):
        more = _MORE if n < len(datagrams) - 1 else 0
        body += _DATAGRAM.pack(one.command, one.index & 0xFF, one.address, len(one.data) | more, 0)
        body += one.data + one.counter.to_bytes(2, "little")
    head = b"\xff" * 6 + source + ETHERTYPE.to_bytes(2, "big") + (len(body) | _TYPE).to_bytes(2, "little")
    return (head + bytes(body)).ljust(_LEAST, b"\0")


def places(frame: bytes | bytearray) -> Iterator[tuple[int, int, int, int, int]]:
    """Of each datagram: where it begins in the frame, command, index, address, octets of data."""
    at = FIRST
    more = True
    while more and at + _DATAGRAM.size + 2 <= len(frame):
        command, index, address, length, _ = _DATAGRAM.unpack_from(frame, at)
        octets, more = length & _LENGTH, bool(length & _MORE)
        if at + _DATAGRAM.size + octets + 2 > len(frame):
            return
        yield at, command, index, address, octets
        at += _DATAGRAM.size + octets + 2


DATA = _DATAGRAM.size


def decode(frame: bytes) -> list[Sent]:
    """The datagrams of a frame as they came back."""
    found = []
    for at, command, index, address, octets in places(frame):
        data = at + DATA
        counter = int.from_bytes(frame[data + octets : data + octets + 2], "little")
        found.append(Sent(command, index, address, bytes(frame[data : data + octets]), counter))
    return found
