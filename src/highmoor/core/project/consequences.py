"""Consequences: what an edit changes elsewhere, as figures before → after and findings that come and go."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.analysis.engine import Analysis, Delta, Headline
from highmoor.core.analysis.findings import Finding
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import Applied, apply

_LINES_AT_MOST = 12


@dataclass(frozen=True, slots=True)
class FigureChange:
    """One figure before and after; None where it did not exist. `crossed`: over its limit by this edit."""

    place: str
    label: str
    unit: str
    before: float | None
    after: float | None
    limit: float | None
    better: str
    over: bool
    crossed: bool


@dataclass(frozen=True, slots=True)
class Consequences:
    """Figures that change (ranked), how many stay, signals whose octets move, findings that come and go."""

    figures: tuple[FigureChange, ...]
    more: int
    moved: tuple[str, ...]
    added: tuple[Finding, ...]
    gone: tuple[Finding, ...]
    stale: tuple[tuple[str, str], ...] = field(default=())
    wanted: dict[tuple[str, str], Any] = field(default_factory=dict)


def preview(
    analysis: Analysis, edit: edits.Edit, selection: Iterable[str] = (), want: Iterable[tuple[str, str]] = ()
) -> tuple[Applied, Consequences]:
    """What `edit` would do, without doing it; parts wanted as they would be. Raises Refusal like `apply`."""
    applied = apply(analysis.plant, analysis.catalogue, edit)
    delta = analysis.preview(applied.plant, applied.change, want)
    near = set(selection) | set(applied.change.ids())
    return applied, consequences(delta, applied.plant, near)


def consequences(delta: Delta, plant: Plant, near: set[str]) -> Consequences:
    """The Delta as lines: limits crossed first, then what is near, then by relative change."""
    changes: list[FigureChange] = []
    moved: list[str] = []
    more = 0
    for key in dict.fromkeys([*delta.before, *delta.after]):
        before, after = delta.before.get(key), delta.after.get(key)
        if before is not None and after is not None and before.value == after.value and before.limit == after.limit:
            continue
        if key[1] == "octet":
            signal: Signal | None = plant.find(key[0])
            if before is not None and after is not None and signal is not None:
                moved.append(signal.name)
            continue
        change = _change(before, after)
        if key[1] == "worst" and (before is None or after is None) and not change.over:
            # A new signal has a new response, and one without a place has none: no news unless it is too slow.
            more += 1
        else:
            changes.append(change)
    changes.sort(key=lambda c: (not c.crossed, not c.over, c.place not in near, -_relative(c)))
    return Consequences(
        tuple(changes[:_LINES_AT_MOST]),
        more + max(len(changes) - _LINES_AT_MOST, 0),
        tuple(moved),
        tuple(delta.added),
        tuple(delta.gone),
        tuple(delta.stale),
        delta.wanted,
    )


def _change(before: Headline | None, after: Headline | None) -> FigureChange:
    line = after or before
    assert line is not None
    over = bool(after and after.over)
    return FigureChange(
        line.place,
        line.label,
        line.unit,
        before.value if before else None,
        after.value if after else None,
        line.limit,
        line.better,
        over,
        over and not (before and before.over),
    )


def _relative(change: FigureChange) -> float:
    if change.before is None or change.after is None:
        return 1.0
    return abs(change.after - change.before) / max(abs(change.before), abs(change.after), 1e-9)
