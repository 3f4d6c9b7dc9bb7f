"""What an object's octets mean, and the octets of what was typed: numbers low octet first (ETG.1000.6, 5.5)."""

from __future__ import annotations

import math
import struct
from fractions import Fraction

from highmoor.core.catalogue.ethercat import TEXT
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.dictionary import SIGNED
from highmoor.core.networks.live import Forms
from highmoor.core.numbers import parse_number, shown

_FLOATS = {"REAL": ("<f", 4), "LREAL": ("<d", 8)}
_NUMBER_OCTETS = 8
_TEXT_AT_MOST = 250


def forms_of(octets: bytes, data_type: str, bits: int = 0) -> Forms:
    """All forms of a value. `bits` is its length where that is no whole octets."""
    told = octets.hex(" ").upper()
    if data_type == TEXT or (data_type not in DATA_TYPES and len(octets) > _NUMBER_OCTETS):
        return Forms(told, "", "", "", _text(octets))
    if data_type in _FLOATS and len(octets) == _FLOATS[data_type][1]:
        value = struct.unpack(_FLOATS[data_type][0], octets)[0]
        number = int.from_bytes(octets, "little")
        decimal = shown(value) if math.isfinite(value) else "not a number" if math.isnan(value) else "infinite"
        return Forms(told, decimal, f"16#{number:0{2 * len(octets)}X}", "", "")
    if not octets or len(octets) > _NUMBER_OCTETS:
        return Forms(told, "", "", "", "")
    plain = int.from_bytes(octets, "little")
    signed = int.from_bytes(octets, "little", signed=data_type in SIGNED)
    width = bits if 0 < bits <= 8 * len(octets) else 8 * len(octets)
    digits = f"{plain:0{width}b}"
    grouped = "_".join(digits[max(end - 4, 0) : end] for end in range(len(digits) % 4 or 4, len(digits) + 1, 4))
    return Forms(told, str(signed), f"16#{plain:0{(width + 3) // 4}X}", f"2#{grouped}", "")


def _text(octets: bytes) -> str:
    return "".join(chr(c) if 32 <= c < 127 else "·" for c in octets.rstrip(b"\0"))


def octets_of(typed: str, data_type: str, bits: int) -> bytes:
    """The octets of what was typed, as many as the type has; more where the value needs more, which the device then
    refuses in words of its own.

    Raises Refusal for what is no value of the kind at all.
    """
    if data_type == TEXT:
        if len(typed) > _TEXT_AT_MOST or not typed.isascii():
            raise Refusal(f"A text has up to {_TEXT_AT_MOST} plain characters.", value=typed[:40])
        return typed.encode().ljust(bits // 8, b"\0")
    if data_type == "BOOL" and typed.strip().lower() in ("true", "false", "on", "off"):
        return bytes([typed.strip().lower() in ("true", "on")])
    number = parse_number(typed)
    if data_type in _FLOATS:
        form, _ = _FLOATS[data_type]
        try:
            return struct.pack(form, float(number))
        except OverflowError:
            raise Refusal(f"{typed} is too great for a {data_type}.", value=typed) from None
    return _whole(number, typed, (bits + 7) // 8, data_type)


def _whole(number: Fraction, typed: str, size: int, data_type: str) -> bytes:
    if number.denominator != 1:
        raise Refusal(f"{typed} is no whole number.", value=typed)
    value = number.numerator
    if value < 0 and data_type and data_type not in SIGNED:
        raise Refusal(f"{typed} is negative: a {data_type} is not.", value=typed)
    # What is typed in another base is the octets themselves: 16#FFFF is -1 of an INT.
    least, most = -(1 << 8 * max(size, 1) - 1), (1 << 8 * max(size, 1)) - 1
    if size and least <= value <= most and not (data_type in SIGNED and value > most >> 1 and "#" not in typed):
        return (value & most).to_bytes(size, "little")
    needed = next((n for n in (1, 2, 4, 8) if n > size and -(1 << 8 * n - 1) <= value < 1 << 8 * n), 0)
    if not needed:
        raise Refusal(f"{typed} does not go into 64 bits.", value=typed)
    return (value & (1 << 8 * needed) - 1).to_bytes(needed, "little")
