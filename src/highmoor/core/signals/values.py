"""What stands at a place: the type of its octets, and how many bits a value takes there."""

from __future__ import annotations

from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.errors import Refusal
from highmoor.core.numbers import parse_number
from highmoor.core.plant.rows import Link
from highmoor.core.signals.places import Place, is_field


def raw_type(declared: str, place: Place | None, link: Link) -> DataType | None:
    """The type of the octets at a link's place: that `declared` of the signal, or the raw count's when it is scaled.

    A scaled value comes from the count named by `raw_type`, or from INT where the place has 16 bits.
    """
    own = DATA_TYPES.get(declared)
    if not link.scaling or own is None:
        return own
    named = DATA_TYPES.get(str(link.scaling.get("raw_type")))
    return named or (DATA_TYPES["INT"] if place is not None and place.bits == 16 else own)


def taken_bits(raw: DataType | None, place: Place | None) -> int:
    """How many bits a value takes at a place: its type's, but within a packed field no more than that has."""
    if raw is None or place is None or raw.bits == 1 or not is_field(place):
        return raw.bits if raw else 0
    # Of one that stands high octet first the lowest bits are in the last octet: it is taken whole.
    return place.bits if place.high else min(raw.bits, place.bits)


def literal_value(text: str, kind: DataType) -> float | int | bool | None:
    """What a value begins with, of a text such as TRUE, 16#1F or 2.5; None where its type cannot hold that."""
    word = text.upper()
    if kind.family == "bool":
        return {"TRUE": True, "1": True, "FALSE": False, "0": False}.get(word)
    try:
        number = parse_number(text)
    except Refusal:
        return None
    if kind.low is None or kind.high is None:
        return float(number)
    return int(number) if number.denominator == 1 and kind.low <= number <= kind.high else None
