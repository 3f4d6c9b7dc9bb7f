"""How long a command has to stand so that a device behind a cyclic exchange surely sees it."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown


def hold_ms(rpi_ms: Fraction, device_scan_ms: Fraction, task_ms: Fraction, lost_packets: int) -> Fraction:
    """Packet interval · (lost packets + ⌈device's scan / interval⌉), in whole tasks. Raises Refusal at or below 0."""
    for what, value in (("packet interval", rpi_ms), ("device's scan", device_scan_ms), ("task's period", task_ms)):
        if value <= 0:
            raise Refusal(f"The {what} must be above 0 ms, not {shown(value)}.", value=plain(value))
    if lost_packets < 0:
        raise Refusal(f"{lost_packets} lost packets: a number of at least 0 is expected.", value=lost_packets)
    least = rpi_ms * (lost_packets + -(-device_scan_ms // rpi_ms))
    return task_ms * -(-least // task_ms)
