"""Between a channel's terminals and its counts: the straight line of its number format."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.numbers import exact, round_half_away


def per_count(channel: AnalogueRange) -> Fraction:
    """How much more stands at the terminals with each count, in the channel's unit."""
    return (exact(channel.high) - exact(channel.low)) / (channel.raw_high - channel.raw_low)


def electrical_at(channel: AnalogueRange, raw: Fraction | float) -> Fraction:
    """What stands at the terminals at a count, in the channel's unit."""
    return exact(channel.low) + (exact(raw) - channel.raw_low) * per_count(channel)


def raw_at(channel: AnalogueRange, electrical: Fraction) -> Fraction:
    """Where on the line of counts something at the terminals lies, exactly."""
    return channel.raw_low + (electrical - exact(channel.low)) / per_count(channel)


def count_at(channel: AnalogueRange, electrical: Fraction) -> int:
    """The count the channel makes of it: the nearest, halves away from zero, held to what it can count."""
    return min(max(round_half_away(raw_at(channel, electrical)), channel.raw_min), channel.raw_max)
