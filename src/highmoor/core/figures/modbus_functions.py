"""The public function codes as one table, with the octets of their protocol data units.

Source: Modbus Application Protocol 1.1b3, clause 6; limits of quantity as stated there for each function.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from highmoor.core.errors import Refusal

MASK = 22


@dataclass(frozen=True, slots=True)
class Function:
    """A function code: its area digit, direction seen from the controller, bits a piece, most at once.

    `writes_at_most` is the second quantity of a function that writes and reads in one.
    """

    code: int
    name: str
    area: int
    direction: Literal["in", "out"]
    bits: Literal[1, 16]
    at_most: int
    writes_at_most: int = 0

    @property
    def label(self) -> str:
        """Code and name as shown in a choice."""
        return f"{self.code} {self.name}"

    def data_octets(self, count: int) -> int:
        """Octets of data for `count` coils or registers; a mask is two words, what to keep and what to set."""
        if self.code == MASK:
            return 4
        return 2 * count if self.bits == 16 else (count + 7) // 8

    def whole(self, data: bytes | bytearray, count: int) -> bytes:
        """Data of `count` pieces as it travels: bits of coils behind the last one are 0 (clauses 6.1, 6.11)."""
        if self.bits == 16 or not count % 8 or len(data) < self.data_octets(count):
            return bytes(data)
        last = self.data_octets(count) - 1
        return bytes(data[:last]) + bytes([data[last] & (1 << count % 8) - 1])


FUNCTIONS: dict[int, Function] = {
    function.code: function
    for function in (
        Function(1, "read coils", 0, "in", 1, 2000),
        Function(2, "read discrete inputs", 1, "in", 1, 2000),
        Function(3, "read holding registers", 4, "in", 16, 125),
        Function(4, "read input registers", 3, "in", 16, 125),
        Function(5, "write one coil", 0, "out", 1, 1),
        Function(6, "write one holding register", 4, "out", 16, 1),
        Function(15, "write coils", 0, "out", 1, 1968),
        Function(16, "write holding registers", 4, "out", 16, 123),
        Function(22, "mask a holding register", 4, "out", 16, 1),
        Function(23, "write and read holding registers", 4, "in", 16, 125, 121),
    )
}
# What an exchange can be.
EXCHANGED: dict[int, Function] = FUNCTIONS
_SINGLE = (5, 6)


@dataclass(frozen=True, slots=True)
class Quantity:
    """How much a request asks: `count` read or written, `writes` written besides by a function that does both."""

    count: int
    writes: int = 0


def quantity_of(function: Function, count: int, writes: int = 0) -> Quantity:
    """The quantity within the function's limits. Raises Refusal outside of them."""
    for what, asked, most in (("count", count, function.at_most), ("write count", writes, function.writes_at_most)):
        if not (1 if most else 0) <= asked <= most:
            span = f"1–{most} are allowed" if most > 1 else f"it takes {most}"
            raise Refusal(f"Function {function.code}: {what} {asked}; {span}.", value=asked)
    return Quantity(count, writes)


def request_pdu_octets(function: Function, count: int, writes: int = 0) -> int:
    """Octets of a request's unit."""
    if function.code == MASK:
        return 7
    if function.writes_at_most:
        return 10 + 2 * writes
    if function.direction == "in" or function.code in _SINGLE:
        return 5
    return 6 + function.data_octets(count)


def response_pdu_octets(function: Function, count: int) -> int:
    """Octets of the good response's unit."""
    if function.code == MASK:
        return 7
    return 2 + function.data_octets(count) if function.direction == "in" else 5
