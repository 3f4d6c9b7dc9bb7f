"""The ports a connection request passes before it reaches the device that is meant: a backplane, a bridge.

Source: CIP volume 1, C-1.4.1 (port segments).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from highmoor.core.errors import Refusal

_EXTENDED_ADDRESS = 0x10
_EXTENDED_PORT = 0x0F
_ADDRESS_OCTETS_AT_MOST = 64


@dataclass(frozen=True, slots=True)
class Hop:
    """Out of a port, to a link address: a number such as a slot, or a text such as an IPv4 address."""

    port: int
    address: str

    def __str__(self) -> str:
        return f"{self.port}/{self.address}"

    def encode(self) -> bytes:
        """The port segment, filled up to whole words."""
        text = b"" if self.address.isdigit() else self.address.encode("ascii")
        wide = self.port >= _EXTENDED_PORT
        octets = bytes([(_EXTENDED_PORT if wide else self.port) | (_EXTENDED_ADDRESS if text else 0)])
        octets += bytes([len(text)]) if text else b""
        octets += self.port.to_bytes(2, "little") if wide else b""
        octets += text or bytes([int(self.address)])
        return octets + bytes(len(octets) % 2)


def read_route(text: Any) -> tuple[Hop, ...]:
    """`1/0` or `1/3, 2/192.168.7.4` as hops; nothing for no text. Raises Refusal with the hop that is none."""
    return tuple(_hop(part.strip()) for part in str(text or "").split(",") if part.strip())


def _hop(text: str) -> Hop:
    port, slash, address = (part.strip() for part in text.partition("/"))
    if not slash or not (port.isascii() and port.isdigit()) or not 1 <= int(port) <= 0xFFFF:
        raise Refusal(f"“{text}” is not a route: give port 1–65535, a slash and a link address, as in 1/0.")
    is_number = address.isascii() and address.isdigit()
    if is_number and int(address) > 255:
        raise Refusal(f"Link address {address} of “{text}” is above 255.", value=address)
    if not is_number and not (address.isascii() and address.isprintable() and len(address) >= 2):
        raise Refusal(f"“{text}” has no link address after the slash: a number 0–255, or an address as text.")
    if len(address) > _ADDRESS_OCTETS_AT_MOST:
        raise Refusal(f"The link address of “{text[:20]}…” is longer than {_ADDRESS_OCTETS_AT_MOST} octets.")
    return Hop(int(port), str(int(address)) if is_number else address)


def read_hops(octets: bytes) -> tuple[Hop, ...] | None:
    """The hops of a route; None where it holds anything else, or ends early."""
    hops: list[Hop] = []
    at = 0
    while at < len(octets):
        found = hop_at(octets, at) if 0 < octets[at] < 0x20 else None
        if found is None:
            return None
        hops.append(found[0])
        at = found[1]
    return tuple(hops)


def hop_at(octets: bytes, at: int) -> tuple[Hop, int] | None:
    """The port segment at an octet and where the next segment begins; None where it ends early."""
    first = octets[at]
    rest = at + 1
    extended, wide = bool(first & _EXTENDED_ADDRESS), first & 0x0F == _EXTENDED_PORT
    if rest + extended + 2 * wide >= len(octets):
        return None
    size = octets[rest] if extended else 1
    rest += extended
    port = int.from_bytes(octets[rest : rest + 2], "little") if wide else first & 0x0F
    rest += 2 * wide
    address = octets[rest : rest + size]
    if len(address) < size or not size:
        return None
    end = rest + size
    end += (end - at) % 2
    return Hop(port, address.decode("ascii", "replace") if extended else str(address[0])), end
