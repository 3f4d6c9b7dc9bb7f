"""Protocol data units: octets of requests and responses, both ways.

Source: Modbus Application Protocol 1.1b3, clauses 6 and 7.

    read request      | fc | address hi lo | count hi lo |
    read response     | fc | octets n | data 1 … n |
    write one         | fc | address hi lo | value hi lo |            (answered by its own echo)
    mask one          | fc | address hi lo | AND hi lo | OR hi lo |  (answered by its own echo)
    write and read    | fc | read hi lo | count hi lo | write hi lo | count hi lo | octets n | data 1 … n |
    write several     | fc | address hi lo | count hi lo | octets n | data 1 … n |
    their response    | fc | address hi lo | count hi lo |
    exception         | fc + 0x80 | code |

Data of coils is packed from bit 0 of the first octet up; registers stand high octet first.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from highmoor.core.errors import HighmoorError
from highmoor.core.figures.modbus_functions import EXCHANGED, MASK, Function

EXCEPTIONS = {
    0x01: "illegal function: the device does not know this function code",
    0x02: "illegal data address: the device has nothing at this address, or not that many",
    0x03: "illegal data value: the device refuses the count or the value",
    0x04: "server device failure: the device could not do it",
    0x05: "acknowledge: the device needs longer for it",
    0x06: "server device busy: ask again later",
    0x08: "memory parity error in the device's file",
    0x0A: "gateway path unavailable: the gateway is misconfigured or overloaded",
    0x0B: "gateway target device failed to respond: nothing answers behind the gateway",
}
_SINGLE = (5, 6)
_ON, _OFF = 0xFF00, 0x0000


class ModbusError(HighmoorError):
    """Octets that are no valid unit, with the exception code a server answers."""

    def __init__(self, code: int, why: str = "") -> None:
        super().__init__(why or EXCEPTIONS.get(code, f"exception {code}"))
        self.code = code


@dataclass(frozen=True, slots=True)
class Request:
    """A decoded request; `data` packed as in the unit, empty when reading. `write_address` where both are done."""

    function: Function
    address: int
    count: int
    data: bytes = b""
    write_address: int = 0


def encode_request(request: Request) -> bytes:
    """The unit of a request."""
    code, function = request.function.code, request.function
    if function.writes_at_most:
        writes = len(request.data) // 2
        head = struct.pack(">BHHHHB", code, request.address, request.count, request.write_address, writes, 2 * writes)
        return head + request.data
    if function.direction == "in":
        return struct.pack(">BHH", code, request.address, request.count)
    if code == 5:
        return struct.pack(">BHH", code, request.address, _ON if request.data[0] & 1 else _OFF)
    if code in (6, MASK):
        return struct.pack(">BH", code, request.address) + request.data
    return struct.pack(">BHHB", code, request.address, request.count, len(request.data)) + request.data


def decode_request(unit: bytes) -> Request:
    """A request from its unit. Raises ModbusError with the exception code the server owes."""
    function = EXCHANGED.get(unit[0]) if unit else None
    if function is None:
        raise ModbusError(1)
    if function.code in _SINGLE:
        return _decode_single(function, unit)
    if function.code == MASK:
        if len(unit) != 7:
            raise ModbusError(3, "the request has not seven octets")
        return Request(function, int.from_bytes(unit[1:3], "big"), 1, unit[3:])
    if function.writes_at_most:
        return _decode_both(function, unit)
    if len(unit) < 5:
        raise ModbusError(3, "the request is too short")
    address, count = struct.unpack(">HH", unit[1:5])
    if not 1 <= count <= function.at_most:
        raise ModbusError(3, f"{count} asked, 1–{function.at_most} allowed")
    data = unit[6:]
    if function.direction == "out" and (
        len(unit) < 6 or unit[5] != function.data_octets(count) or len(data) != unit[5]
    ):
        raise ModbusError(3, "the octet count does not match")
    if function.direction == "in" and len(unit) != 5:
        raise ModbusError(3, "the request is too long")
    if address + count > 65536:
        raise ModbusError(2)
    return Request(function, address, count, data)


def _decode_both(function: Function, unit: bytes) -> Request:
    if len(unit) < 10:
        raise ModbusError(3, "the request is too short")
    address, count, write_address, writes, octets = struct.unpack(">HHHHB", unit[1:10])
    if not (1 <= count <= function.at_most and 1 <= writes <= function.writes_at_most):
        raise ModbusError(
            3, f"{count} read and {writes} written, {function.at_most} and {function.writes_at_most} allowed"
        )
    if octets != 2 * writes or len(unit) != 10 + octets:
        raise ModbusError(3, "the octet count does not match")
    if address + count > 65536 or write_address + writes > 65536:
        raise ModbusError(2)
    return Request(function, address, count, unit[10:], write_address)


def _decode_single(function: Function, unit: bytes) -> Request:
    if len(unit) != 5:
        raise ModbusError(3, "the request has not five octets")
    address, value = struct.unpack(">HH", unit[1:])
    if function.code == 6:
        return Request(function, address, 1, unit[3:])
    if value not in (_ON, _OFF):
        raise ModbusError(3, f"a coil is written with 0xFF00 or 0x0000, not 0x{value:04X}")
    return Request(function, address, 1, bytes([1 if value == _ON else 0]))


def encode_response(request: Request, data: bytes = b"") -> bytes:
    """The unit that answers `request`; `data` is what was read."""
    function = request.function
    if function.direction == "in":
        return bytes([function.code, len(data)]) + data
    if function.code in (*_SINGLE, MASK):
        return encode_request(request)
    return struct.pack(">BHH", function.code, request.address, request.count)


def encode_exception(code: int, exception: int) -> bytes:
    """The unit of an exception response."""
    return bytes([code | 0x80, exception])


def decode_response(request: Request, unit: bytes) -> bytes:
    """The data read, or b"" when writing. Raises ModbusError for an exception or for octets that do not answer."""
    function = request.function
    if len(unit) == 2 and unit[0] == function.code | 0x80:
        raise ModbusError(unit[1])
    if function.direction == "out":
        if unit != encode_response(request):
            raise ModbusError(4, "the response does not echo the request")
        return b""
    expected = function.data_octets(request.count)
    if len(unit) != 2 + expected or unit[0] != function.code or unit[1] != expected:
        raise ModbusError(4, f"the response has {max(len(unit) - 2, 0)} octets of data, {expected} were asked")
    return unit[2:]
