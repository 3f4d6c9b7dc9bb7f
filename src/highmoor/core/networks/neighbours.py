"""What devices on Ethernet tell whoever is at the other end of each cable: who they are and which socket it is.

Source: IEEE 802.1AB (LLDP).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

ETHERTYPE = 0x88CC
# Nobody passes on what is sent there.
NEAREST = bytes.fromhex("0180C200000E")
# How often it is told, s, and for how long it counts.
EVERY_S, HOLDS_S = 5, 20
_MAC, _LOCAL = 4, 7
_CHASSIS, _PORT, _LIFE, _OWN = 1, 2, 3, 127
# An organization's own: of IEEE 802.3, what the link is (full duplex 100 Mbit/s, negotiated).
_LINK = bytes.fromhex("00120F01036C000010")


class Neighbour(NamedTuple):
    """Who is at the other end: his name, "" for one without, his hardware address, and his port as he calls it."""

    name: str
    mac: bytes
    port: str


def port_name(socket: int) -> str:
    """What a socket (from 1) is called (IEC 61158-6-10, PortId)."""
    return f"port-{socket:03d}"


def encode(name: str, mac: bytes, socket: int) -> bytes:
    """What is told out of a socket; whoever has no name is known by his hardware address."""
    chassis = bytes((_LOCAL,)) + name.encode() if name else bytes((_MAC,)) + mac
    told = (
        (_CHASSIS, chassis[:255]), (_PORT, bytes((_LOCAL,)) + port_name(socket).encode()),
        (_LIFE, HOLDS_S.to_bytes(2, "big")), (_OWN, bytes.fromhex("000ECF05") + mac), (_OWN, _LINK), (0, b""),
    )  # fmt: skip
    return b"".join((kind << 9 | len(octets)).to_bytes(2, "big") + octets for kind, octets in told)


def decode(octets: bytes) -> Neighbour | None:
    """What was told; None for what is none of it."""
    name, mac, port = "", b"", ""
    for kind, value in _values(octets):
        if kind == _CHASSIS and value[:1] == bytes((_LOCAL,)):
            name = value[1:].decode("ascii", "replace")
        elif kind == _CHASSIS and value[:1] == bytes((_MAC,)):
            mac = value[1:]
        elif kind == _PORT and value:
            port = value[1:].decode("ascii", "replace")
        elif kind == _OWN and value.startswith(bytes.fromhex("000ECF05")):
            mac = value[4:]
    return Neighbour(name, mac, port) if port else None


def _values(octets: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at + 2 <= len(octets):
        head = int.from_bytes(octets[at : at + 2], "big")
        kind, size = head >> 9, head & 0x1FF
        if not kind:
            return
        yield kind, octets[at + 2 : at + 2 + size]
        at += 2 + size
