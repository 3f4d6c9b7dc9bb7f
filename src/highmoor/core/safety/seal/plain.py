"""Rows and types of a plant that nobody analyses, as the seal goes through them."""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.plant.plant import Plant


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

    def type(self, key: str) -> DeviceType | None:
        """A device type, or None."""
        return self._catalogue.find(key)
