"""Counts a unit of travel, and the fraction of two whole numbers that comes nearest to it."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown


def counts_a_unit(counts_per_rev: Fraction, motor_turns: Fraction, load_turns: Fraction, travel: Fraction) -> Fraction:
    """Encoder counts for one unit of travel, exactly; `travel` is that of one load turn.

    Raises Refusal at or below 0.
    """
    for what, value in (
        ("The counts a revolution", counts_per_rev), ("The motor's turns", motor_turns),
        ("The load's turns", load_turns), ("The travel of a load turn", travel),
    ):  # fmt: skip
        if value <= 0:
            raise Refusal(f"{what} must be above 0, not {shown(value)}.", value=plain(value))
    return counts_per_rev * motor_turns / load_turns / travel


def nearest_fraction(value: Fraction, max_int: int) -> Fraction:
    """The fraction nearest to a value whose numerator and denominator are 1 … max_int; of two, the smaller denominator.

    Walks the Stern–Brocot tree in whole runs: what lies between its last two neighbours has larger numbers than both
    allow. Raises Refusal for a value that no such fraction comes near, outside 1/max_int … max_int.
    """
    if max_int < 1:
        raise Refusal(f"The largest whole number must be at least 1, not {max_int}.", value=max_int)
    if not Fraction(1, max_int) <= value <= max_int:
        raise Refusal(f"{shown(value)} lies outside 1/{max_int} … {max_int}.", value=plain(value))
    p, q = value.numerator, value.denominator
    below, above = (0, 1), (1, 0)
    while True:
        # How often the neighbour above can be added to the one below before it passes the value, or the bound.
        steps = _steps(p * below[1] - q * below[0], q * above[0] - p * above[1])
        below, bound = _added(below, above, steps, max_int)
        if below[0] * q == p * below[1]:
            return Fraction(*below)
        if bound:
            break
        steps = _steps(q * above[0] - p * above[1], p * below[1] - q * below[0])
        above, bound = _added(above, below, steps, max_int)
        if above[0] * q == p * above[1]:
            return Fraction(*above)
        if bound:
            break
    sides = [Fraction(*side) for side in (below, above) if side[0] and side[1]]
    return min(sides, key=lambda side: (abs(side - value), side.denominator))


def _steps(gap: int, gain: int) -> int:
    """How often something gains on a gap without passing its end."""
    return gap // gain


def _added(one: tuple[int, int], other: tuple[int, int], steps: int, most: int) -> tuple[tuple[int, int], bool]:
    """A neighbour with the other one added so often, or as often as the numbers allow; whether they did not."""
    room = min((most - mine) // step for mine, step in zip(one, other, strict=True) if step)
    taken = min(steps, room)
    return (one[0] + taken * other[0], one[1] + taken * other[1]), taken < steps or room <= steps
