"""Sizes in the units manuals use: bits, octets, 16- and 32-bit words."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, get_args

from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number, shown

Unit = Literal["bits", "octets", "words16", "words32"]
BITS: dict[str, int] = {"bits": 1, "octets": 8, "words16": 16, "words32": 32}
LABELS: dict[str, str] = {
    "bits": "bits",
    "octets": "octets",
    "words16": "words of 16 bits",
    "words32": "words of 32 bits",
}
UNITS: tuple[str, ...] = get_args(Unit)
_OCTETS_AT_MOST = 65535


def octets_of(given: str | int, unit: str) -> int:
    """Whole octets of a size given in a unit; bits are rounded up. Raises Refusal for no size at all."""
    if unit not in BITS:
        raise Refusal(f"“{unit}” is not a unit of size; possible are {', '.join(UNITS)}.", field="unit", value=unit)
    count = parse_number(str(given))
    bits = count * BITS[unit]
    if count < 0 or bits.denominator != 1:
        raise Refusal(f"“{given}” {LABELS[unit]} is not a possible size.", field="size", value=given)
    octets = -(-int(bits) // 8)
    if octets > _OCTETS_AT_MOST:
        raise Refusal(f"{octets} octets are more than any device exchanges.", field="size", value=given)
    return octets


def in_other_units(octets: int, entered: Unit) -> str:
    """A size in the units a manual may give it in, but for the one it was entered in: "48 bits · 6 octets"."""
    words = {"bits": "bits", "octets": "octets", "words16": "words of 16", "words32": "words of 32"}
    sizes = in_units(octets)
    return " · ".join(f"{shown(sizes[unit])} {name}" for unit, name in words.items() if unit != entered)


def in_units(octets: int) -> dict[str, float]:
    """A size in every unit; halves of words are shown as such."""
    return {unit: _plain(Fraction(8 * octets, bits)) for unit, bits in BITS.items()}


def _plain(value: Fraction) -> float:
    return value.numerator if value.denominator == 1 else float(value)
