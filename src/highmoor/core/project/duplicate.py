"""Copying an object with all it owns, from table metadata alone."""

from __future__ import annotations

import dataclasses
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Controller, Module, Rail, Signal, Station, table_of
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.hardware_edits import seat_copy
from highmoor.core.project.network_edits import next_address


def owned_subtree(plant: Plant, root: Any) -> list[Any]:
    """The root and every row it owns, directly or not, owners first; records about them are no part of them."""
    rows, queue = [], [root]
    while queue:
        row = queue.pop(0)
        rows.append(row)
        for table in TABLES.values():
            owner = table.refs[table.owner] if table.owner else None
            if owner and not owner.record and table_of(row).name in owner.tables:
                queue += [plant.find(i) for i in plant.referring(table.name, table.owner or "", row.id)]
    return rows


def duplicate(draft: Draft, edit: edits.Duplicate) -> None:
    """A copy just behind the original. References within the copy point into it; signals come without links."""
    root: Any = draft.plant.get(draft.resolve(edit.id), object)
    if (
        not isinstance(root, Controller | Module | Rail | Signal | Station)
        and "connection" not in TABLES[table_of(root).name].fields
    ):
        raise Refusal("This cannot be duplicated on its own.", place=root.id)
    subtree = [row for row in owned_subtree(draft.plant, root) if table_of(row).name != "links"]
    new_ids = {row.id: draft.new_id(table_of(row).name) for row in subtree}
    copies = [copied(row, new_ids) for row in subtree]
    copies[0] = _placed(draft, root, copies[0])
    draft.put(*copies)
    if isinstance(root, Module):
        seat_copy(draft, root, copies[0])
    if edit.tag:
        draft.tags[edit.tag] = copies[0].id


def copied(row: Any, new_ids: dict[str, str]) -> Any:
    """A copy of a row under its new id; references within the copy point into it, pins are not kept."""
    refs = {
        name: new_ids[target]
        for name in table_of(row).refs
        if (target := getattr(row, name)) is not None and target in new_ids
    }
    pins = {name: None for name in ("pin_in", "pin_out", "socket") if name in table_of(row).fields}
    return dataclasses.replace(row, id=new_ids[row.id], **refs, **pins)


def _placed(draft: Draft, original: Any, copy: Any) -> Any:
    """The copy behind its original, with a name and an address of its own."""
    siblings = _siblings(draft, original)
    changes: dict[str, Any] = {}
    if hasattr(original, "name"):
        changes["name"] = draft.free_name(original.name, (row.name for row in siblings))
    if isinstance(original, Station):
        changes["address"] = next_address(draft.plant, draft.plant.get(original.network))
    return placed_behind(draft, original, dataclasses.replace(copy, **changes))


def placed_behind(draft: Draft, original: Any, copy: Any) -> Any:
    """The copy with the rank just behind a sibling."""
    siblings = _siblings(draft, original)
    at = next(n for n, row in enumerate(siblings) if row.id == original.id)
    behind = siblings[at + 1].id if at + 1 < len(siblings) else None
    return dataclasses.replace(copy, rank=draft.ranks_before(siblings, behind)[0])


def _siblings(draft: Draft, row: Any) -> list[Any]:
    owner = table_of(row).owner
    return draft.plant.children(type(row), getattr(row, owner)) if owner else draft.plant.all(type(row))
