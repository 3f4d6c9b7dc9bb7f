"""Fractional ranks: strings that sort as fractions, so that a row moves without touching its siblings."""

from __future__ import annotations

_DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
_BASE = len(_DIGITS)


def rank_between(before: str, after: str) -> str:
    """A rank strictly between two; "" before is the start, "" after the end. Never ends in "0"."""
    if after and before >= after:
        raise ValueError(f"no rank between {before!r} and {after!r}")
    digits: list[str] = []
    bounded = bool(after)
    position = 0
    while True:
        low = _DIGITS.index(before[position]) if position < len(before) else 0
        high = _BASE
        if bounded:
            high = _DIGITS.index(after[position]) if position < len(after) else 0
        if high - low > 1:
            digits.append(_DIGITS[(low + high) // 2])
            return "".join(digits)
        digits.append(_DIGITS[low])
        # Once a digit lies below the upper bound's, the rest is free upwards.
        bounded = bounded and low == high
        position += 1


def ranks_between(before: str, after: str, count: int) -> list[str]:
    """`count` rising ranks between two, spread by halving so that they stay short."""
    if count <= 0:
        return []
    middle = rank_between(before, after)
    lower = ranks_between(before, middle, count // 2)
    upper = ranks_between(middle, after, count - count // 2 - 1)
    return [*lower, middle, *upper]


def is_rank(text: str) -> bool:
    """Whether `text` can serve as a rank."""
    return bool(text) and text[-1] != "0" and all(digit in _DIGITS for digit in text)
