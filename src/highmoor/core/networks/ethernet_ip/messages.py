"""Messages of CIP: a request and its answer, and the opening of a cyclic connection.

Source: CIP volume 1, 2-4.1 (message router), 3-5.4 (Forward_Open, Large_Forward_Open), all little-endian.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, field

from highmoor.core.figures.cip import MULTIPLIERS, path
from highmoor.core.networks.ethernet_ip.facts import connection_size, is_large
from highmoor.core.networks.ethernet_ip.paths import request_path
from highmoor.core.networks.ethernet_ip.settings import Agreement, Way

FORWARD_OPEN = 0x54
LARGE_FORWARD_OPEN = 0x5B
FORWARD_CLOSE = 0x4E
UNCONNECTED_SEND = 0x52
CONNECTION_MANAGER = path(6, 1)
REPLY = 0x80
TRANSFERS = {0: "null", 1: "multicast", 2: "point-to-point"}
_TYPE_OF = {name: number for number, name in TRANSFERS.items()}
_SCHEDULED = 2
# Class 1, cyclic, the device is the server.
CLASS_1_CYCLIC = 0x01
VENDOR = 0xFAD0
_FIXED = struct.Struct("<2sIIHHIB3x")
# How long a connection request may take.
OPEN_TIMEOUT_MS = 2000.0


def ticks(timeout_ms: float) -> bytes:
    """A time-out as a request names it: ticks of 2ⁿ ms, the finest that hold it (CIP volume 1, 3-5.4.1.2)."""
    tick = next((n for n in range(16) if timeout_ms <= 255 << n), 15)
    return bytes([tick, min(max(-(-int(timeout_ms) // (1 << tick)), 1), 255)])


@dataclass(frozen=True, slots=True)
class Asked:
    """A request to the message router."""

    service: int
    path: bytes
    data: bytes = b""

    def encode(self) -> bytes:
        """Service, path length in words, path, data."""
        return bytes([self.service, len(self.path) // 2]) + self.path + self.data

    @classmethod
    def decode(cls, octets: bytes) -> Asked | None:
        """A request from its octets, None where the path is cut off."""
        if len(octets) < 2 or len(octets) < 2 + 2 * octets[1]:
            return None
        end = 2 + 2 * octets[1]
        return cls(octets[0], octets[2:end], octets[end:])


@dataclass(frozen=True, slots=True)
class Answered:
    """An answer of the message router: general status, additional status words, data."""

    service: int
    status: int
    extended: tuple[int, ...] = ()
    data: bytes = b""
    # Where a stream that all may hear is sent; it stands beside the answer, not in it.
    group: int | None = field(default=None, compare=False)

    def encode(self) -> bytes:
        """Reply service, reserved, status, number of words, words, data."""
        words = b"".join(word.to_bytes(2, "little") for word in self.extended)
        return bytes([self.service | REPLY, 0, self.status, len(self.extended)]) + words + self.data

    @classmethod
    def decode(cls, octets: bytes) -> Answered | None:
        """An answer from its octets, None where it is cut off."""
        if len(octets) < 4 or len(octets) < 4 + 2 * octets[3]:
            return None
        end = 4 + 2 * octets[3]
        words = tuple(int.from_bytes(octets[n : n + 2], "little") for n in range(4, end, 2))
        return cls(octets[0] & ~REPLY, octets[2], words, octets[end:])


@dataclass(frozen=True, slots=True)
class OpenedWay:
    """One direction as a connection request names it: interval in µs, size in octets, how it is sent.

    `redundant` is read, not written here: the request says it once for both directions.
    """

    rpi_us: int
    size: int
    transfer: str
    redundant: bool = False

    def encode(self, *, large: bool, redundant: bool) -> bytes:
        """Interval and connection parameters."""
        kind = _TYPE_OF[self.transfer]
        if large:
            word = self.size & 0xFFFF | _SCHEDULED << 26 | kind << 29 | redundant << 31
            return struct.pack("<II", self.rpi_us, word)
        word = self.size & 0x1FF | _SCHEDULED << 10 | kind << 13 | redundant << 15
        return struct.pack("<IH", self.rpi_us, word)

    @classmethod
    def decode(cls, octets: bytes, at: int, *, large: bool) -> tuple[OpenedWay, int]:
        """One direction and where the next begins."""
        if large:
            rpi, word = struct.unpack_from("<II", octets, at)
            return cls(rpi, word & 0xFFFF, TRANSFERS.get(word >> 29 & 3, "reserved"), bool(word >> 31)), at + 8
        rpi, word = struct.unpack_from("<IH", octets, at)
        return cls(rpi, word & 0x1FF, TRANSFERS.get(word >> 13 & 3, "reserved"), bool(word >> 15)), at + 6


@dataclass(frozen=True, slots=True)
class OpenRequest:
    """A Forward_Open taken apart. `serial`, `vendor` and `originator` together name the connection.

    `multiplier` is 0 where its code stands for none.
    """

    out_id: int
    in_id: int
    serial: int
    vendor: int
    originator: int
    multiplier: int
    out: OpenedWay
    into: OpenedWay
    trigger: int
    path: bytes
    redundant: bool = False

    @property
    def triad(self) -> tuple[int, int, int]:
        """What names the connection at both ends."""
        return self.serial, self.vendor, self.originator

    def encode(self, *, large: bool) -> Asked:
        """The request to the connection manager."""
        fixed = _FIXED.pack(
            ticks(OPEN_TIMEOUT_MS), self.out_id, self.in_id, self.serial, self.vendor, self.originator,
            MULTIPLIERS.index(self.multiplier),
        )  # fmt: skip
        ways = b"".join(way.encode(large=large, redundant=self.redundant) for way in (self.out, self.into))
        tail = bytes([self.trigger, len(self.path) // 2]) + self.path
        return Asked(LARGE_FORWARD_OPEN if large else FORWARD_OPEN, CONNECTION_MANAGER, fixed + ways + tail)

    def close(self) -> Asked:
        """The request that ends this connection."""
        names = struct.pack("<HHI", *self.triad)
        tail = bytes([len(self.path) // 2, 0]) + self.path
        return Asked(FORWARD_CLOSE, CONNECTION_MANAGER, ticks(OPEN_TIMEOUT_MS) + names + tail)

    @classmethod
    def decode(cls, asked: Asked) -> OpenRequest | None:
        """A connection request from a message, None where it is cut off."""
        large = asked.service == LARGE_FORWARD_OPEN
        data = asked.data
        if len(data) < _FIXED.size + (16 if large else 12) + 2:
            return None
        _, out_id, in_id, serial, vendor, originator, code = _FIXED.unpack_from(data)
        out, at = OpenedWay.decode(data, _FIXED.size, large=large)
        into, at = OpenedWay.decode(data, at, large=large)
        if len(data) != at + 2 + 2 * data[at + 1]:
            return None
        multiplier = MULTIPLIERS[code] if code < len(MULTIPLIERS) else 0
        return cls(
            out_id, in_id, serial, vendor, originator, multiplier, out, into, data[at], data[at + 2 :], out.redundant
        )  # fmt: skip


def open_request(told: Agreement, serial: int, originator: int, in_id: int) -> tuple[OpenRequest, bool]:
    """The request for a connection, and whether it has to be the large one."""
    request = OpenRequest(
        0, in_id, serial, VENDOR, originator, told.multiplier, _opened(told.out), _opened(told.into), CLASS_1_CYCLIC,
        request_path(told), told.application == "redundant owner",
    )  # fmt: skip
    return request, is_large(told)


def _opened(way: Way) -> OpenedWay:
    return OpenedWay(round(way.rpi_ms * 1000), connection_size(way) or 0, way.transfer)


def accepted(
    service: int, request: OpenRequest, out_id: int, in_id: int, into_us: int, group: int | None = None
) -> Answered:
    """Both connection ids, the names, the intervals taken; `group` is the address of a stream that all may hear."""
    data = _TAKEN.pack(out_id, in_id, *request.triad, request.out.rpi_us, into_us, 0, 0)
    return Answered(service, 0, (), data, group)


_TAKEN = struct.Struct("<IIHHIIIBB")


@dataclass(frozen=True, slots=True)
class Taken:
    """What a device took of a connection request: its ids and actual packet intervals, µs."""

    out_id: int
    in_id: int
    out_us: int
    into_us: int

    @classmethod
    def decode(cls, data: bytes) -> Taken | None:
        """From the data of a good answer, None where it is cut off."""
        if len(data) < _TAKEN.size:
            return None
        out_id, in_id, _, _, _, out_us, into_us, _, _ = _TAKEN.unpack_from(data)
        return cls(out_id, in_id, out_us, into_us)


def refused(
    service: int, request: OpenRequest | None, status: int, words: tuple[int, ...] = (), remaining_words: int = 0
) -> Answered:
    """Status, additional status words, and for a connection its names and how much of its path was left."""
    data = struct.pack("<HHIBB", *request.triad, remaining_words, 0) if request else b""
    return Answered(service, status, words, data)


def routed(message: Asked, hops: bytes, timeout_ms: float) -> Asked:
    """A message by way of ports: an Unconnected_Send with its time-out, the message, the route (volume 1, 3-5.5.4)."""
    if not hops:
        return message
    inner = message.encode()
    head = ticks(timeout_ms) + len(inner).to_bytes(2, "little")
    tail = bytes(len(inner) % 2) + bytes([len(hops) // 2, 0]) + hops
    return Asked(UNCONNECTED_SEND, CONNECTION_MANAGER, head + inner + tail)


def unwrapped(asked: Asked) -> tuple[Asked, bytes] | None:
    """The message within an Unconnected_Send and the route it goes; None where it is cut off."""
    data = asked.data
    if len(data) < 4:
        return None
    size = int.from_bytes(data[2:4], "little")
    at = 4 + size + size % 2
    inner = Asked.decode(data[4 : 4 + size])
    if inner is None or len(data) < at + 2 or len(data) != at + 2 + 2 * data[at]:
        return None
    return inner, data[at + 2 :]
