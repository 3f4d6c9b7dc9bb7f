"""The internal supply along a rail."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

Current = int | Fraction


@dataclass(frozen=True, slots=True)
class Draw:
    """What a module takes from the internal supply in mA, and what it supplies anew if it is a feed-in."""

    draw_ma: Current
    feeds_ma: Current | None = None


def remaining_after(supply_ma: Current, draws: Sequence[Draw]) -> list[Current]:
    """mA left after each module in slot order; a feed-in starts a new count, its own draw taken from it.

    What is unused before a feed-in is not carried over. Negative means short.
    """
    left = supply_ma
    result = []
    for item in draws:
        left = (left if item.feeds_ma is None else item.feeds_ma) - item.draw_ma
        result.append(left)
    return result


def first_short(remaining: Sequence[Current]) -> int | None:
    """Index of the first module with less than nothing left; exactly nothing is enough."""
    return next((index for index, left in enumerate(remaining) if left < 0), None)


def feed_in_places(supply_ma: Current, feed_ma: Current, draws: Sequence[Draw]) -> list[int] | None:
    """Indexes before which to insert feed-ins of `feed_ma`, fewest possible; None when no number will do.

    One just before the first module that would go short is optimal: inserting any later leaves that module
    short, and inserting earlier never leaves more for what follows.
    """
    left = supply_ma
    places = []
    for index, item in enumerate(draws):
        left = (left if item.feeds_ma is None else item.feeds_ma) - item.draw_ma
        if left >= 0:
            continue
        left = feed_ma - item.draw_ma
        if item.feeds_ma is not None or left < 0:
            return None
        places.append(index)
    return places
