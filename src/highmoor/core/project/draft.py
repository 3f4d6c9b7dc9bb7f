"""A plant in the making: edits write rows here, and the sum becomes one Change."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Set
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Gone, Refusal
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant, base36
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import TABLES, table_of, table_of_id

# One edit may make many objects, but not without bound: the store writes it in one transaction.
ROWS_AT_MOST = 20_000


class Draft:
    """A plant and the Change that leads to it from where it began."""

    def __init__(self, plant: Plant, catalogue: Catalogue) -> None:
        self.plant = plant
        self.catalogue = catalogue
        self.change = Change()
        self.tags: dict[str, str] = {}
        self.counter = plant.counter

    def new_id(self, table: str) -> str:
        """The next id of a table; ids are never used again."""
        self.counter += 1
        return TABLES[table].prefix + base36(self.counter)

    def resolve(self, ref: str) -> str:
        """An id, or the id given to a placeholder `$name` by an earlier edit of the same batch."""
        if not ref.startswith("$"):
            return ref
        if ref not in self.tags:
            raise Refusal(f"The placeholder {ref} was not made by an earlier edit of this batch.", value=ref)
        return self.tags[ref]

    def put(self, *rows: Any) -> None:
        """Write rows, new or changed."""
        pairs = {}
        for row in rows:
            before = self.plant.find(row.id)
            if before != row:
                pairs[table_of(row).name, row.id] = (before, row)
        self._apply(Change(pairs))

    def remove(self, ids: Iterable[str]) -> None:
        """Remove rows with all they own; what merely refers to them is removed or cleared as its table says."""
        doomed: dict[str, Any] = {}
        cleared: dict[str, Any] = {}
        queue = [self.plant.get(self.resolve(i), object) for i in ids]
        while queue:
            row: Any = queue.pop()
            if row.id in doomed:
                continue
            doomed[row.id] = row
            own_table = table_of(row).name
            for table in TABLES.values():
                for name, ref in table.refs.items():
                    if own_table not in ref.tables:
                        continue
                    for other_id in self.plant.referring(table.name, name, row.id):
                        other = cleared.get(other_id) or self.plant.get(other_id, object)
                        if ref.owner or ref.on_removal == "remove":
                            queue.append(other)
                        else:
                            cleared[other_id] = dataclasses.replace(other, **{name: None})  # type: ignore[type-var]
        pairs: dict[tuple[str, str], tuple[Any, Any]] = {}
        # What owns is removed after what it owns, so that the inverse puts owners first.
        order = {name: n for n, name in enumerate(TABLES)}
        for row in sorted(doomed.values(), key=lambda r: -order[table_of(r).name]):
            pairs[table_of(row).name, row.id] = (self.plant.find(row.id), None)
        for row_id, row in cleared.items():
            if row_id not in doomed:
                pairs[table_of(row).name, row_id] = (self.plant.find(row_id), row)
        self._apply(Change(pairs))

    def _apply(self, change: Change) -> None:
        if not change:
            return
        self.change = self.change.then(change)
        if len(self.change) > ROWS_AT_MOST:
            raise Refusal(f"One edit may touch {ROWS_AT_MOST} objects; this one touches more.")
        self.plant = self.plant.patched(change, self.counter)

    def last_rank(self, kind: type[Any], owner: str | None, count: int = 1) -> list[str]:
        """Ranks behind the last sibling; `owner` None for tables at the top."""
        siblings = self.plant.all(kind) if owner is None else self.plant.children(kind, owner)
        return ranks_between(siblings[-1].rank if siblings else "", "", count)

    def ranks_before(self, siblings: list[Any], before: str | None, count: int = 1) -> list[str]:
        """Ranks just before the sibling with id `before`, or behind all. Raises Gone when it is no sibling."""
        if before is None:
            return ranks_between(siblings[-1].rank if siblings else "", "", count)
        at = next((n for n, row in enumerate(siblings) if row.id == before), None)
        if at is None:
            raise Gone(f"{before} is not among the objects to be ordered.", place=before)
        return ranks_between(siblings[at - 1].rank if at else "", siblings[at].rank, count)

    def free_name(self, wanted: str, taken: Iterable[str], *, of_type: bool = False) -> str:
        """`wanted`, or `wanted` with the next number that is free, letter case aside."""
        return free_name(wanted, {name.lower() for name in taken}, of_type=of_type)


def free_name(wanted: str, used: Set[str], *, of_type: bool = False) -> str:
    """`wanted`, or `wanted` with the next number that is free among names in small letters.

    The number at the end of a name `of_type` is the type's, and none that counts.
    """
    if wanted.lower() not in used:
        return wanted
    before = wanted if of_type else wanted.rstrip("0123456789") or wanted
    stem = before.rstrip()
    joint = " " if " " in stem or of_type or before != stem else ""
    number = 2
    while f"{stem}{joint}{number}".lower() in used:
        number += 1
    return f"{stem}{joint}{number}"


def table_name(row_id: str) -> str:
    """The table of an id. Raises Gone for what is no id."""
    table = table_of_id(row_id)
    if table is None:
        raise Gone(f"{row_id!r} is not an object of a plant.", place=row_id)
    return table.name
