"""Scaling between raw counts and engineering units: linear, square root, point table; what a measurement errs by."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from itertools import pairwise
from math import isqrt, sqrt

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, round_half_away, shown


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


# As many decimal places of a root are exact as a double has, and more.
_ROOT_SCALE = 10**40


def rooted(
    raw: Fraction, raw_lo: Fraction, raw_hi: Fraction, lo: Fraction, hi: Fraction, *, cutoff_percent: Fraction
) -> Fraction:
    """Flow from differential pressure: lo + (hi − lo)·√part, part = (raw − raw_lo)/(raw_hi − raw_lo).

    The cut-off is a percentage of the flow's span: √part below it gives lo; so does part ≤ 0. Part above 1 goes on.
    Raises Refusal for no raw span, or a cut-off outside 0 … 100.
    """
    if raw_lo == raw_hi:
        raise Refusal(f"raw_lo and raw_hi are both {plain(raw_lo)}: there is no raw span to scale over.")
    if not 0 <= cutoff_percent <= 100:
        raise Refusal(f"A cut-off is 0 … 100 % of the flow's span, not {plain(cutoff_percent)}.")
    part = (raw - raw_lo) / (raw_hi - raw_lo)
    if part <= 0 or part < (cutoff_percent / 100) ** 2:
        return lo
    root = Fraction(isqrt(part.numerator * part.denominator * _ROOT_SCALE**2), part.denominator * _ROOT_SCALE)
    return lo + (hi - lo) * root


def table_problem(points: Sequence[tuple[Fraction, Fraction]]) -> str:
    """Why points make no table (x strictly rising, y that never turns back), "" where they do."""
    if len(points) < 2:
        return "a table has two points or more"
    steps = [(before, after) for before, after in pairwise(points)]
    wrong = next((after for before, after in steps if after[0] <= before[0]), None)
    if wrong:
        return f"x does not rise at {shown(wrong[0])}"
    rises = [after[1] - before[1] for before, after in steps]
    if min(rises) < 0 < max(rises):
        first = next(rise for rise in rises if rise)
        back = next(after for (_, after), rise in zip(steps, rises, strict=True) if rise * first < 0)
        return f"y turns back at x = {shown(back[0])}"
    return ""


def tabled(x: Fraction, points: Sequence[tuple[Fraction, Fraction]]) -> Fraction:
    """Straight between the points, held at the first and the last y outside. Raises Refusal for points that make no
    table."""
    problem = table_problem(points)
    if problem:
        raise Refusal(f"These points cannot be used: {problem}.")
    if x <= points[0][0]:
        return points[0][1]
    for (x0, y0), (x1, y1) in pairwise(points):
        if x < x1:
            return y0 + (x - x0) * (y1 - y0) / (x1 - x0)
    return points[-1][1]


def error_budget(span: Fraction, sensor_percent: Fraction, module_percent: Fraction) -> float:
    """The error of a measurement in engineering units: |span|·√(sensor² + module²)/100, both in % of the span.

    Raises Refusal for a negative percentage.
    """
    if sensor_percent < 0 or module_percent < 0:
        raise Refusal("An error is 0 % or more.")
    return float(abs(span)) * sqrt(float(sensor_percent**2 + module_percent**2)) / 100
