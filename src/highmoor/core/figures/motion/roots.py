"""Roots of exact numbers, right to the last bit of a double however large or small they are."""

from __future__ import annotations

from fractions import Fraction
from math import isqrt

_BITS = 80


def root(value: Fraction, degree: int = 2) -> float:
    """The root of a number of at least 0. Raises OverflowError where no double holds it."""
    if value == 0:
        return 0.0
    # Scaled so that the whole root has bits enough, and the rest that is cut away cannot be seen.
    short = _BITS - (value.numerator.bit_length() - value.denominator.bit_length()) // degree
    scale = Fraction(2) ** (degree * short)
    whole = (value * scale).__floor__()
    return float(Fraction(isqrt(whole) if degree == 2 else _whole_root(whole, degree)) / Fraction(2) ** short)


def _whole_root(value: int, degree: int) -> int:
    """The largest whole number whose power is not above a value (Newton from above)."""
    guess = 1 << -(-value.bit_length() // degree)
    while True:
        better = ((degree - 1) * guess + value // guess ** (degree - 1)) // degree
        if better >= guess:
            return guess
        guess = better
