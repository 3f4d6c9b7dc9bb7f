"""Clips: things taken from a plant, to be placed again in this one or another; also what templates are made of."""

from __future__ import annotations

import dataclasses
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import (
    TABLES,
    Axis,
    CommandProfile,
    Connection,
    Exchange,
    Module,
    Network,
    Rail,
    Station,
    row_values,
    table_of,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.duplicate import copied, owned_subtree
from highmoor.core.project.exchange_format import BadFile, Fault, row_of
from highmoor.core.project.hardware_edits import furnish, place_modules
from highmoor.core.project.network_edits import bus_of, next_address

# What a clip may hold; anything else would refer to what is not in it.
_KINDS: dict[str, tuple[type[Any], tuple[type[Any], ...]]] = {
    "modules": (Module, (Module, Rail)),
    "rail": (Rail, (Rail, Module)),
    "station": (Station, (Station, Connection, Exchange, Rail, Module)),
    "profile": (CommandProfile, (CommandProfile,)),
}


def clip_of(plant: Plant, ids: list[str]) -> edits.Clip:
    """A clip of modules of one rail (in their order), of a rail, of a station, or of a command profile. Raises Refusal
    for anything else."""
    roots: list[Any] = [plant.get(row_id, object) for row_id in dict.fromkeys(ids)]
    kinds = {type(row) for row in roots}
    kind = next((name for name, (root, _) in _KINDS.items() if kinds == {root}), None)
    if kind is None or (kind != "modules" and len(roots) != 1):
        raise Refusal("Modules, one rail, one station or one command profile can be copied.")
    rows = [row for root in sorted(roots, key=lambda row: row.rank) for row in owned_subtree(plant, root)]
    allowed = _KINDS[kind][1]
    values = [
        edits.ClipRow(table=table_of(row).name, values=row_values(row)) for row in rows if isinstance(row, allowed)
    ]
    return edits.Clip(kind=kind, rows=values)  # type: ignore[arg-type]


def paste(draft: Draft, edit: edits.Paste) -> None:
    """The clip's things with new ids. Raises Refusal for a clip that is damaged or does not fit here."""
    rows = _read(edit.clip)
    into: Any = draft.plant.get(draft.resolve(edit.into), object)
    new_ids = {row.id: draft.new_id(table_of(row).name) for row in rows}
    copies = [copied(row, new_ids) for row in rows]
    if isinstance(into, Rail) and edit.clip.kind in ("modules", "rail"):
        _known(draft, [row for row in copies if isinstance(row, Module)])
        _paste_modules(draft, into, copies, edit)
    elif isinstance(into, Network) and edit.clip.kind == "station":
        _paste_station(draft, into, copies)
    elif isinstance(into, Axis) and edit.clip.kind == "profile":
        _paste_profile(draft, into, copies[0])
    else:
        raise Refusal(f"A clip of the kind “{edit.clip.kind}” does not belong here.", place=into.id)
    # Ports are not in a clip: what hangs on them stays where it is, and the type says which there are.
    for row in copies:
        if isinstance(row, Module):
            furnish(draft, row)


def _read(clip: edits.Clip) -> list[Any]:
    """The clip's rows, checked as rows of a file from outside are."""
    root, allowed = _KINDS[clip.kind]
    rows = []
    seen: set[str] = set()
    for n, entry in enumerate(clip.rows):
        table = TABLES.get(entry.table)
        if table is None or table.row not in allowed:
            raise Refusal(f"The clip holds {entry.table!r}, which does not belong in it.", field="clip")
        faults: list[Fault] = []
        row = row_of(table, entry.values, f"rows[{n}]", faults)
        if faults:
            raise Refusal(str(BadFile(faults)), field="clip")
        owner = getattr(row, table.owner or "", None)
        if row.id in seen or (not isinstance(row, root) and owner not in seen):
            raise Refusal(f"The clip is damaged: {row.id} appears twice, or without what it belongs to.", field="clip")
        seen.add(row.id)
        rows.append(row)
    if not isinstance(rows[0], root):
        raise Refusal("The clip is damaged: its main object is missing.", field="clip")
    return rows


def _paste_modules(draft: Draft, into: Rail, copies: list[Any], edit: edits.Paste) -> None:
    """Modules onto the rail, with what hangs on rails of their own."""
    modules = {row.id for row in copies if isinstance(row, Module)}
    inner = {row.id for row in copies if isinstance(row, Rail) and row.head in modules}
    outer = [row for row in copies if isinstance(row, Module) and row.rail not in inner]
    draft.put(*(row for row in copies if row.id in inner or getattr(row, "rail", "") in inner))
    place_modules(draft, into, outer, edit.before, edit.slot)


def _paste_profile(draft: Draft, axis: Axis, profile: CommandProfile) -> None:
    """An axis commanded by the profile; one that is there already and says the same is taken."""
    there = draft.plant.all(CommandProfile)
    said = (profile.name, profile.base, profile.settings)
    same = next((row for row in there if (row.name, row.base, row.settings) == said), None)
    if same is None:
        name = draft.free_name(profile.name, (row.name for row in there))
        rank = ranks_between(there[-1].rank if there else "", "", 1)[0]
        same = dataclasses.replace(profile, name=name, rank=rank)
        draft.put(same)
    draft.put(dataclasses.replace(axis, profile=same.id))


def _known(draft: Draft, modules: list[Module]) -> None:
    for module in modules:
        if draft.catalogue.find(module.type) is None:
            raise Refusal(f"The catalogue here has no type {module.type}; import its file first.", field="clip")


def _paste_station(draft: Draft, network: Network, copies: list[Any]) -> None:
    station: Station = copies[0]
    device = draft.catalogue.find(station.type)
    if device is None:
        raise Refusal(f"The catalogue here has no type {station.type}; import its file first.", field="clip")
    if device.fieldbus != bus_of(network).key:
        raise Refusal(f"{device.name} is not a device for {bus_of(network).name}.", place=network.id)
    _known(draft, [row for row in copies if isinstance(row, Module)])
    siblings = draft.plant.children(Station, network.id)
    copies[0] = dataclasses.replace(
        station,
        network=network.id,
        # Its cable came from a station there, and it stood for a controller there: here these are others.
        upstream=None,
        socket=None,
        partner=None,
        name=draft.free_name(station.name, (s.name for s in siblings)),
        address=next_address(draft.plant, network),
        rank=ranks_between(siblings[-1].rank if siblings else "", "", 1)[0],
    )
    draft.put(*copies)
