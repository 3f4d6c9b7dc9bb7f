"""The public function codes as one table.

Source: Modbus Application Protocol 1.1b3, clause 6; limits of quantity as stated there for each function.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_reference import AREAS, Reference, parse_reference
from highmoor.core.numbers import parse_number


@dataclass(frozen=True, slots=True)
class Function:
    """A function code: its area digit, direction seen from the controller, bits a piece, most at once."""

    code: int
    name: str
    area: int
    direction: Literal["in", "out"]
    bits: Literal[1, 16]
    at_most: int

    @property
    def label(self) -> str:
        """Code and name as shown in a choice."""
        return f"{self.code} {self.name}"

    def data_octets(self, count: int) -> int:
        """Octets of data for `count` coils or registers."""
        return 2 * count if self.bits == 16 else (count + 7) // 8


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
    )
}


def entered_address(text: str, function: Function) -> int:
    """The 0-based protocol address of what was typed for `function`.

    Five or six digits that begin with the function's area digit are a reference (40101 is address 100).
    `@100`, a number in another base, or up to four digits are the protocol address itself. Raises Refusal
    when the digits name another area, or lie outside 0–65535.
    """
    given = text.strip()
    if given.isascii() and given.isdigit() and len(given) in (5, 6):
        reference = parse_reference(given)
        if reference.area != function.area:
            raise Refusal(
                f"{given} names {AREAS[reference.area]}, but function {function.code} works on "
                f"{AREAS[function.area]} ({function.area}xxxx). For protocol address {int(given)} type @{int(given)}.",
                value=text,
            )
        return reference.address
    address = parse_number(given.removeprefix("@"))
    if address.denominator != 1 or not 0 <= address <= 65535:
        raise Refusal(f"“{text}” is no protocol address: whole numbers from 0 to 65535 are.", value=text)
    return address.numerator


def written_address(address: int, function: Function) -> str:
    """Area, 1-based reference and 0-based address together: "40101, holding register 101, address 100"."""
    reference = Reference(function.area, address + 1)
    return f"{reference.text} · {AREAS[function.area][:-1]} {reference.number} · address {address} = 16#{address:04X}"
