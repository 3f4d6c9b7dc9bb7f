"""The path of a connection request: ports on the way, electronic key, configuration point, both points, their data.

Source: CIP volume 1, C-1.4 (segments), 3-5.4.1.10 (connection path).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from highmoor.core.figures.cip import connection_point, path
from highmoor.core.networks.ethernet_ip.routes import Hop, hop_at
from highmoor.core.networks.ethernet_ip.settings import Agreement, Identity

ASSEMBLY_CLASS = 4
_KEY = struct.Struct("<BBHHHBB")
COMPATIBLE_BIT = 0x80


def key_segment(identity: Identity) -> bytes:
    """`34 04`, vendor, device type, product code, major with the compatibility bit, minor; nothing for `off`."""
    if identity.rule == "off":
        return b""
    major = identity.major | (COMPATIBLE_BIT if identity.rule == "compatible" else 0)
    return _KEY.pack(
        0x34, 4, identity.vendor, identity.device_type, identity.product, major & 0xFF, identity.minor & 0xFF
    )


def request_path(told: Agreement) -> bytes:
    """The whole path as it stands in the request: ports on the way, electronic key, application path."""
    return b"".join(hop.encode() for hop in told.route) + key_segment(told.identity) + application_path(told)


def application_path(told: Agreement) -> bytes:
    """`20 04 24 cfg 2C O→T 2C T→O`, then the configuration data; points that nobody knows stand as 0."""
    points = connection_point(told.out.point or 0) + connection_point(told.into.point or 0)
    return path(ASSEMBLY_CLASS, told.config_point or 0) + points + data_segment(told.configuration)


def data_segment(octets: bytes) -> bytes:
    """A simple data segment, `80`, its length in words, the octets filled up to whole words."""
    if not octets:
        return b""
    whole = octets + bytes(len(octets) % 2)
    return bytes([0x80, len(whole) // 2]) + whole


@dataclass(frozen=True, slots=True)
class ReadPath:
    """A path taken apart; numbers None where the path has none of them. `key` is the key segment's six numbers."""

    class_id: int | None = None
    instance: int | None = None
    attribute: int | None = None
    points: tuple[int, ...] = ()
    key: tuple[int, int, int, int, int] | None = None
    data: bytes = b""
    hops: tuple[Hop, ...] = ()


_KINDS = {0x20: "class_id", 0x24: "instance", 0x30: "attribute", 0x2C: "point"}


def read_path(octets: bytes) -> ReadPath | None:
    """A path from its octets; None where a segment is none of those known here, or ends early."""
    found: dict[str, int] = {}
    points: list[int] = []
    key: tuple[int, int, int, int, int] | None = None
    hops: list[Hop] = []
    data = b""
    at = 0
    while at < len(octets):
        first = octets[at]
        if 0 < first < 0x20:
            hop = hop_at(octets, at)
            if hop is None:
                return None
            hops.append(hop[0])
            at = hop[1]
        elif first == 0x34 and at + _KEY.size <= len(octets):
            key = _KEY.unpack_from(octets, at)[2:]
            at += _KEY.size
        elif first == 0x80 and at + 1 < len(octets) and at + 2 + 2 * octets[at + 1] <= len(octets):
            data = octets[at + 2 : at + 2 + 2 * octets[at + 1]]
            at += 2 + len(data)
        elif first & 0xFC in _KINDS and first & 3 < 3:
            width = (1, 2, 4)[first & 3]
            begin = at + (1 if width == 1 else 2)
            if begin + width > len(octets):
                return None
            value = int.from_bytes(octets[begin : begin + width], "little")
            kind = _KINDS[first & 0xFC]
            if kind == "point":
                points.append(value)
            else:
                found[kind] = value
            at = begin + width
        else:
            return None
    return ReadPath(**found, points=tuple(points), key=key, data=data, hops=tuple(hops))
