"""A Change: what an edit did to the rows, and all that follows from it alone."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator
from typing import Any

from highmoor.core.plant.rows import TABLES, row_values, table_of_id

Key = tuple[str, str]
Pair = tuple[Any, Any]
# One row's difference as it stands in the journal: None for no row, otherwise dotted field → value.
FieldPath = tuple[str, str]
_ABSENT = object()


class Change:
    """An ordered map `(table, id) → (row before, row after)`; either may be None, never both, never equal."""

    __slots__ = ("_pairs",)

    def __init__(self, pairs: dict[Key, Pair] | None = None) -> None:
        self._pairs: dict[Key, Pair] = dict(pairs or {})

    def __len__(self) -> int:
        return len(self._pairs)

    def __bool__(self) -> bool:
        return bool(self._pairs)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Change) and self._pairs == other._pairs

    __hash__ = None  # type: ignore[assignment]

    def items(self) -> Iterator[tuple[Key, Pair]]:
        """The pairs in the order in which the rows were first touched."""
        return iter(self._pairs.items())

    def ids(self) -> list[str]:
        """Ids of the rows concerned."""
        return [row_id for _, row_id in self._pairs]

    def then(self, later: Change) -> Change:
        """This change followed by `later` as one; rows that end as they began drop out."""
        pairs = dict(self._pairs)
        for key, (before, after) in later.items():
            first = pairs[key][0] if key in pairs else before
            if first == after:
                pairs.pop(key, None)
            else:
                pairs[key] = (first, after)
        return Change(pairs)

    def inverse(self) -> Change:
        """What takes this change back."""
        return Change({key: (after, before) for key, (before, after) in reversed(self._pairs.items())})

    def written(self) -> dict[FieldPath, tuple[Any, Any]]:
        """Every `(id, dotted field)` written, with value before and after. "" stands for the row itself."""
        result: dict[FieldPath, tuple[Any, Any]] = {}
        for (_, row_id), (before, after) in self.items():
            if before is None or after is None:
                result[row_id, ""] = (before is not None, after is not None)
                continue
            old, new = flattened(before), flattened(after)
            for path in old.keys() | new.keys():
                was, now = old.get(path, _ABSENT), new.get(path, _ABSENT)
                if was != now:
                    result[row_id, path] = (None if was is _ABSENT else was, None if now is _ABSENT else now)
        return result

    def to_json(self) -> list[dict[str, Any]]:
        """As stored in the journal and streamed: one entry a row, `before` and `after` as plain values."""
        return [
            {
                "table": table,
                "id": row_id,
                "before": None if before is None else row_values(before),
                "after": None if after is None else row_values(after),
            }
            for (table, row_id), (before, after) in self.items()
        ]

    @classmethod
    def from_json(cls, entries: list[dict[str, Any]]) -> Change:
        """The inverse of `to_json`."""
        pairs: dict[Key, Pair] = {}
        for entry in entries:
            row_class = TABLES[entry["table"]].row
            before, after = entry["before"], entry["after"]
            pairs[entry["table"], entry["id"]] = (
                None if before is None else row_class(**before),
                None if after is None else row_class(**after),
            )
        return cls(pairs)


def flattened(row: Any) -> dict[str, Any]:
    """A row's fields by dotted path; JSON objects are opened, so that two people may edit one object."""
    result: dict[str, Any] = {}
    for name, value in row_values(row).items():
        _flatten(name, value, result)
    return result


def _flatten(path: str, value: Any, result: dict[str, Any]) -> None:
    if isinstance(value, dict):
        if not value:
            return
        for key, inner in value.items():
            _flatten(f"{path}.{key}", inner, result)
    else:
        result[path] = value


def with_value(row: Any, path: str, value: Any) -> Any:
    """A copy of `row` with a value put at the dotted path; None removes a key within a JSON field."""
    name, _, rest = path.partition(".")
    if not rest:
        return dataclasses.replace(row, **{name: value})
    return dataclasses.replace(row, **{name: _set_within(getattr(row, name) or {}, rest, value)})


def _set_within(tree: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    key, _, rest = path.partition(".")
    copy = dict(tree)
    if rest:
        inner = copy.get(key)
        new = _set_within(inner if isinstance(inner, dict) else {}, rest, value)
        if new or value is not None:
            copy[key] = new
        else:
            copy.pop(key, None)
    elif value is None:
        copy.pop(key, None)
    else:
        copy[key] = value
    return copy


def value_at(row: Any, path: str) -> Any:
    """The value at a dotted path, None when a JSON field has no such key."""
    name, *rest = path.split(".")
    value = getattr(row, name)
    for key in rest:
        value = value.get(key) if isinstance(value, dict) else None
    return value


def is_field(row_id: str, path: str) -> bool:
    """Whether the path's first part is a field of the id's table, and opens only JSON fields."""
    table = table_of_id(row_id)
    name, _, rest = path.partition(".")
    return table is not None and name in table.fields and (not rest or name in table.json_fields)
