"""Sizes, loads and paths of EtherNet/IP.

Source: CIP volume 1, 3-5 (connections), C-1.4 (segments); CIP volume 2, 2-6 and 3-2 (class 1 packets).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain

# 8 preamble, 14 Ethernet, 20 IP, 8 UDP, 2 item count, 12 address item, 4 data item header, 2 sequence, 4 FCS, 12 gap.
PACKET_OVERHEAD_OCTETS = 86
HEADER_OCTETS = 4
SEQUENCE_OCTETS = 2
_WIRE_AT_MOST = 1538
ORDINARY_SIZE_AT_MOST = 511
MULTIPLIERS = (4, 8, 16, 32, 64, 128, 256, 512)
TIMEOUT_AT_LEAST_MS = Fraction(100)


@dataclass(frozen=True, slots=True)
class Packet:
    """A class 1 packet: octets on the wire, the size in the connection request, whether that needs the large form."""

    wire_octets: int
    connection_size: int
    large_open: bool


def packet(data_octets: int, *, run_idle_header: bool) -> Packet:
    """Sizes of a packet with `data_octets` of data. Raises Refusal for less than 0 or more than one frame holds."""
    header = HEADER_OCTETS if run_idle_header else 0
    wire = PACKET_OVERHEAD_OCTETS + data_octets + header
    if data_octets < 0:
        raise Refusal(f"{data_octets} octets of data are negative.", value=data_octets)
    if wire > _WIRE_AT_MOST:
        most = _WIRE_AT_MOST - PACKET_OVERHEAD_OCTETS - header
        raise Refusal(f"{data_octets} octets of data; one frame holds {most} here.", value=data_octets)
    size = data_octets + SEQUENCE_OCTETS + header
    return Packet(wire, size, size > ORDINARY_SIZE_AT_MOST)


@dataclass(frozen=True, slots=True)
class Stream:
    """Packets of one direction: octets on the wire each, and how often, ms."""

    wire_octets: int
    rpi_ms: Fraction

    @property
    def packets_per_s(self) -> Fraction:
        return 1000 / self.rpi_ms

    @property
    def mbit_s(self) -> Fraction:
        """10⁶ bit on the wire a second."""
        return self.wire_octets * 8 * self.packets_per_s / 1_000_000


def stream(data_octets: int, rpi_ms: Fraction, *, run_idle_header: bool) -> Stream:
    """One direction of a connection. Raises Refusal for an interval of 0 or less, or a packet that cannot be."""
    if rpi_ms <= 0:
        raise Refusal(f"A packet interval of {plain(rpi_ms)} ms is not above 0.", value=plain(rpi_ms))
    return Stream(packet(data_octets, run_idle_header=run_idle_header).wire_octets, rpi_ms)


def packets_per_s(streams: Iterable[Stream]) -> Fraction:
    """Packets of all streams a second."""
    return sum((s.packets_per_s for s in streams), Fraction(0))


def mbit_s(streams: Iterable[Stream]) -> Fraction:
    """Bandwidth of all streams."""
    return sum((s.mbit_s for s in streams), Fraction(0))


def timeout_multiplier(rpi_ms: Fraction, at_least_ms: Fraction = TIMEOUT_AT_LEAST_MS) -> int:
    """The smallest multiplier whose time-out is at least so long. Raises Refusal when none is, or RPI ≤ 0."""
    if rpi_ms <= 0:
        raise Refusal(f"A packet interval of {plain(rpi_ms)} ms is not above 0.", value=plain(rpi_ms))
    found = next((m for m in MULTIPLIERS if rpi_ms * m >= at_least_ms), None)
    if found is None:
        longest = plain(rpi_ms * MULTIPLIERS[-1])
        raise Refusal(f"Even {MULTIPLIERS[-1]} intervals make {longest} ms, not {plain(at_least_ms)} ms.")
    return found


@lru_cache(maxsize=4096)
def path(class_id: int, instance_id: int, attribute_id: int | None = None) -> bytes:
    """Padded logical segments, each in its shortest form. Raises Refusal for ids beyond what a segment holds."""
    octets = _segment(0x20, class_id, "class", wide=False) + _segment(0x24, instance_id, "instance", wide=True)
    return octets if attribute_id is None else octets + _segment(0x30, attribute_id, "attribute", wide=False)


def connection_point(point: int) -> bytes:
    """The segment of a connection point. Raises Refusal for one beyond 65535."""
    return _segment(0x2C, point, "connection point", wide=False)


def spelled(octets: bytes) -> str:
    """Octets as capital hex pairs with single spaces."""
    return octets.hex(" ").upper()


def _segment(kind: int, value: int, what: str, *, wide: bool) -> bytes:
    most = 0xFFFF_FFFF if wide else 0xFFFF
    if not 0 <= value <= most:
        raise Refusal(f"{what} {value} is outside 0–{most}.", value=value)
    if value <= 0xFF:
        return bytes([kind, value])
    if value <= 0xFFFF:
        return bytes([kind | 1, 0]) + value.to_bytes(2, "little")
    return bytes([kind | 2, 0]) + value.to_bytes(4, "little")
