"""How a link's scaling looks: its characteristic over all counts there can be, what one count is, its text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from math import inf, isfinite, log2
from typing import Any, NamedTuple

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.figures.scaling import error_budget
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Link, Signal
from highmoor.core.signals.conversion import channel_range
from highmoor.core.signals.electrical import raw_at
from highmoor.core.signals.ne43 import FAULT_MA, RANGE_MA, is_loop
from highmoor.core.signals.places import place_of_link
from highmoor.core.signals.scaling import Scaling
from highmoor.core.signals.structured_text import reading, writing
from highmoor.core.signals.values import raw_type

# Curves are drawn by so many pieces.
_PIECES = 96
# So near a leap, of the span, that no eye sees it.
_BESIDE = 1e-9
_LOOP_MARKS = (
    (FAULT_MA[0], "fault, 3.6 mA"), (RANGE_MA[0], "3.8 mA"), (RANGE_MA[1], "20.5 mA"), (FAULT_MA[1], "fault, 21 mA"),
)  # fmt: skip


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


class Error(NamedTuple):
    """What a measurement errs by, in the signal's unit and in % of the span; where it works, in % of the reading (None
    where that is not said, or nothing is read)."""

    error: float
    percent: float
    works_at: float | None
    of_reading: float | None


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
    error: Error | None = None


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
        scaling.kind,
        signal.unit,
        points,
        nominal,
        Span(low, high),
        marks,
        one,
        log2(span) if span > 0 else 0.0,
        text,
        error=_error(scaling, link.scaling or {}),
    )


def _error(scaling: Scaling, stored: Mapping[str, Any]) -> Error | None:
    """By sensor and module together, as far as it is said what they err by: at the working point, where there is one,
    by how steep the characteristic is there."""
    sensor, module, works_at = (stored.get(key) for key in ("sensor_error", "module_error", "works_at"))
    if sensor is None and module is None:
        return None
    percent = error_budget(Fraction(100), exact(sensor or 0), exact(module or 0))
    span = percent / 100 * abs(scaling.hi - scaling.lo)
    steepness = inf if works_at is None else _steepness(scaling, float(works_at))
    if works_at is None or not isfinite(steepness):
        return Error(span, percent, None, None)
    error = span * steepness
    return Error(error, percent, float(works_at), 100 * error / abs(works_at) if works_at else None)


def _steepness(scaling: Scaling, value: float) -> float:
    """How much more than a straight line the characteristic rises at a value: of a root 1/(2·√part)."""
    if scaling.kind == "root":
        part = (value - scaling.lo) / (scaling.hi - scaling.lo)
        return 1 / (2 * part) if part > 0 else inf
    if scaling.kind == "table":
        pieces = [
            (x0, y0, x1, y1) for (x0, y0), (x1, y1) in pairwise(scaling.points) if min(y0, y1) <= value <= max(y0, y1)
        ]
        return max((abs((y1 - y0) / (x1 - x0)) for x0, y0, x1, y1 in pieces), default=0.0)
    return 1.0


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
    if is_loop(counted):
        for current, label in _LOOP_MARKS:
            yield MarkedCount(float(raw_at(counted, current)), label)
