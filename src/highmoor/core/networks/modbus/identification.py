"""What a server tells of itself: Read Device Identification, and the modules behind it where its type says where.

Source: Modbus Application Protocol 1.1b3, 6.21 (function 43, MEI type 14).

    request  | 2B | 0E | code | object |
    response | 2B | 0E | code | conformity | more | next | objects n | id, length, value … |
"""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.networks.modbus.pdu import ModbusError

FUNCTION, MEI = 0x2B, 0x0E
_BASIC = 1
_MAKER, _PRODUCT, _REVISION = 0, 1, 2
REQUEST = bytes([FUNCTION, MEI, _BASIC, 0])
# Three objects of it fit into one unit of 253 octets.
_TEXT_AT_MOST = 64


@dataclass(frozen=True, slots=True)
class Identification:
    """The three basic objects."""

    maker: str
    product: str
    revision: str

    def answer(self, unit: bytes) -> bytes:
        """The unit that answers a request. Raises ModbusError for one that it does not know."""
        if len(unit) != 4 or unit[1] != MEI:
            raise ModbusError(1)
        if not 1 <= unit[2] <= 4:
            raise ModbusError(3)
        texts = {_MAKER: self.maker, _PRODUCT: self.product, _REVISION: self.revision}
        if unit[2] == 4:
            if unit[3] not in texts:
                raise ModbusError(2)
            texts = {unit[3]: texts[unit[3]]}
        octets = {key: text.encode("ascii", "replace")[:_TEXT_AT_MOST] for key, text in texts.items()}
        objects = b"".join(bytes([key, len(value)]) + value for key, value in octets.items())
        # Conformity: the basic objects, as a stream or one by one.
        return bytes([FUNCTION, MEI, unit[2], 0x81, 0, 0, len(octets)]) + objects


def identification_in(unit: bytes) -> Identification:
    """The three objects of an answer. Raises ModbusError for an exception, or for octets that are no answer."""
    if len(unit) == 2 and unit[0] == FUNCTION | 0x80:
        raise ModbusError(unit[1])
    if len(unit) < 7 or unit[:2] != bytes([FUNCTION, MEI]):
        raise ModbusError(4, "the response is no device identification")
    texts: dict[int, str] = {}
    at = 7
    for _ in range(unit[6]):
        if at + 2 > len(unit) or at + 2 + unit[at + 1] > len(unit):
            raise ModbusError(4, "the response is cut off")
        value = unit[at + 2 : at + 2 + unit[at + 1]]
        texts[unit[at]] = "".join(c for c in value.decode("ascii", "replace") if c.isprintable())
        at += 2 + len(value)
    return Identification(texts.get(_MAKER, ""), texts.get(_PRODUCT, ""), texts.get(_REVISION, ""))
