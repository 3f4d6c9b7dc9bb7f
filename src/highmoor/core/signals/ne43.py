"""What a current loop of 4–20 mA says beside its value: valid, out of range, or broken. Source: NAMUR NE 43."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.signals.electrical import electrical_at

LoopState = Literal["good", "out of range", "fault"]

FAULT_MA = (Fraction(36, 10), Fraction(21))
"""Up to the first and from the second on: broken, or told broken by the transmitter."""
RANGE_MA = (Fraction(38, 10), Fraction(205, 10))
"""Up to the first and from the second on: beyond what it can measure."""


def is_loop(channel: AnalogueRange | None) -> bool:
    """Whether a channel's number format is that of such a loop: none other tells a break from zero."""
    return channel is not None and channel.unit == "mA" and channel.low == 4


def loop_state(channel: AnalogueRange | None, raw: Fraction | float) -> LoopState:
    """What a count says of its loop; "good" where there is none."""
    if channel is None or not is_loop(channel):
        return "good"
    current = electrical_at(channel, raw)
    if current <= FAULT_MA[0] or current >= FAULT_MA[1]:
        return "fault"
    return "out of range" if current <= RANGE_MA[0] or current >= RANGE_MA[1] else "good"
