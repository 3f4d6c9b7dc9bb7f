"""The types of a program, which becomes which by itself, and what their literals say.

Source: IEC 61131-3:2013, 6.3 (literals), 6.4.2 (elementary types), 6.6.1.6 and figure 12 (what converts by itself).
"""

from __future__ import annotations

import re
import struct
from functools import cache

from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.errors import Refusal
from highmoor.core.numbers import exact

# Nanoseconds: a duration of ours reaches 292 years.
TIME = DataType("TIME", 64, "q", "signed")
KINDS: dict[str, DataType] = {**DATA_TYPES, "TIME": TIME, "LTIME": TIME}
BOOL, INT, DINT, REAL, LREAL = (DATA_TYPES[name] for name in ("BOOL", "INT", "DINT", "REAL", "LREAL"))

_NEXT: dict[str, tuple[str, ...]] = {
    "BOOL": ("BYTE",), "BYTE": ("WORD",), "WORD": ("DWORD",), "DWORD": ("LWORD",),
    "SINT": ("INT",), "INT": ("DINT", "REAL"), "DINT": ("LINT", "LREAL"),
    "USINT": ("UINT", "INT"), "UINT": ("UDINT", "DINT", "REAL"), "UDINT": ("ULINT", "LINT", "LREAL"),
    "REAL": ("LREAL",),
}  # fmt: skip


@cache
def _becomes(name: str) -> tuple[str, ...]:
    """All that a type becomes by itself, the nearest first."""
    found = [name]
    for one in found:
        found += [further for further in _NEXT.get(one, ()) if further not in found]
    return tuple(found)


def converts(one: DataType, other: DataType) -> bool:
    """Whether a value of one type becomes one of another by itself, with nothing lost but digits of a REAL."""
    return other.name in _becomes(one.name)


def common(one: DataType, other: DataType) -> DataType | None:
    """The nearest type that both become by themselves, None where there is none."""
    theirs = _becomes(other.name)
    return next((KINDS[name] for name in _becomes(one.name) if name in theirs), None)


def is_number(kind: DataType) -> bool:
    """Whether it is calculated with: whole numbers and reals, no strings of bits and no durations."""
    return kind is not TIME and kind.family in ("signed", "unsigned", "real")


def is_bits(kind: DataType) -> bool:
    """BOOL and the strings of bits."""
    return kind.family in ("bool", "bits")


def single(value: float) -> float:
    """As a REAL holds it: to the nearest of 32 bits, beyond them without end."""
    try:
        held: float = struct.unpack("<f", struct.pack("<f", value))[0]
    except OverflowError:
        return float("inf") if value > 0 else float("-inf")
    return held


def held(value: bool | int | float, kind: DataType) -> bool | int | float:
    """A number that stands in a text as a type holds it."""
    if kind is BOOL:
        return bool(value)
    if kind.family != "real":
        return value
    return single(float(value)) if kind is REAL else float(value)


_DURATION = re.compile(r"(\d+(?:\.\d+)?)(ms|us|ns|d|h|m|s)")
_NS = {"d": 86_400_000_000_000, "h": 3_600_000_000_000, "m": 60_000_000_000, "s": 1_000_000_000,
       "ms": 1_000_000, "us": 1_000, "ns": 1}  # fmt: skip
_ORDER = list(_NS)


def literal(text: str) -> tuple[DataType | None, bool | int | float]:
    """Its type, None for a whole number that may be of any, and its value. Raises Refusal for what is none."""
    word = text.upper()
    if word in ("TRUE", "FALSE"):
        return BOOL, word == "TRUE"
    before, mark, rest = text.partition("#")
    if mark and before.upper() in ("T", "TIME", "LT", "LTIME"):
        return TIME, _duration(rest)
    kind = None
    if mark and not before.isdigit():
        kind = KINDS.get(before.upper())
        if kind is None:
            raise Refusal(f"{before} is no type of a number.", value=text)
        text = rest
    number = _number(text)
    if kind is BOOL:
        if number not in (0, 1):
            raise Refusal(f"A BOOL is 0 or 1, not {text}.", value=text)
        return BOOL, bool(number)
    if isinstance(number, float):
        if kind is not None and kind.family != "real":
            raise Refusal(f"{kind.name} has no fraction.", value=text)
        return kind or LREAL, number
    if kind is not None and kind.family == "real":
        return kind, float(number)
    if kind is not None and not fits(number, kind):
        raise Refusal(f"{kind.name} goes from {kind.low} to {kind.high}.", value=text)
    return kind, number


def fits(number: int, kind: DataType) -> bool:
    """Whether a whole number is one of a type's values; of a real always."""
    return kind.low is None or kind.high is None or kind.low <= number <= kind.high


def _number(text: str) -> int | float:
    digits = text.replace("_", "")
    base, mark, rest = digits.partition("#")
    try:
        if mark:
            return int(rest, {"2": 2, "8": 8, "10": 10, "16": 16}[base])
        return float(digits) if "." in digits else int(digits)
    except (KeyError, ValueError):
        raise Refusal(f"{text[:30]} is no number; decimal, 2#…, 8#… and 16#… are.", value=text) from None


def _duration(text: str) -> int:
    sign, digits = (-1, text[1:]) if text.startswith("-") else (1, text)
    digits = digits.replace("_", "").lower()
    parts = _DURATION.findall(digits)
    units = [_ORDER.index(unit) for _, unit in parts]
    spelled = "".join(f"{number}{unit}" for number, unit in parts)
    if not parts or spelled != digits or units != sorted(set(units)):
        raise Refusal(f"{text[:30]} is no duration; 1m30s and 250ms are.", value=text)
    # Only of the last there may be a fraction.
    if any("." in number for number, _ in parts[:-1]):
        raise Refusal(f"{text[:30]}: only the last part of a duration has a fraction.", value=text)
    return sign * int(sum(exact(number) * _NS[unit] for number, unit in parts))
