"""Consequences: what an edit changes elsewhere, as figures before → after and findings that come and go."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import islice
from operator import attrgetter
from typing import Any

from highmoor.core.analysis.engine import Analysis, Delta, Headline, PartKey
from highmoor.core.analysis.findings import Finding
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Link, Module, Signal, Station, Task
from highmoor.core.project import edits
from highmoor.core.project.apply import Applied, apply
from highmoor.core.signals.linked import HolderLinks
from highmoor.core.signals.path import SignalPath

_LINES_AT_MOST = 12
# Of so many signals near an edit the response is compared, whether one is asked of them or not.
_SIGNALS_AT_MOST = 48


@dataclass(frozen=True, slots=True)
class FigureChange:
    """One figure before and after; None where it did not exist. `crossed`: over its limit by this edit; `improved`:
    nearer to what is good."""

    place: str
    label: str
    unit: str
    before: float | None
    after: float | None
    limit: float | None
    better: str
    over: bool
    crossed: bool
    improved: bool


@dataclass(frozen=True, slots=True)
class Consequences:
    """Figures that change (ranked), how many more, how many signals' octets move and the names of the first of them,
    findings that come and go."""

    figures: tuple[FigureChange, ...]
    more: int
    moving: int
    moved: tuple[str, ...]
    added: tuple[Finding, ...]
    gone: tuple[Finding, ...]
    wanted: dict[PartKey, Any] = field(default_factory=dict)


def preview(
    analysis: Analysis, edit: edits.Edit, selection: Iterable[str] = (), want: Iterable[PartKey] = ()
) -> tuple[Applied, Consequences]:
    """What `edit` would do, without doing it; parts wanted as they would be. Raises Refusal like `apply`."""
    applied = apply(analysis.plant, analysis.catalogue, edit)
    near = set(selection) | set(applied.change.ids())
    want = list(want)
    signals = list(islice(signals_at(analysis.plant, applied.change.ids()), _SIGNALS_AT_MOST))
    paths = [("signal.path", signal) for signal in signals]
    before = {signal: analysis.result(*path) for signal, path in zip(signals, paths, strict=True)}
    delta = analysis.preview(applied.plant, applied.change, [*want, *paths])
    for signal, path in zip(signals, paths, strict=True):
        _response(delta, applied.plant, signal, before[signal], delta.wanted[path])
    delta.wanted = {key: delta.wanted[key] for key in want}
    return applied, _consequences(analysis, delta, applied.plant, near)


def signals_at(plant: Plant, ids: Iterable[str]) -> Iterator[str]:
    """The signals that a change of these rows is about: themselves, those linked there, those of a task."""
    seen: set[str] = set()
    for row_id in ids:
        for signal in _signals_of(plant, row_id):
            if signal not in seen:
                seen.add(signal)
                yield signal


def _signals_of(plant: Plant, row_id: str) -> Iterator[str]:
    row = plant.find(row_id)
    if isinstance(row, Signal):
        yield row.id
    elif isinstance(row, Link):
        yield row.signal
    elif isinstance(row, Task):
        yield from plant.referring("signals", "task", row.id)
    elif isinstance(row, Module | Exchange):
        for link in plant.referring("links", "place", row.id):
            yield plant.get(link, Link).signal
    elif isinstance(row, Connection | Station):
        table, owner = ("exchanges", "connection") if isinstance(row, Connection) else ("connections", "station")
        for owned in plant.referring(table, owner, row.id):
            yield from _signals_of(plant, owned)


def _response(delta: Delta, plant: Plant, signal: str, before: SignalPath | None, after: SignalPath | None) -> None:
    """The response of a signal nearby as a figure; one that has to be quick enough is a headline by itself."""
    key = (signal, "worst")
    if key in delta.before or key in delta.after or not before or not after or not before.hops or not after.hops:
        return
    if before.worst_ms == after.worst_ms or before.asked_ms is not None or after.asked_ms is not None:
        return
    label = f"{plant.get(signal, Signal).name}, worst response"
    for side, path in ((delta.before, before), (delta.after, after)):
        side[key] = Headline(signal, "worst", label, path.worst_ms, "ms", None, "less")


def _consequences(analysis: Analysis, delta: Delta, plant: Plant, near: set[str]) -> Consequences:
    """The Delta as lines: limits crossed first, then what is near, then by relative change."""
    changes: list[FigureChange] = []
    for key in dict.fromkeys([*delta.before, *delta.after]):
        before, after = delta.before.get(key), delta.after.get(key)
        if before is not None and after is not None and before.value == after.value and before.limit == after.limit:
            continue
        change = _change(before, after)
        # A new signal has a new response, and one without a place has none: no news unless it is too slow.
        if key[1] != "worst" or (before is not None and after is not None) or change.over:
            changes.append(change)
    changes.sort(key=lambda c: (not c.crossed, not c.over, c.place not in near, -_relative(c)))
    moving = list(dict.fromkeys(_moving(analysis, delta, plant)))
    return Consequences(
        tuple(changes[:_LINES_AT_MOST]),
        max(len(changes) - _LINES_AT_MOST, 0),
        len(moving),
        tuple(plant.get(signal, Signal).name for signal in moving[:_LINES_AT_MOST]),
        tuple(delta.added),
        tuple(delta.gone),
        delta.wanted,
    )


def _moving(analysis: Analysis, delta: Delta, plant: Plant) -> Iterator[str]:
    """The signals whose octets lie elsewhere in the image than before."""
    names = set(_moved(delta))
    for holder in dict.fromkeys(name.partition(".")[0] for name in names):
        kind = "exchange.links" if holder in plant.tables["exchanges"] else "module.links"
        links: HolderLinks | None = analysis.result(kind, holder)
        for each in (*links.links, *links.carried) if links else ():
            place = each.place
            if (
                place
                and (place.item in names or f"{place.holder}.{place.area}" in names)
                and plant.find(each.link.signal)
            ):
                yield each.link.signal


def _moved(delta: Delta) -> Iterator[str]:
    """What lies elsewhere, by `HOLDER.AREA` or `EXCHANGE.key`."""
    for (part, _), (old, new) in delta.changed.items():
        if not old or not new:
            continue
        if part == "controller.image":
            yield from _otherwise(old.items, new.items, _offset)
            yield from _otherwise(old.beside, new.beside, _octet)
        elif part in ("station.blocks", "module.blocks"):
            yield from _otherwise(old, new, _spots)


def _otherwise(old: Mapping[str, Any], new: Mapping[str, Any], where: Callable[[Any], Any]) -> Iterator[str]:
    return (name for name, there in new.items() if name in old and where(old[name]) != where(there))


_offset, _octet, _spots = attrgetter("offset"), attrgetter("octet"), attrgetter("spots")


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
        not over and _improved(before, after),
    )


def _improved(before: Headline | None, after: Headline | None) -> bool:
    if before is None or after is None or before.value is None or after.value is None:
        return False
    gain = after.value - before.value
    return {"more": gain > 0, "less": gain < 0}.get(after.better, False)


def _relative(change: FigureChange) -> float:
    if change.before is None or change.after is None:
        return 1.0
    return abs(change.after - change.before) / max(abs(change.before), abs(change.after), 1e-9)
