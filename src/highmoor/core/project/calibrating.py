"""Calibration at two points: what was read, and what it really was."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.figures.calibration import through
from highmoor.core.numbers import exact, parse_number, plain
from highmoor.core.plant.rows import Link
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.signals.scaling import Scaling

# Digits that no instrument has: what the line through two points has more is dropped.
_DIGITS = 9


def calibrate(draft: Draft, edit: edits.Calibrate) -> None:
    """The ends of a link's scaling by the line through two points, in the terms of its characteristic.

    Raises Refusal for a link without a scaling that can be applied, for points that are none or are one, and for values
    that the characteristic cannot give.
    """
    link = draft.plant.get(draft.resolve(edit.link), Link)
    scaling = Scaling.of(link.scaling)
    if scaling is None or not scaling.usable or link.scaling is None:
        raise Refusal("There is no scaling here that could be calibrated.", place=link.id, field="scaling")
    one, other = (_point(scaling, point) for point in edit.points)
    low, high = (_rounded(end) for end in through(one, other))
    draft.put(replace(link, scaling={**link.scaling, "lo": low, "hi": high}))


def _point(scaling: Scaling, point: edits.MeasuredPoint) -> tuple[Fraction, Fraction]:
    """Where on the straight line a point lies: its part of the span, and what the line has to give there."""
    raw, value = (parse_number(str(given)) for given in (point.raw, point.value))
    part = (raw - exact(scaling.raw_lo)) / (exact(scaling.raw_hi) - exact(scaling.raw_lo))
    if scaling.kind == "root":
        if part <= 0:
            raise Refusal("Below the low end a root gives nothing: take both points above it.", field="points")
        return exact(math.sqrt(part)), value
    if scaling.kind == "table":
        ends = sorted(y for _, y in scaling.points)
        if not ends[0] <= value <= ends[-1]:
            raise Refusal(f"The table gives values from {ends[0]:g} to {ends[-1]:g} only.", field="points")
        value = exact(scaling.before_table(float(value)))
    return part, value


def _rounded(value: Fraction) -> int | float:
    return plain(Fraction(f"{float(value):.{_DIGITS}g}"))
