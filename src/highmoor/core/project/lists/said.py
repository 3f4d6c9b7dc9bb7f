"""What the plant says of a signal where lists have a column, and how it is set."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import cast

from highmoor.core.numbers import exact, plain
from highmoor.core.plant.change import with_value
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Signal
from highmoor.core.project.lists.ranges import ends_of, range_text

_FIELDS = {"tag": "tag", "text": "note", "unit": "unit", "area": "area"}


def value_of(plant: Plant, signal: Signal, column: str) -> str:
    """What stands in the plant, in the words of a list."""
    if column in _FIELDS:
        return " ".join(str(getattr(signal, _FIELDS[column])).split())
    text = str(signal.wiring.get(column, ""))
    if column != "range":
        return text
    span = _span(plant, signal)
    ends = ends_of(text)
    if span is None or (text and ends is None) or (ends is not None and ends[:2] == span):
        return text
    # It was scaled otherwise since.
    return range_text(*span, ends[2] if ends else "")


def _span(plant: Plant, signal: Signal) -> tuple[Fraction, Fraction] | None:
    """Between what ends a signal is scaled."""
    for i in plant.referring("links", "signal", signal.id):
        scaling = plant.get(i, Link).scaling
        if scaling and scaling.get("kind") != "table":
            return exact(scaling["lo"]), exact(scaling["hi"])
    return None


def with_said(signal: Signal, column: str, text: str) -> Signal:
    """The signal as a list says it."""
    if column in _FIELDS:
        return cast(Signal, with_value(signal, _FIELDS[column], text))
    return cast(Signal, with_value(signal, f"wiring.{column}", text or None))


def scaled_over(plant: Plant, signal: Signal, text: str) -> list[Link]:
    """The signal's scaled links over the range that a list gives; none where that is no range."""
    ends = ends_of(text)
    links = [plant.get(i, Link) for i in plant.referring("links", "signal", signal.id)] if ends else []
    return [
        replace(link, scaling={**link.scaling, "lo": plain(ends[0]), "hi": plain(ends[1])})
        for link in links
        if ends and link.scaling and link.scaling.get("kind") != "table"
    ]
