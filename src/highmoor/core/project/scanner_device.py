"""What a scanner has in itself beside what is configured for it: sent there, compared, taken over from there.

A device has how it is set up, its situations and its zones, clipped by the walls there were when it was sent. Until
something is sent it is taken to be as configured; after a reset it has nothing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from pydantic import TypeAdapter, ValidationError

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.networks.strangers import built_of
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import is_rank
from highmoor.core.plant.rows import (
    BuiltScanner,
    PlanShape,
    Scanner,
    Situation,
    Zone,
    ZoneUse,
    row_values,
    table_of,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.stored import restored_row
from highmoor.core.safety.seal.parts import Unlike, differences_of
from highmoor.core.safety.seal.plain import PlainSight
from highmoor.core.safety.seal.tree import Covering, Item

# Owners before what they own; of what stands around, what it is clipped by.
_SENT: tuple[type[Any], ...] = (Situation, Zone, ZoneUse, PlanShape)
_CLIPS = ("wall", "guard")
_ROWS_AT_MOST = 2000
_ADAPTERS: dict[str, TypeAdapter[Any]] = {
    "Scanner": TypeAdapter(Scanner),
    **{kind.__name__: TypeAdapter(kind) for kind in _SENT},
}
# Where a device stands is none of its settings, as is what it speaks by.
_STANDS = ("x", "y", "looks")


@dataclass(frozen=True, slots=True)
class InDevice:
    """A device's copy, read: the scanner as it is set up there, and what is owned by it."""

    scanner: Scanner
    rows: tuple[Any, ...]


def device_of(plant: Plant, scanner: str) -> BuiltScanner | None:
    """What was said of a scanner as built."""
    return next((row for row in plant.all(BuiltScanner) if row.scanner == scanner), None)


def silent(plant: Plant, catalogue: Catalogue, scanner: Scanner) -> str:
    """Why its device cannot be reached over the network; "" where it can, or has none to be reached by."""
    built = built_of(plant, plant, catalogue).get(scanner.device or "")
    if built is None:
        return ""
    for there, why in ((built.there, "it is not mounted"), (built.powered, "it has no power"),
                       (built.cable, "its cable is not plugged")):  # fmt: skip
        if not there:
            return why
    return ""


# ── sending


def into_device(draft: Draft, scanner: Scanner, *, at: str, by: str) -> None:
    """Its device has what is configured. Raises Refusal where it cannot be reached."""
    _refuse_silent(draft, scanner)
    rows = [scanner, *_owned(draft.plant, scanner.id)]
    texts = [[type(row).__name__, json.dumps(row_values(row), ensure_ascii=False)] for row in rows]
    if len(texts) > _ROWS_AT_MOST:
        raise Refusal(f"A device has room for {_ROWS_AT_MOST} zones, situations and walls.", place=scanner.id)
    draft.put(replace(_row(draft, scanner), at=at, by=by, copy={"rows": texts}))


def as_delivered(draft: Draft, scanner: Scanner, *, at: str, by: str) -> None:
    """Its device is reset: it has nothing."""
    draft.put(replace(_row(draft, scanner), at=at, by=by, copy={}))


def _refuse_silent(draft: Draft, scanner: Scanner) -> None:
    why = silent(draft.plant, draft.catalogue, scanner)
    if why:
        raise Refusal(f"{scanner.name} does not answer: {why}.", place=scanner.id)


def _row(draft: Draft, scanner: Scanner) -> BuiltScanner:
    found = device_of(draft.plant, scanner.id)
    return found or BuiltScanner(draft.new_id("built_scanners"), scanner.id, draft.last_rank(BuiltScanner, None)[0])


def _owned(plant: Plant, scanner: str) -> Iterator[Any]:
    """Of what a scanner owns, what is sent."""
    situations = plant.children(Situation, scanner)
    yield from situations
    yield from plant.children(Zone, scanner)
    for situation in situations:
        yield from plant.children(ZoneUse, situation.id)
    yield from (shape for shape in plant.children(PlanShape, scanner) if shape.kind in _CLIPS)


# ── reading


def in_device(built: BuiltScanner, scanner: Scanner) -> InDevice:
    """What a device has. Raises Refusal for a copy that none could have."""
    texts = built.copy.get("rows", [])
    if built.copy.keys() - {"rows"} or not isinstance(texts, list) or len(texts) > _ROWS_AT_MOST:
        raise _unreadable(built)
    rows = [_read(built, text) for text in texts]
    if not rows:
        stands = {key: scanner.settings[key] for key in _STANDS if key in scanner.settings}
        return InDevice(replace(scanner, settings=stands), ())
    first, *owned = rows
    if not isinstance(first, Scanner) or any(isinstance(row, Scanner) for row in owned):
        raise _unreadable(built)
    if any(isinstance(row, PlanShape) and row.kind not in _CLIPS for row in owned):
        raise _unreadable(built)
    return InDevice(replace(scanner, type=first.type, settings=first.settings), tuple(owned))


