"""Dangerous failures an hour (PFH), and the performance level that they reach.

Sources: ISO 13849-1:2015, table 2 and annexes C and K; IEC 62061:2005, 6.7.8.2.5.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown

Level = Literal["a", "b", "c", "d", "e"]
LEVELS: tuple[Level, ...] = ("a", "b", "c", "d", "e")
# Below so many dangerous failures an hour, from the best level on.
_BELOW: tuple[tuple[Level, Fraction], ...] = (
    ("e", Fraction(1, 10**7)), ("d", Fraction(1, 10**6)), ("c", Fraction(3, 10**6)), ("b", Fraction(1, 10**5)),
    ("a", Fraction(1, 10**4)),
)  # fmt: skip
HOURS_A_YEAR = 8760


@dataclass(frozen=True, slots=True)
class FailingPart:
    """A part of a safety function: its dangerous failures an hour (None: not given), and the level it has itself."""

    pfh: Fraction | None
    level: Level


@dataclass(frozen=True, slots=True)
class Reached:
    """The sum of what is given; `at_least`, where a part gives nothing, and then no level; None also for too many."""

    sum: Fraction
    at_least: bool
    level: Level | None


def level_of(pfh: Fraction) -> Level | None:
    """The level that so many dangerous failures an hour reach; None from 10⁻⁴ on."""
    return next((level for level, below in _BELOW if pfh < below), None)


def reached(parts: Sequence[FailingPart]) -> Reached:
    """The level of the sum, and no higher than that of the lowest part. Raises Refusal for no part, or negative
    failures."""
    if not parts:
        raise Refusal("No part: a safety function has at least one.", field="parts")
    for place, part in enumerate(parts):
        if part.pfh is not None and part.pfh < 0:
            raise Refusal(f"{shown(part.pfh)} failures an hour are negative.", value=plain(part.pfh),
                          field=f"parts[{place}].pfh")  # fmt: skip
    total = sum((part.pfh for part in parts if part.pfh is not None), Fraction(0))
    if any(part.pfh is None for part in parts):
        return Reached(total, at_least=True, level=None)
    own = level_of(total)
    lowest = min((part.level for part in parts), key=LEVELS.index)
    return Reached(total, at_least=False, level=own and min(own, lowest, key=LEVELS.index))


def two_channels(
    b10d: Fraction, n_per_h: Fraction, dc: Fraction, beta: Fraction, t1_h: Fraction, t2_h: Fraction
) -> Fraction:
    """Dangerous failures an hour of two alike channels of contacts.

    `b10d` operations until a tenth of them has failed dangerously, `n_per_h` operations an hour, `dc` the share of
    failures that is found, `beta` the share that both have in common; `t1_h` how long they are used, `t2_h` between two
    tests of the found ones, h. Raises Refusal for a share outside 0–1 and anything else at or below 0.
    """
    for what, value in (("diagnostic coverage", dc), ("common cause", beta)):
        if not 0 <= value <= 1:
            raise Refusal(f"The {what} is a share of 0–1, not {shown(value)}.", value=plain(value))
    given = (("B10D", b10d), ("operations an hour", n_per_h), ("use", t1_h), ("time between tests", t2_h))
    for what, value in given:
        if value <= 0:
            raise Refusal(f"The {what} must be above 0, not {shown(value)}.", value=plain(value))
    rate = n_per_h / (10 * b10d)
    return (1 - beta) ** 2 * rate**2 * (dc * t2_h + (1 - dc) * t1_h) + beta * rate


def t10d_years(b10d: Fraction, n_per_h: Fraction) -> Fraction:
    """After so many years a tenth has failed dangerously: until then it has to be replaced."""
    return b10d / n_per_h / HOURS_A_YEAR
