"""The frame of Modbus TCP: MBAP header and unit.

Source: Modbus Messaging on TCP/IP Implementation Guide 1.0b, 3.1.3.

    | transaction hi lo | protocol 0 0 | length hi lo | unit id | PDU … |       length counts unit id and PDU
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from highmoor.core.networks.modbus.pdu import ModbusError

_HEADER = struct.Struct(">HHHB")
PDU_AT_MOST = 253


@dataclass(frozen=True, slots=True)
class Frame:
    """A decoded frame."""

    transaction: int
    unit: int
    pdu: bytes

    def encode(self) -> bytes:
        """The octets on the wire."""
        return _HEADER.pack(self.transaction, 0, len(self.pdu) + 1, self.unit) + self.pdu

    @classmethod
    def decode(cls, octets: bytes) -> Frame:
        """A frame from its octets. Raises ModbusError for what is none."""
        if len(octets) < _HEADER.size + 1:
            raise ModbusError(4, f"{len(octets)} octets are too few for a frame")
        transaction, protocol, length, unit = _HEADER.unpack_from(octets)
        pdu = octets[_HEADER.size :]
        if protocol != 0 or length != len(pdu) + 1 or len(pdu) > PDU_AT_MOST:
            raise ModbusError(4, "the header does not fit the octets that follow")
        return cls(transaction, unit, pdu)
