"""The settings that a diagnosis speaks of, as the forms of today's plant have them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import table_of
from highmoor.core.project.fields import fields_of


@dataclass(frozen=True, slots=True)
class Likely:
    """A setting that may well be wrong: of which object, what its form calls it."""

    id: str
    field: str
    label: str


# The fields of the rows that were looked at, by id: several diagnoses speak of one network.
Forms = dict[str, tuple[FieldSpec, ...]]


def likely_settings(
    plant: Plant, catalogue: Catalogue, station: str, place: str, settings: Sequence[str], forms: Forms
) -> Iterator[Likely]:
    """Those of a diagnosis' settings that can be set here: of its place, or of what that belongs to."""
    row: Any = plant.find(place or station)
    owners: dict[str, Any] = {}
    while row is not None:
        owners[table_of(row).name] = row
        row = plant.owner_of(row)
    for setting in settings:
        table, _, path = setting.partition(".")
        if table in owners:
            owner = owners[table]
            if owner.id not in forms:
                forms[owner.id] = fields_of(plant, catalogue, owner)
            found = next((spec for spec in forms[owner.id] if _is_at(spec, path) and not spec.disabled), None)
            if found is not None:
                yield Likely(owner.id, found.path, found.label)


def _is_at(spec: FieldSpec, path: str) -> bool:
    """Whether a field has a path, or is the first of several below it."""
    return spec.path == path or spec.path.startswith(f"{path}.")
