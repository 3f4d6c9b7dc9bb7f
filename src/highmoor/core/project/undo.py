"""Taking a Change back on a plant that has moved on: field by field, never over another's later work."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from highmoor.core.plant.change import Change, Pair, flattened, value_at, with_value
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Document, table_of
from highmoor.core.plant.sound import owned_too_deep


@dataclass(frozen=True, slots=True)
class Overlap:
    """A field that was written since: what is there now, and what would have been put there."""

    id: str
    field: str
    theirs: Any
    yours: Any


@dataclass(frozen=True, slots=True)
class Inverse:
    """What takes a Change back on today's plant, without the overlaps."""

    change: Change
    overlaps: tuple[Overlap, ...]


def is_record(change: Change) -> bool:
    """Whether all that a change does is to make records, or to void them."""
    return bool(change) and all(_of_records(table) for (table, _), _ in change.items())


def without_records(change: Change, plant: Plant) -> Change:
    """A change that leads to `plant`, without what it would do to records of what is there as well."""
    return Change({
        (table, row_id): (before, after)
        for (table, row_id), (before, after) in change.items()
        if before is None or not _of_records(table) or plant.find(getattr(before, TABLES[table].owner or "")) is None
    })  # fmt: skip


def _of_records(table: str) -> bool:
    return any(ref.record for ref in TABLES[table].refs.values())


def inverse_on(plant: Plant, done: Change) -> Inverse:
    """The inverse of `done` as far as it touches nothing that was written since."""
    pairs: dict[tuple[str, str], Pair] = {}
    overlaps: list[Overlap] = []
    for key, (before, after) in done.inverse().items():
        # `before` is what the Change left behind, `after` what stood there earlier.
        now = plant.find(key[1])
        if before is None:
            _bring_back(plant, key, after, now, pairs, overlaps)
        elif after is None:
            _take_away(key, before, now, pairs, overlaps)
        else:
            _put_back(key, before, after, now, pairs, overlaps)
    _keep_what_is_needed(plant, pairs, overlaps)
    _drop_orphans(plant, pairs, overlaps)
    _drop_circles(plant, pairs, overlaps)
    return Inverse(Change(pairs), tuple(overlaps))


def _bring_back(
    plant: Plant, key: tuple[str, str], row: Any, now: Any, pairs: dict[Any, Pair], overlaps: list[Overlap]
) -> None:
    if now is None:
        pairs[key] = (None, row)
    elif now != row:
        overlaps.append(Overlap(row.id, "", True, True))


def _take_away(
    key: tuple[str, str],
    left: Any,
    now: Any,
    pairs: dict[Any, Pair],
    overlaps: list[Overlap],
) -> None:
    if now is None:
        return
    if now != left:
        changed = [p for p in flattened(now) if value_at(left, p) != value_at(now, p)]
        overlaps.append(Overlap(now.id, changed[0] if changed else "", _value(now, changed), None))
        return
    pairs[key] = (now, None)


def _value(row: Any, paths: list[str]) -> Any:
    return value_at(row, paths[0]) if paths else True


def _put_back(
    key: tuple[str, str], left: Any, earlier: Any, now: Any, pairs: dict[Any, Pair], overlaps: list[Overlap]
) -> None:
    if now is None:
        overlaps.append(Overlap(key[1], "", None, True))
        return
    row = now
    for path in _paths(left, earlier):
        if value_at(now, path) == value_at(left, path):
            row = with_value(row, path, value_at(earlier, path))
        else:
            overlaps.append(Overlap(key[1], path, value_at(now, path), value_at(earlier, path)))
    if row != now:
        pairs[key] = (now, row)


def _paths(one: Any, other: Any) -> list[str]:
    first, second = flattened(one), flattened(other)
    paths = [p for p in {**first, **second} if first.get(p) != second.get(p)]
    # A JSON field that was empty or absent as a whole cannot be put back leaf by leaf.
    whole = {p.partition(".")[0] for p in paths if "." in p}
    for name in whole:
        if not isinstance(getattr(one, name), dict) or not isinstance(getattr(other, name), dict):
            paths = [p for p in paths if p.partition(".")[0] != name] + [name]
    return paths


def _keep_what_is_needed(plant: Plant, pairs: dict[tuple[str, str], Pair], overlaps: list[Overlap]) -> None:
    """A row cannot go while something stays that refers to it: another's, or one of mine that was changed since."""
    while True:
        after_undo = {row_id: after for (_, row_id), (_, after) in pairs.items()}
        going = [key for key in pairs if after_undo[key[1]] is None]
        needed = next(
            (
                (key, i)
                for key in going
                for i in _referring(plant, key[1])
                if _refers(after_undo.get(i, plant.find(i)), key[1])
            ),
            None,
        )
        if needed is None:
            return
        key, stranger = needed
        overlaps.append(Overlap(key[1], "", stranger, None))
        del pairs[key]


def _refers(row: Any, target: str) -> bool:
    return row is not None and any(getattr(row, name) == target for name in table_of(row).refs)


def _drop_orphans(plant: Plant, pairs: dict[tuple[str, str], Pair], overlaps: list[Overlap]) -> None:
    """A row cannot come back when what it refers to is gone."""
    while True:
        orphan = next(
            (key for key, (_, row) in pairs.items() if row is not None and not _rooted(plant, pairs, key)), None
        )
        if orphan is None:
            return
        overlaps.append(Overlap(orphan[1], "", None, True))
        del pairs[orphan]


def _drop_circles(plant: Plant, pairs: dict[tuple[str, str], Pair], overlaps: list[Overlap]) -> None:
    """A module cannot go back onto a rail that has come to hang on it since."""
    after = plant.patched(Change(pairs))
    for key, (now, row) in list(pairs.items()):
        owner = TABLES[key[0]].owner
        if now is not None and row is not None and owner and owned_too_deep(after, row):
            overlaps.append(Overlap(key[1], owner, getattr(now, owner), getattr(row, owner)))
            del pairs[key]


def _rooted(plant: Plant, pairs: dict[tuple[str, str], Pair], key: tuple[str, str]) -> bool:
    row = pairs[key][1]
    for name in TABLES[key[0]].refs:
        target = getattr(row, name)
        if target is None:
            continue
        coming = next((pair for (_, i), pair in pairs.items() if i == target), None)
        present = coming[1] is not None if coming else plant.find(target) is not None
        if not present:
            return False
    return True


def _referring(plant: Plant, target: str) -> Iterable[str]:
    for index in plant.index.values():
        yield from index.get(target, ())


def difference(before: Plant, after: Plant, document: Document = "plant") -> Change:
    """The Change that leads from one document to another, owners first when they come, last when they go."""
    pairs: dict[tuple[str, str], Pair] = {}
    tables = [name for name, table in TABLES.items() if table.document == document]
    for table in reversed(tables):
        for row_id, row in before.tables[table].items():
            if row_id not in after.tables[table]:
                pairs[table, row_id] = (row, None)
    for table in tables:
        for row_id, row in after.tables[table].items():
            old = before.tables[table].get(row_id)
            if old != row:
                pairs[table, row_id] = (old, row)
    return Change(pairs)
