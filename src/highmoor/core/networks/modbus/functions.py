"""Addresses as engineers type and read them, by the function that works on them.

Source: Modbus Application Protocol 1.1b3, 4.3 and 4.4.
"""

from __future__ import annotations

from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import Function
from highmoor.core.figures.modbus_reference import AREAS, Reference, parse_reference
from highmoor.core.numbers import parse_number


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
        raise Refusal(f"“{text}” is not a protocol address: it is a whole number from 0 to 65535.", value=text)
    return address.numerator


def written_address(address: int, function: Function) -> str:
    """Area, 1-based reference and 0-based address together: "40101, holding register 101, address 100"."""
    reference = Reference(function.area, address + 1)
    return f"{reference.text} · {AREAS[function.area][:-1]} {reference.number} · address {address} = 16#{address:04X}"
