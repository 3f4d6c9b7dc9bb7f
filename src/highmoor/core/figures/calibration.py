"""A scaling put right by two measured points."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal


def through(one: tuple[Fraction, Fraction], other: tuple[Fraction, Fraction]) -> tuple[Fraction, Fraction]:
    """The straight line through two points (part of the span, value): its values at 0 and at 1.

    Raises Refusal for two points at one place, or with one value.
    """
    (at, value), (elsewhere, another) = one, other
    if at == elsewhere:
        raise Refusal("Both points have the same count: take them far apart.", field="points")
    if value == another:
        raise Refusal("Both points have the same value: take them far apart.", field="points")
    slope = (another - value) / (elsewhere - at)
    low = value - slope * at
    return low, low + slope
