"""Numbers as description files write them: decimal, hexadecimal in several dresses, signs, exponents."""

from __future__ import annotations

import re

_HEX = re.compile(r"([+-]?)(?:0[xX]|16#|#[xX])([0-9A-Fa-f_]{1,40})")
_BASED = re.compile(r"([+-]?)(2|8)#([0-7_]{1,80})")
_WHOLE = re.compile(r"[+-]?[0-9]{1,40}")
_REAL = re.compile(r"[+-]?(?:[0-9]{1,60}\.?[0-9]{0,60}|\.[0-9]{1,60})(?:[eE][+-]?[0-9]{1,3})?")


def whole(text: str) -> int | None:
    """A whole number, or None. A leading zero means nothing: 010 is ten. `1.0` and `1e3` are whole as well."""
    try:
        return int(text)
    except ValueError:
        pass
    stripped = text.strip().strip('"').strip()
    if _WHOLE.fullmatch(stripped):
        return int(stripped)
    match = _HEX.fullmatch(stripped)
    if match:
        return _signed(match[1], int(match[2].replace("_", "") or "0", 16))
    match = _BASED.fullmatch(stripped)
    if match:
        try:
            return _signed(match[1], int(match[3].replace("_", "") or "0", int(match[2])))
        except ValueError:
            return None
    value = real(stripped)
    return int(value) if value is not None and value.is_integer() and abs(value) < 2**63 else None


def real(text: str) -> float | None:
    """A real number, or None; whole numbers of any base count as well."""
    stripped = text.strip().strip('"').strip()
    if _REAL.fullmatch(stripped):
        value = float(stripped)
        return value if abs(value) != float("inf") else None
    match = _HEX.fullmatch(stripped)
    return float(_signed(match[1], int(match[2].replace("_", "") or "0", 16))) if match else None


def number(text: str) -> int | float | None:
    """A number, whole where it is written so."""
    value = whole(text)
    return value if value is not None else real(text)


def is_hexadecimal(text: str) -> bool:
    """Whether the number is written in hex: such a number of a signed type is its bit pattern."""
    return _HEX.fullmatch(text.strip()) is not None


def _signed(sign: str, value: int) -> int:
    return -value if sign == "-" else value
