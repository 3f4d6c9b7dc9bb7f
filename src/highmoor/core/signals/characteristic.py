"""How a link's scaling looks: its characteristic over all counts there can be, what one count is, its text."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import log2
from typing import NamedTuple

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Link, Signal
from highmoor.core.signals.conversion import channel_range
from highmoor.core.signals.places import place_of_link
from highmoor.core.signals.scaling import Scaling
from highmoor.core.signals.structured_text import reading, writing
from highmoor.core.signals.values import raw_type

# Curves are drawn by so many pieces.
_PIECES = 96
# So near a leap, of the span, that no eye sees it.
_BESIDE = 1e-9
# NAMUR NE 43: fault below and above, out of range between that and the measuring range, mA.
_NE43 = ((3.6, "fault, 3.6 mA"), (3.8, "3.8 mA"), (20.5, "20.5 mA"), (21.0, "fault, 21 mA"))


class Point(NamedTuple):
    """A count and its value."""

    raw: float
    value: float


class Span(NamedTuple):
    """From one count to another."""

    low: float
    high: float


class MarkedCount(NamedTuple):
    """A count that means something."""

    raw: float
    label: str


@dataclass(frozen=True, slots=True)
class Characteristic:
    """A scaling drawn: points of raw count and value, the nominal span within the counts there can be, what they mean.

    `resolution` is what one count is in the signal's unit where the line is straight, None where that differs from
    place to place; `bits` how many the span has. `text` is the same as Structured Text. `problem` says why nothing can
    be drawn.
    """

    kind: str
    unit: str
    points: tuple[Point, ...]
    nominal: Span
    counts: Span
    marks: tuple[MarkedCount, ...]
    resolution: float | None
    bits: float
    text: str
    problem: str = ""


def characteristic(analysis: Analysis, link_id: str) -> Characteristic:
    """Of one link. Raises Refusal for one without a scaling."""
    plant = analysis.plant
    link = plant.get(link_id, Link)
    signal = plant.get(link.signal, Signal)
    scaling = Scaling.of(link.scaling)
    if scaling is None:
        raise Refusal(f"{signal.name} is not scaled there.", place=link.id)
    nominal = Span(*sorted((scaling.raw_lo, scaling.raw_hi)))
    problem = scaling.problem
    if problem:
        return Characteristic(scaling.kind, signal.unit, (), nominal, nominal, (), None, 0.0, "", problem)
    counted = channel_range(plant, analysis.catalogue, link)
    low, high = nominal
    if counted:
        low, high = min(low, counted.raw_min), max(high, counted.raw_max)
    raw = raw_type(signal.type, place_of_link(Reader(analysis), link), link) or DATA_TYPES["INT"]
    written = writing if link.access == "writes" else reading
    text = "" if raw.family == "real" else written(scaling, signal.name, f"{signal.name}_raw", raw)
    span = abs(scaling.raw_hi - scaling.raw_lo)
    one = abs(scaling.hi - scaling.lo) / span if scaling.kind == "linear" else None
    points = tuple(_drawn(scaling, low, high))
    marks = tuple(_marks(counted)) if counted else ()
    return Characteristic(
        scaling.kind, signal.unit, points, nominal, Span(low, high), marks, one, log2(span) if span > 0 else 0.0, text
    )


def _drawn(scaling: Scaling, low: float, high: float) -> Iterator[Point]:
    """Points with every bend among them."""
    places = {low + (high - low) * n / _PIECES for n in range(_PIECES + 1)}
    places |= {raw for raw in (scaling.raw_lo, scaling.raw_hi) if low <= raw <= high}
    if scaling.kind == "table":
        per = (scaling.raw_hi - scaling.raw_lo) / (scaling.hi - scaling.lo)
        places |= {raw for x, _ in scaling.points if low <= (raw := scaling.raw_lo + (x - scaling.lo) * per) <= high}
    if scaling.kind == "root":
        # It leaps there.
        span = scaling.raw_hi - scaling.raw_lo
        cut = scaling.raw_lo + (scaling.cutoff / 100) ** 2 * span
        places |= {place for place in (cut - _BESIDE * span, cut + _BESIDE * span) if low <= place <= high}
    for raw in sorted(places):
        yield Point(raw, scaling.value(raw))


def _marks(counted: AnalogueRange) -> Iterator[MarkedCount]:
    """Where a current loop tells that it is broken, in counts."""
    if counted.unit != "mA" or counted.low != 4:
        return
    per = (counted.raw_high - counted.raw_low) / (counted.high - counted.low)
    for milliamps, label in _NE43:
        yield MarkedCount(counted.raw_low + (milliamps - counted.low) * per, label)
