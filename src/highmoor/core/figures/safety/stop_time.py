"""How long a machine takes to stop, by measuring it. Source: ISO 13855:2010, Annex D."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import sqrt

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown

LEAST_READINGS = 10


@dataclass(frozen=True, slots=True)
class StopTime:
    """What counts, and the mean and the deviation of the readings, all ms."""

    value_ms: Fraction | float
    mean_ms: Fraction
    deviation_ms: float


def stop_time(readings_ms: Sequence[Fraction]) -> StopTime:
    """The largest reading, or the mean and three deviations (of a sample, n − 1) where that is more. Raises Refusal for
    fewer than ten, or one that is not above 0."""
    if len(readings_ms) < LEAST_READINGS:
        raise Refusal(f"At least {LEAST_READINGS} readings are needed, not {len(readings_ms)}.", field="readings_ms")
    for place, reading in enumerate(readings_ms):
        if reading <= 0:
            raise Refusal(f"A stop of {shown(reading)} ms is not above 0.", value=plain(reading),
                          field=f"readings_ms[{place}]")  # fmt: skip
    mean = sum(readings_ms, Fraction(0)) / len(readings_ms)
    deviation = sqrt(sum((reading - mean) ** 2 for reading in readings_ms) / (len(readings_ms) - 1))
    largest, spread = max(readings_ms), mean + 3 * Fraction(deviation)
    return StopTime(largest if largest >= spread else float(spread), mean, deviation)
