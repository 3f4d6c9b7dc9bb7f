"""Linear scaling between raw counts and engineering units."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, round_half_away


def scaled(raw: Fraction, raw_lo: Fraction, raw_hi: Fraction, lo: Fraction, hi: Fraction, *, clamp: bool) -> Fraction:
    """Engineering value of a raw count: lo + (raw − raw_lo)·(hi − lo)/(raw_hi − raw_lo).

    With `clamp` held between lo and hi, of which lo may be the greater. Raises Refusal for no raw span.
    """
    if raw_lo == raw_hi:
        raise Refusal(f"raw_lo and raw_hi are both {plain(raw_lo)}: there is no raw span to scale over.")
    value = lo + (raw - raw_lo) * (hi - lo) / (raw_hi - raw_lo)
    return held(value, lo, hi) if clamp else value


def unscaled(
    value: Fraction, raw_lo: Fraction, raw_hi: Fraction, lo: Fraction, hi: Fraction, *, clamp: bool
) -> Fraction:
    """Raw count of an engineering value, rounded half away from zero, then with `clamp` held in the raw span.

    Raises Refusal when lo = hi.
    """
    if lo == hi:
        raise Refusal(f"lo and hi are both {plain(lo)}: there is no span to scale over.")
    raw = Fraction(round_half_away(raw_lo + (value - lo) * (raw_hi - raw_lo) / (hi - lo)))
    return held(raw, raw_lo, raw_hi) if clamp else raw


def held(value: Fraction, one: Fraction, other: Fraction) -> Fraction:
    """`value` held between two ends given in either order."""
    return min(max(value, min(one, other)), max(one, other))
