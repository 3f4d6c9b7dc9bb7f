"""What stands on the label of whatever is attached on the bench: a hardware address and a serial number of its own."""

from __future__ import annotations

from dataclasses import dataclass
from zlib import crc32


@dataclass(frozen=True, slots=True)
class Label:
    """A hardware address as it is written, and a serial number."""

    mac: str
    serial: str


def label_of(node: str) -> Label:
    """The label of what stands at a node of the cabling."""
    return Label(mac_of(node).hex("-").upper(), f"{serial_number(node):08X}")


def serial_number(node: str) -> int:
    """A number that is a device's own, whatever it is called and wherever it answers."""
    return crc32(node.encode())


def mac_of(node: str) -> bytes:
    """The hardware address of what stands at a node: locally administered, of one (IEEE 802, 8.2.2)."""
    return b"\x02\x00" + serial_number(node).to_bytes(4, "big")
