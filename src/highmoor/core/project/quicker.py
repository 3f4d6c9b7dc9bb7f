"""The part of a signal's path that can be changed most, and the change."""

from __future__ import annotations

from contextlib import nullcontext
from dataclasses import dataclass

from highmoor.core.analysis.engine import Analysis
from highmoor.core.errors import Refusal
from highmoor.core.numbers import shown
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.feasible import Turn, feasible_window
from highmoor.core.signals.hops import Hop
from highmoor.core.signals.path import SignalPath

_TRIED = 3


@dataclass(frozen=True, slots=True)
class Quicker:
    """The change of one setting that makes a path quickest: `edit` brings it from `before_ms` to `worst_ms`."""

    label: str
    edit: edits.SetFields
    before_ms: float
    worst_ms: float


def quicker(analysis: Analysis, signal_id: str, turn: Turn = nullcontext) -> Quicker | None:
    """What of a path can be changed most without a new finding; None where nothing of it makes it quicker.

    The longest adjustable hops are tried at the least value that brings no finding. Raises GivenUp as `turn` does.
    """
    with turn():
        analysis.plant.get(signal_id, Signal)
        path: SignalPath = analysis.result("signal.path", signal_id)
        hops = sorted((hop for hop in path.hops if hop.field), key=_worst, reverse=True)[:_TRIED]
    found = [told for hop in hops if (told := _tried(analysis, signal_id, path, hop, turn))]
    return min(found, key=lambda one: one.worst_ms, default=None)


def _worst(hop: Hop) -> float:
    return hop.worst_ms


def _tried(analysis: Analysis, signal: str, path: SignalPath, hop: Hop, turn: Turn) -> Quicker | None:
    try:
        window = feasible_window(analysis, hop.place, hop.field, turn)
    except Refusal:
        return None
    low = window.low
    if low is None or low.value == window.now:
        return None
    edit = edits.SetFields(ids=[hop.place], values={hop.field: low.value})
    with turn():
        if value_at(analysis.plant.get(hop.place, object), hop.field) == low.value:
            return None
        applied = apply(analysis.plant, analysis.catalogue, edit)
        worst = (
            analysis.preview(applied.plant, applied.change, [("signal.path", signal)])
            .wanted["signal.path", signal]
            .worst_ms
        )
    if worst >= path.worst_ms:
        return None
    value = low.label or f"{shown(low.value)} {window.unit}".strip()
    return Quicker(f"Set {hop.label} to {value}", edit, path.worst_ms, worst)
