"""Edits of a plant's own device types and of its spares."""

from __future__ import annotations

import dataclasses
from typing import Any

from highmoor.core.catalogue.pins import device_of, pinned_key
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, PinnedType, Spare, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft


def add_types(draft: Draft, edit: edits.AddTypes) -> None:
    """Pins of readings the catalogue has. Raises Refusal for what was never read here, and when all are known."""
    known = {pinned.key for pinned in draft.plant.all(PinnedType)}
    added = 0
    for pin in edit.types:
        key = pinned_key(pin.device, pin.sha256, pin.reader)
        if key in known:
            continue
        if draft.catalogue.find(key) is None:
            raise Refusal(
                f"{pin.file or pin.device} has not been read on this installation.", field="types", value=pin.device
            )
        known.add(key)
        added += 1
        rank = draft.last_rank(PinnedType, None)[0]
        draft.put(PinnedType(draft.new_id("types"), key, pin.device, pin.sha256, pin.reader, pin.file, rank))
    if not added:
        raise Refusal("These types are in the plant already.", field="types")


def users_of(plant: Plant, key: str) -> list[Any]:
    """Controllers, stations and modules of a type; modules of the type's own file count too."""
    rows: list[Any] = [*plant.all(Controller), *plant.all(Station), *plant.all(Module)]
    return [row for row in rows if row.type == key or row.type.startswith(f"{key}/")]


def refuse_if_used(draft: Draft, ids: list[str]) -> None:
    """Raises Refusal, with the places, when a type that something still uses would go."""
    going = set(ids)
    for row_id in ids:
        row = draft.plant.find(row_id)
        users = (
            [user for user in users_of(draft.plant, row.key) if user.id not in going]
            if isinstance(row, PinnedType)
            else []
        )
        if users:
            names = ", ".join(_called(user) for user in users[:4])
            more = f" and {len(users) - 4} more" if len(users) > 4 else ""
            raise Refusal(f"The type is in use: {names}{more}. Remove or change these first.", place=row_id)


def _called(row: Any) -> str:
    return str(getattr(row, "name", "") or row.designation or row.id)


def change_type(draft: Draft, edit: edits.ChangeType) -> None:
    """Stations to another reading; modules of their rails follow where the new file has them by the same key."""
    device = draft.catalogue.find(edit.type)
    if device is None or device.kind != "device":
        raise Refusal(f"{edit.type!r} is not a device type of this catalogue.", field="type", value=edit.type)
    for ref in edit.ids:
        station = draft.plant.get(draft.resolve(ref), Station)
        old = draft.catalogue.find(station.type)
        if old and old.fieldbus != device.fieldbus:
            raise Refusal(f"{device.name} is a device for another fieldbus than {station.name}.", place=station.id)
        draft.put(dataclasses.replace(station, type=device.key))
        for module in list(modules_behind(draft.plant, station.id)):
            owner, _, key = module.type.partition("/")
            if owner == station.type and draft.catalogue.find(f"{device.key}/{key}"):
                draft.put(dataclasses.replace(module, type=f"{device.key}/{key}"))


def other_readings(plant: Plant, key: str) -> list[PinnedType]:
    """Readings of the same device from other files or reader versions."""
    device = device_of(key)
    return [row for row in plant.all(PinnedType) if row.key != key and device_of(row.key) == device]


def set_spare(draft: Draft, edit: edits.SetSpare) -> None:
    """One row a type; none at a count of 0."""
    if draft.catalogue.find(edit.type) is None:
        raise Refusal(f"{edit.type!r} is not a type of this catalogue.", field="type", value=edit.type)
    row = next((spare for spare in draft.plant.all(Spare) if spare.type == edit.type), None)
    if edit.count == 0:
        if row is not None:
            draft.remove([row.id])
    else:
        draft.put(dataclasses.replace(row or Spare(draft.new_id("spares"), edit.type), count=edit.count))
