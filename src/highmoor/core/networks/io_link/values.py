"""Values of an IO-Link device as octets, and as people write them (IEC 61131-9, annex E: high octet first)."""

from __future__ import annotations

import struct
from fractions import Fraction

from highmoor.core.catalogue.io_link import IoValue
from highmoor.core.errors import Refusal
from highmoor.core.numbers import exact, parse_number, shown

_TRUE, _FALSE = ("true", "on", "1"), ("false", "off", "0")
_WHOLE = ("UINT", "INT", "TIME", "SPAN")


def octets_in(value: IoValue) -> int:
    """How many octets a value has by itself."""
    return (value.bits + 7) // 8


def octets_of(value: IoValue, typed: str) -> bytes:
    """The octets of what was typed: a number in the value's own unit, the text of a single value, a text, octets in
    hex. Raises Refusal for what it cannot be."""
    text = typed.strip()
    chosen = next((one for one, label in value.choices if label.lower() == text.lower()), None)
    if value.kind == "STRING":
        return _string(value, typed)
    if value.kind == "OCTETS":
        return _hex(text)
    if value.kind == "BOOL":
        if chosen is None and text.lower() not in _TRUE + _FALSE:
            raise Refusal(f"“{text[:20]}” is neither 0 nor 1.", value=typed)
        return bytes([bool(chosen) if chosen is not None else text.lower() in _TRUE])
    if value.kind == "REAL":
        return struct.pack(">f" if value.bits == 32 else ">d", float(parse_number(text, unit=value.unit)))
    return _whole(value, int(chosen) if chosen is not None else _count(value, text))


def _count(value: IoValue, text: str) -> int:
    """The count behind a number in its unit."""
    number = parse_number(text, unit=value.unit)
    count = (number - exact(value.offset)) / exact(value.gradient or 1)
    if count.denominator != 1:
        step = f"{shown(value.gradient, 6)} {value.unit}".strip()
        raise Refusal(f"{text} lies between two counts: it goes in steps of {step}.", value=text)
    return count.numerator


def _whole(value: IoValue, count: int) -> bytes:
    signed = value.kind == "INT"
    low, high = (-(1 << value.bits - 1), (1 << value.bits - 1) - 1) if signed else (0, (1 << value.bits) - 1)
    if not low <= count <= high:
        raise Refusal(f"{count} is more than {value.bits} bits hold.", value=count)
    allowed = any(a <= count <= b for a, b in value.ranges) or any(one == count for one, _ in value.choices)
    if (value.ranges or value.choices) and not allowed:
        said = ", ".join(f"{_number(value, a)} … {_number(value, b)}" for a, b in value.ranges)
        texts = ", ".join(text or str(one) for one, text in value.choices[:8])
        raise Refusal(f"It can be {' or '.join(part for part in (said, texts) if part)}.", value=count)
    return (count & (1 << value.bits) - 1).to_bytes(octets_in(value), "big")


def _string(value: IoValue, typed: str) -> bytes:
    octets = typed.encode()
    if len(octets) > octets_in(value):
        raise Refusal(f"It takes {octets_in(value)} octets, the text has {len(octets)}.", value=typed)
    return octets


def _hex(text: str) -> bytes:
    try:
        octets = bytes.fromhex(text.removeprefix("16#"))
    except ValueError:
        raise Refusal(f"“{text[:20]}” are no octets in hex, such as 01 FF.", value=text) from None
    if not 0 < len(octets) <= 232:
        raise Refusal("A value has 1 to 232 octets.", value=text)
    return octets


def plain_octets(typed: str) -> bytes:
    """Octets in hex of a value that no file describes. Raises Refusal."""
    return _hex(typed.strip())


def said(value: IoValue, octets: bytes) -> str:
    """What octets mean, in the value's unit, or the text of a single value."""
    if value.kind == "STRING":
        return octets.rstrip(b"\0").decode(errors="replace")
    if value.kind == "OCTETS" or not octets:
        return octets.hex(" ").upper()
    if value.kind == "REAL":
        if len(octets) * 8 != value.bits:
            return octets.hex(" ").upper()
        return _with_unit(shown(struct.unpack(">f" if value.bits == 32 else ">d", octets)[0], 7), value.unit)
    count = count_of(value, octets)
    text = next((text for one, text in value.choices if one == count), "")
    return text or _with_unit(_number(value, count), value.unit)


def count_of(value: IoValue, octets: bytes) -> int:
    """The whole number that octets are."""
    count = int.from_bytes(octets, "big") & (1 << value.bits) - 1
    return count - (1 << value.bits) if value.kind == "INT" and count >> value.bits - 1 else count


def _number(value: IoValue, count: float) -> str:
    number: Fraction = exact(count) * exact(value.gradient or 1) + exact(value.offset)
    return shown(float(number), 7)


def _with_unit(number: str, unit: str) -> str:
    return f"{number} {unit}".strip()


def default_octets(value: IoValue, default: str) -> bytes:
    """What a value begins with as its file writes it (the count itself); zeros where it says nothing, or no such."""
    try:
        if value.kind == "STRING":
            return default.encode()[: octets_in(value)]
        if value.kind == "BOOL":
            return bytes([default.strip().lower() in _TRUE])
        if value.kind == "REAL":
            return struct.pack(">f" if value.bits == 32 else ">d", float(default or 0))
        if value.kind in _WHOLE:
            count = int(default or 0) & (1 << value.bits) - 1
            return count.to_bytes(octets_in(value), "big")
        return bytes.fromhex(default.replace("0x", "").replace(",", " ")) if default else bytes(octets_in(value))
    except (ValueError, OverflowError, struct.error):
        return bytes(octets_in(value))
