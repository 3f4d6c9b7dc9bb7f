"""Frames of a serial Modbus line, RTU and ASCII.

Source: Modbus over Serial Line 1.02, 2.5.1 (RTU, CRC-16 of appendix B) and 2.5.2 (ASCII, LRC).

    RTU    | station | PDU … | CRC lo hi |              ended by a silence of 3.5 characters
    ASCII  : station PDU … LRC CR LF                    each octet as two capital hex digits
"""

from __future__ import annotations

import binascii
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from highmoor.core.networks.modbus.pdu import ModbusError

Mode = Literal["rtu", "ascii"]


@dataclass(frozen=True, slots=True)
class SerialFrame:
    """A decoded frame: the station asked or answering, and the protocol data unit."""

    station: int
    pdu: bytes

    def encode(self, mode: Mode) -> bytes:
        """The octets on the line."""
        body = bytes([self.station]) + self.pdu
        if mode == "rtu":
            return body + crc16(body).to_bytes(2, "little")
        return b":" + (body + bytes([lrc(body)])).hex().upper().encode() + b"\r\n"

    @classmethod
    def decode(cls, octets: bytes, mode: Mode) -> SerialFrame:
        """A frame from its octets. Raises ModbusError for what is none, a wrong check sum included."""
        return _decoded(octets, mode)


@lru_cache(maxsize=64)
def _decoded(octets: bytes, mode: Mode) -> SerialFrame:
    """Once for all who hear it."""
    body = _rtu_body(octets) if mode == "rtu" else _ascii_body(octets)
    if len(body) < 2:
        raise ModbusError(4, f"{len(octets)} octets are too few for a frame")
    return SerialFrame(body[0], body[1:])


def _checked(octets: bytes, size: int, check: Callable[[bytes], bytes], name: str) -> bytes:
    if len(octets) <= size or check(octets[:-size]) != octets[-size:]:
        raise ModbusError(4, f"the check sum ({name}) is wrong")
    return octets[:-size]


def _rtu_body(octets: bytes) -> bytes:
    return _checked(octets, 2, lambda body: crc16(body).to_bytes(2, "little"), "CRC")


def _ascii_body(octets: bytes) -> bytes:
    if not octets.startswith(b":") or not octets.endswith(b"\r\n"):
        raise ModbusError(4, "a frame begins with a colon and ends with CR LF")
    try:
        plain = binascii.unhexlify(octets[1:-2])
    except binascii.Error:
        raise ModbusError(4, "between them stand hex digits in pairs") from None
    return _checked(plain, 1, lambda body: bytes([lrc(body)]), "LRC")


def crc16(octets: bytes) -> int:
    """CRC-16 with polynomial 0xA001 (reflected), begun with 0xFFFF."""
    crc = 0xFFFF
    for octet in octets:
        crc = crc >> 8 ^ _CRC_OF[(crc ^ octet) & 0xFF]
    return crc


def _crc_of(octet: int) -> int:
    for _ in range(8):
        octet = octet >> 1 ^ (0xA001 if octet & 1 else 0)
    return octet


_CRC_OF = tuple(_crc_of(octet) for octet in range(256))


def lrc(octets: bytes) -> int:
    """Two's complement of the sum of the octets."""
    return -sum(octets) & 0xFF
