"""Measuring ranges as lists write them: “0-10 bar”, “-2,5…2,5”, “0 to 3.2 m”."""

from __future__ import annotations

import re
from fractions import Fraction

_NUMBER = r"[+-]?(?:\d+(?:[.,]\d+)?|[.,]\d+)(?:[eE][+-]?\d{1,2})?"
_RANGE = re.compile(
    rf"({_NUMBER})\s*(?:\.\.\.?|…|–|—|−|-|\bto\b|/|~)\s*({_NUMBER})\s*(.*)", re.IGNORECASE
)  # fmt: skip


def ends_of(text: str) -> tuple[Fraction, Fraction, str] | None:
    """Low end, high end and what stands behind them (a unit); None where a text is no range."""
    found = _RANGE.fullmatch(text.replace("−", "-").strip())
    if found is None:
        return None
    low, high = (Fraction(found[n].replace(",", ".")) for n in (1, 2))
    return low, high, found[3].strip()


def range_text(low: Fraction, high: Fraction, rest: str = "") -> str:
    """The one way in which a range is written: “0 … 3.2 m”."""
    return " ".join(filter(None, (f"{decimal(low)} … {decimal(high)}", rest)))


def canonical_range(text: str) -> str:
    """A range written in the one way; a text that is none stays as it is."""
    ends = ends_of(text)
    return range_text(*ends) if ends else text


def decimal(value: Fraction) -> str:
    """All digits of a decimal fraction; the nearest double's for what has no end."""
    whole, rest = value, 0
    while whole.denominator != 1 and rest < 30:
        whole, rest = whole * 10, rest + 1
    if whole.denominator != 1:
        return repr(float(value))
    sign, digits = "-" if whole < 0 else "", str(abs(whole.numerator)).zfill(rest + 1)
    return f"{sign}{digits[:-rest]}.{digits[-rest:]}" if rest else f"{sign}{digits}"
