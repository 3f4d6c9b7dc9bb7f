"""What of an input the program surely sees: how short an event may be, and how fast it may come again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise

from highmoor.core.figures.sampling import Sampler, beat_s, counts_to, shortest_event
from highmoor.core.numbers import exact
from highmoor.core.signals.hops import Hop

# By how much two clocks nobody sets go apart: what crystals of common controllers are allowed, each way, ppm.
CLOCKS_PPM = Fraction(100)
_LOOKING = ("conversion", "bus", "exchange", "task")


@dataclass(frozen=True, slots=True)
class Beat:
    """Two that look equally often without knowing of each other: about every so many seconds one look is lost, or
    sees the same twice."""

    one: str
    other: str
    period_ms: float
    every_s: float


@dataclass(frozen=True, slots=True)
class Seen:
    """What of an input the program surely sees: events of so many ms and more, and pulses up to so many Hz."""

    event_ms: float
    counts_hz: float | None
    beats: tuple[Beat, ...]


def seen_of(hops: Iterable[Hop]) -> Seen | None:
    """What is surely seen over the hops of an input; None where nothing of them looks at its own pace."""
    return _seen(tuple(hops))


# Most signals of a plant share a few of these.
@lru_cache(maxsize=4096)
def _seen(hops: tuple[Hop, ...]) -> Seen | None:
    looking = [hop for hop in hops if hop.kind in _LOOKING and hop.period_ms > 0]
    if not looking:
        return None
    filter_ms = sum((exact(hop.transit_ms) for hop in hops if hop.kind == "filter"), Fraction(0))
    samplers = [Sampler(exact(hop.period_ms - hop.late_ms), exact(hop.late_ms), _waits(hops, hop)) for hop in looking]
    event = shortest_event(samplers, filter_ms)
    counts = counts_to(event)
    beats = [
        Beat(one.label, other.label, one.period_ms, float(beat_s(exact(one.period_ms), CLOCKS_PPM)))
        for one, other in pairwise(looking)
        if one.period_ms == other.period_ms
    ]
    return Seen(float(event), float(counts) if counts else None, tuple(beats))


def _waits(hops: tuple[Hop, ...], hop: Hop) -> Fraction:
    """By how much what a hop saw may come later than at best: what it waits for on its way."""
    if hop.kind != "exchange":
        return Fraction(0)
    return sum((exact(one.period_ms) for one in hops if one.kind == "cables"), Fraction(0)) + exact(hop.transit_ms)