def _read(built: BuiltScanner, text: Any) -> Any:
    try:
        kind, values = text
        row = _ADAPTERS[kind].validate_json(values, strict=True)
        if not is_rank(row.rank):
            raise ValueError(row.rank)
        return row
    except (ValueError, TypeError, KeyError, RecursionError, ValidationError):
        raise _unreadable(built) from None


def _unreadable(built: BuiltScanner) -> Refusal:
    return Refusal("copy: This is nothing that a scanner could have in itself.", place=built.id, field="copy")


def take_over(draft: Draft, scanner: Scanner, built: BuiltScanner, *, walls: bool) -> None:
    """The scanner as its device has it; `walls` with what its zones are clipped by there. Raises Refusal for a copy
    that no edits could have made."""
    has = in_device(built, scanner)
    sent: list[Any] = [row for row in has.rows if walls or not isinstance(row, PlanShape)]
    draft.put(restored_row(draft.plant, draft.catalogue, has.scanner))
    own: dict[str, Any] = {
        row.id: row for row in _owned(draft.plant, scanner.id) if walls or not isinstance(row, PlanShape)
    }
    kept: set[str] = {row.id for row in sent if row.id in own and table_of(own[row.id]) is table_of(row)}
    draft.remove([key for key in own if key not in kept])
    ids = {scanner.id: scanner.id}
    for kind in _SENT:
        # All of a kind at once: they refer to kinds before them only.
        rows = [_its_own(draft, row, ids, scanner, kept) for row in sent if isinstance(row, kind)]
        draft.put(*(restored_row(draft.plant, draft.catalogue, row) for row in rows))


def _its_own(draft: Draft, row: Any, ids: dict[str, str], scanner: Scanner, kept: set[str]) -> Any:
    """One of them as it is in the plant; what it refers to is in the device as well. An id that is not its own any more
    is not used again."""
    table = table_of(row)
    made: str = row.id if row.id in kept and row.id in draft.plant.tables[table.name] else draft.new_id(table.name)
    own: dict[str, Any] = {"id": made}
    for name, ref in table.refs.items():
        own[name] = scanner.id if name == "scanner" else ids.get(getattr(row, name) or "")
        if ref.owner and own[name] is None:
            raise Refusal("copy: This is nothing that a scanner could have in itself.", field="copy")
    ids[row.id] = made
    return replace(row, **own)


# ── comparing


def as_devices_have_it(plant: Plant, built: Plant, catalogue: Catalogue) -> Plant:
    """A plant in which every scanner is as its device has it, walls that its zones are clipped by as well."""
    draft = Draft(plant, catalogue)
    for row in built.all(BuiltScanner):
        scanner = plant.find(row.scanner)
        if isinstance(scanner, Scanner):
            take_over(draft, scanner, row, walls=True)
    return draft.plant


def differences(plant: Plant, catalogue: Catalogue, scanner: Scanner, built: BuiltScanner) -> tuple[Unlike, ...]:
    """What is another in the device (`before`) than it is configured (`now`)."""
    draft = Draft(plant, catalogue)
    take_over(draft, scanner, built, walls=True)
    there, here = (list(_items(one, catalogue, scanner.id)) for one in (draft.plant, plant))
    return tuple(differences_of(there, here))


def _items(plant: Plant, catalogue: Catalogue, scanner: str) -> Iterator[Item]:
    """Of what is sealed of a scanner, what a device has of it."""
    items = list(Covering(PlainSight(plant, catalogue)).of_scanner(plant.get(scanner, Scanner)))
    own = next(item.device for item in items if item.row == scanner)
    sent = {scanner, "", *(row.id for row in _owned(plant, scanner))}
    yield from (item for item in items if item.device == own and item.field != "device" and item.row in sent)


def scanner_from_device(draft: Draft, edit: edits.ScannerFromDevice) -> None:
    """Raises Refusal where its device has nothing, has all of it, or cannot be reached."""
    scanner = draft.plant.get(draft.resolve(edit.scanner), Scanner)
    _refuse_silent(draft, scanner)
    built = device_of(draft.plant, scanner.id)
    if built is None:
        raise Refusal(f"Nothing was sent to {scanner.name} yet: it is taken to be as configured.", place=scanner.id)
    if not built.copy:
        raise Refusal(f"{scanner.name} was reset: there is nothing in it.", place=scanner.id)
    take_over(draft, scanner, built, walls=False)


def held_to_fields(plant: Plant, catalogue: Catalogue, built: BuiltScanner) -> None:
    """Raises Refusal for a copy from elsewhere that no device could have."""
    scanner = plant.find(built.scanner)
    if isinstance(scanner, Scanner):
        take_over(Draft(plant, catalogue), scanner, built, walls=True)
    else:
        in_device(built, Scanner(built.scanner, "", "", ""))
