"""What a chain of samplings can miss, and how far apart in time two of its results may be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True, slots=True)
class Sampler:
    """What looks every `period_ms`, early or late by `jitter_ms` at most; what it saw may wait `waits_ms` behind it."""

    period_ms: Fraction
    jitter_ms: Fraction = Fraction(0)
    waits_ms: Fraction = Fraction(0)


def shortest_event(samplers: Sequence[Sampler], filter_ms: Fraction = Fraction(0)) -> Fraction:
    """The shortest event, ms, that is surely seen at the end of a chain whose samplers do not know of each other.

    From the last back: an event has to last for as many looks as it takes to stand until the next one has looked, the
    looks being as far apart as they can be while counting as if they were as near. A filter lets nothing through that
    is shorter than itself.
    """
    needed = Fraction(0)
    for sampler in reversed(samplers):
        longest, least = sampler.period_ms + sampler.jitter_ms, sampler.period_ms - sampler.jitter_ms
        if least <= 0:
            least = longest
        wanted = needed + (sampler.waits_ms if needed else 0)
        looks = max(1, -(-wanted // least))
        needed = longest * looks
    return max(filter_ms, needed)


def counts_to(event_ms: Fraction) -> Fraction | None:
    """The fastest train of pulses, Hz, of which none is missed: each and each pause lasts a shortest event."""
    return Fraction(500) / event_ms if event_ms > 0 else None


def beat_s(period_ms: Fraction, apart_ppm: Fraction) -> Fraction:
    """Of two equal periods whose clocks go apart: after so many seconds one misses the other, or sees it twice."""
    return period_ms / 1000 / (apart_ppm / 1_000_000)


def skew(one: tuple[Fraction, Fraction], other: tuple[Fraction, Fraction]) -> Fraction:
    """How far apart two values used together may be taken, ms; each with its least and its greatest delay, ms."""
    return max(one[1] - other[0], other[1] - one[0], Fraction(0))
