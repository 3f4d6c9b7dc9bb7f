"""An immutable plant: tables of rows and the reverse index of their references."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar, cast

from highmoor.core.errors import Gone
from highmoor.core.plant.change import Change
from highmoor.core.plant.rows import PREFIX_LENGTHS, TABLES, Document, Row, table_of

R = TypeVar("R")
_DIGITS = "0123456789abcdefghijklmnopqrstuvwxyz"
_TABLE_OF_PREFIX = {table.prefix: name for name, table in TABLES.items()}
# Asked for every row that is looked up: what begins with one letter is found by that alone.
_LONGER = {letter: length for letter, length in PREFIX_LENGTHS.items() if length > 1}
_OWNED: dict[type[Any], tuple[str, str]] = {
    table.row: (name, table.owner) for name, table in TABLES.items() if table.owner
}
Index = dict[tuple[str, str], dict[str, tuple[str, ...]]]


def base36(number: int) -> str:
    """A counter as the tail of an id."""
    digits = ""
    while True:
        number, digit = divmod(number, 36)
        digits = _DIGITS[digit] + digits
        if not number:
            return digits


@dataclass(frozen=True, slots=True, eq=False)
class Plant:
    """`tables[name][id]` are the rows; `index[(table, field)][target]` the ids that refer to target, by rank.

    `counter` is the next number for an id; ids are never used again.
    """

    tables: Mapping[str, Mapping[str, Any]]
    index: Index
    counter: int

    @classmethod
    def of(cls, rows: Iterable[Row], counter: int) -> Plant:
        """A plant from its rows; references are not checked here."""
        tables: dict[str, dict[str, Any]] = {name: {} for name in TABLES}
        for row in rows:
            tables[table_of(row).name][row.id] = row
        return cls.of_tables(tables, counter)

    @classmethod
    def of_tables(cls, tables: Mapping[str, Mapping[str, Any]], counter: int) -> Plant:
        """A plant from all its tables, each by id."""
        index: Index = {}
        for table in TABLES.values():
            ordered = sorted(tables[table.name].values(), key=_by_rank) if table.refs else ()
            for field in table.refs:
                targets: dict[str, list[str]] = {}
                for row in ordered:
                    target = getattr(row, field)
                    if target is not None:
                        targets.setdefault(target, []).append(row.id)
                index[table.name, field] = {target: tuple(ids) for target, ids in targets.items()}
        return cls(tables, index, counter)

    def find(self, row_id: str | None) -> Any | None:
        """The row with this id, or None."""
        name = table_of_id(row_id) if row_id else None
        return self.tables[name].get(row_id) if name and row_id else None

    def get(self, row_id: str, kind: type[R] | None = None) -> R:
        """The row with this id. Raises Gone when there is none or it is of another kind."""
        # Asked a hundred thousand times for a plant: the way where all is well comes first and calls nobody.
        name = _TABLE_OF_PREFIX.get(row_id[:1]) or table_of_id(row_id)
        row: Any = self.tables[name].get(row_id) if name else None
        if row is not None and (kind is None or isinstance(row, kind)):
            return row  # type: ignore[no-any-return]
        if row is None:
            raise Gone(f"There is no object {row_id} in this plant.", place=row_id)
        raise Gone(f"{row_id} is not a {kind.__name__.lower() if kind else 'row'}.", place=row_id)

    def all(self, kind: type[R]) -> list[R]:
        """All rows of a kind, by rank where they have one."""
        for table in TABLES.values():
            if table.row is kind:
                return sorted(cast(Iterable[R], self.tables[table.name].values()), key=_by_rank)
        raise KeyError(kind)

    def referring(self, table: str, field: str, target: str) -> tuple[str, ...]:
        """Ids of the rows of `table` whose `field` names `target`, by rank."""
        return self.index[table, field].get(target, ())

    def children(self, kind: type[R], owner_id: str) -> list[R]:
        """Rows of `kind` owned by `owner_id`, by rank."""
        name, owner = _OWNED[kind]
        rows = self.tables[name]
        return [rows[i] for i in self.index[name, owner].get(owner_id, ())]

    def owner_of(self, row: Any) -> Any | None:
        """The owning row, or None at the top."""
        owner = table_of(row).owner
        return self.find(getattr(row, owner)) if owner else None

    def of_document(self, document: Document) -> dict[str, Mapping[str, Any]]:
        """The tables of one of the two documents."""
        return {name: self.tables[name] for name, table in TABLES.items() if table.document == document}

    def rows(self) -> Iterator[Any]:
        """Every row, owners before what they own."""
        for name in TABLES:
            yield from self.tables[name].values()

    def patched(self, change: Change, counter: int | None = None) -> Plant:
        """The plant after `change`; shares all that did not change."""
        tables = dict(self.tables)
        touched: dict[str, dict[str, Any]] = {}
        moved: dict[tuple[str, str], set[str]] = {}
        for (name, row_id), (before, after) in change.items():
            rows = touched.get(name)
            if rows is None:
                rows = touched[name] = dict(self.tables[name])
            if after is None:
                rows.pop(row_id, None)
            else:
                rows[row_id] = after
            for column in TABLES[name].refs:
                old = getattr(before, column) if before is not None else None
                new = getattr(after, column) if after is not None else None
                present = before is not None and after is not None
                same_place = present and old == new and _by_rank(before) == _by_rank(after)
                if not same_place:
                    moved.setdefault((name, column), set()).update(t for t in (old, new) if t is not None)
        tables.update(touched)
        index = dict(self.index)
        for (name, field), targets in moved.items():
            index[name, field] = _reindexed(index[name, field], tables[name], field, targets, change, name)
        return Plant(tables, index, self.counter if counter is None else counter)


def table_of_id(row_id: str) -> str | None:
    """The table that a row of this id is in, by its prefix alone; None for what is no id."""
    return _TABLE_OF_PREFIX.get(row_id[: _LONGER.get(row_id[:1], 1)])


def _reindexed(
    old: dict[str, tuple[str, ...]],
    rows: Mapping[str, Any],
    field: str,
    targets: set[str],
    change: Change,
    table: str,
) -> dict[str, tuple[str, ...]]:
    new = dict(old)
    candidates: dict[str, set[str]] = {target: set(old.get(target, ())) for target in targets}
    for (name, row_id), (_, after) in change.items():
        if name == table and after is not None and getattr(after, field) in candidates:
            candidates[getattr(after, field)].add(row_id)
    for target, ids in candidates.items():
        kept = [rows[i] for i in ids if i in rows and getattr(rows[i], field) == target]
        if kept:
            new[target] = tuple(row.id for row in sorted(kept, key=_by_rank))
        else:
            new.pop(target, None)
    return new


def _by_rank(row: Any) -> tuple[str, int, str]:
    row_id: str = row.id
    return (getattr(row, "rank", ""), len(row_id), row_id)
