"""A Modbus server on the bench: registers and coils that a process model or a rail stands behind."""

from __future__ import annotations

from collections.abc import Callable, Container, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from highmoor.core.figures.modbus_functions import MASK, Function
from highmoor.core.networks.modbus.identification import FUNCTION, Identification
from highmoor.core.networks.modbus.pdu import (
    ModbusError,
    Request,
    decode_request,
    encode_exception,
    encode_response,
)


class Words(Protocol):
    """An area of a server: registers or coils by address."""

    def get(self, address: int, default: int, /) -> int: ...

    def __setitem__(self, address: int, value: int, /) -> None: ...


@dataclass(slots=True)
class RailWords:
    """The octets of a coupler's modules as registers: the low octet of each is the earlier one; and fixed ones."""

    octets: bytearray
    fixed: Mapping[int, int] = field(default_factory=dict)

    def get(self, address: int, default: int, /) -> int:
        """A register's value; the default behind the last."""
        if address in self.fixed:
            return self.fixed[address]
        two = self.octets[2 * address : 2 * address + 2]
        return int.from_bytes(two, "little") if len(two) == 2 else default

    def __setitem__(self, address: int, value: int, /) -> None:
        self.octets[2 * address : 2 * address + 2] = (value & 0xFFFF).to_bytes(2, "little")


@dataclass(slots=True)
class RegisterServer:
    """A server whose registers and coils a process model reads and writes.

    `areas` maps the area digit to its registers or coils; `present` which addresses there are, None for all of them.
    `written` is called after whatever writes. One without an `identification` does not know function 43.
    """

    reply_ms: float
    areas: dict[int, Words] = field(default_factory=lambda: {0: {}, 1: {}, 3: {}, 4: {}})
    present: Mapping[int, Container[int]] | None = None
    written: Callable[[], None] = lambda: None
    identification: Identification | None = None

    def answer_unit(self, unit: bytes) -> bytes:
        """The protocol data unit that answers another one; an exception where it cannot be done."""
        try:
            if unit[:1] == bytes([FUNCTION]) and self.identification:
                return self.identification.answer(unit)
            request = decode_request(unit)
            self._refuse_absent(request)
            data = self._read(request) if request.function.direction == "in" else self._write(request)
            if request.function.direction == "out" or request.function.writes_at_most:
                self.written()
            return encode_response(request, data)
        except ModbusError as error:
            return encode_exception(unit[0] if unit else 0, error.code)

    def _refuse_absent(self, request: Request) -> None:
        if self.present is None:
            return
        there = self.present.get(request.function.area, ())
        asked = [*range(request.address, request.address + request.count)]
        if request.function.writes_at_most:
            asked += range(request.write_address, request.write_address + len(request.data) // 2)
        if any(address not in there for address in asked):
            raise ModbusError(2)

    def _read(self, request: Request) -> bytes:
        area = self.areas[request.function.area]
        # What does both writes first (Modbus Application Protocol 1.1b3, 6.17).
        for n in range(len(request.data) // 2):
            area[request.write_address + n] = int.from_bytes(request.data[2 * n : 2 * n + 2], "big")
        values = [area.get(request.address + n, 0) for n in range(request.count)]
        return pack(values, request.function)

    def _write(self, request: Request) -> bytes:
        area = self.areas[request.function.area]
        if request.function.code == MASK:
            keep, put = (int.from_bytes(request.data[n : n + 2], "big") for n in (0, 2))
            # Modbus Application Protocol 1.1b3, 6.16.
            area[request.address] = area.get(request.address, 0) & keep | put & ~keep & 0xFFFF
            return b""
        for n, value in enumerate(unpack(request.data, request.function, request.count)):
            area[request.address + n] = value
        return b""


def coupler(
    reply_ms: float, image_in: bytearray, image_out: bytearray, told: tuple[int, Sequence[int]] | None = None
) -> RegisterServer:
    """A server with modules behind it: what they give in input registers, what they take in holding registers.

    `told`: from which input register on it tells of them, and each one's number.
    """
    first, numbers = told or (0, ())
    behind = {first + n: value for n, value in enumerate((len(numbers), *numbers))} if told else {}
    server = RegisterServer(reply_ms, {0: {}, 1: {}, 3: RailWords(image_in, behind), 4: RailWords(image_out)})
    server.present = {3: {*range(len(image_in) // 2), *behind}, 4: range(len(image_out) // 2)}
    return server


def pack(values: list[int], function: Function) -> bytes:
    """Registers high octet first, or coils from bit 0 up."""
    if function.bits == 16:
        return b"".join((value & 0xFFFF).to_bytes(2, "big") for value in values)
    packed = bytearray(function.data_octets(len(values)))
    for n, value in enumerate(values):
        packed[n // 8] |= (1 if value else 0) << n % 8
    return bytes(packed)


def unpack(data: bytes, function: Function, count: int) -> list[int]:
    """The inverse of `pack`."""
    if function.bits == 16:
        return [int.from_bytes(data[2 * n : 2 * n + 2], "big") for n in range(count)]
    return [data[n // 8] >> n % 8 & 1 for n in range(count)]
