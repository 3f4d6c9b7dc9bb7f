"""What the seal goes through: rows and types of a plant that is analysed, and of one that is not."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.hardware.mounting import seats
from highmoor.core.hardware.parts import RailMounting
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Module, Rail


class PlainSight:
    """A plant with its catalogue, seen as a reader sees them."""

    def __init__(self, plant: Plant, catalogue: Catalogue) -> None:
        self._plant = plant
        self._catalogue = catalogue

    def find(self, row_id: str | None) -> Any | None:
        """The row, or None."""
        return self._plant.find(row_id)

    def children(self, kind: type[Any], owner_id: str) -> list[Any]:
        """Owned rows by rank."""
        return self._plant.children(kind, owner_id)

    def referring(self, kind: type[Any], name: str, target: str) -> list[Any]:
        """Rows of `kind` whose field `name` refers to `target`."""
        table = next(one.name for one in TABLES.values() if one.row is kind)
        return [self._plant.get(one, kind) for one in self._plant.referring(table, name, target)]

    def type(self, key: str) -> DeviceType | None:
        """A device type, or None."""
        return self._catalogue.find(key)

    def slots(self, rail: str) -> Mapping[str, int]:
        """The slot of each module of a rail."""
        row = self._plant.get(rail, Rail)
        head = self._plant.find(row.head)
        device = self.type(head.type) if head is not None else None
        places = seats(row, self.children(Module, rail), device, self.type)
        return {seat.module.id: seat.slot for seat in places if seat.module}


class ReaderSight:
    """What a reader of the analysis sees; where modules sit is read of the rail as it is mounted."""

    def __init__(self, reader: Reader) -> None:
        self._reader = reader
        self.find = reader.find
        self.children = reader.children
        self.referring = reader.referring
        self.type = reader.type

    def slots(self, rail: str) -> Mapping[str, int]:
        """The slot of each module of a rail."""
        mounting: RailMounting | None = self._reader.part("rail.mounting", rail)
        return mounting.slots if mounting else {}
