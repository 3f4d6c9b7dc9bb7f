"""Rows from elsewhere (files, clips, edits of structure) held to the same fields as what is set by hand.

So a plant that was taken in can be edited, exported and taken in again, whatever way its rows came.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.plant.change import flattened, value_at, with_value
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module, Network, Rail, table_of, table_of_id
from highmoor.core.plant.sound import owned_too_deep, row_problem
from highmoor.core.project.built_fields import built_problem
from highmoor.core.project.fields import fields_of
from highmoor.core.project.signal_fields import scaling_fields

# What a row's type decides: it may have been chosen when the type was another one, and is then a finding.
_OF_THE_TYPE: dict[type[Any], frozenset[str]] = {
    Controller: frozenset({"type", "firmware"}),
    Rail: frozenset({"places"}),
    Module: frozenset({"slot", "revision", "identity"}),
    Network: frozenset({"kind"}),
}


def restored_row(plant: Plant, catalogue: Catalogue, row: Any, before: Any = None) -> Any:
    """The row as an edit would have stored it; with `before`, only what differs from it is looked at.

    Raises Refusal with place, field and value for what no edit could have stored.
    """
    table = table_of(row)
    problem = row_problem(table, row)
    if problem:
        raise Refusal(f"{problem[0]}: {problem[1]}.", place=row.id, field=problem[0])
    if before is not None and before == row:
        return row
    for name, ref in table.refs.items():
        target = getattr(row, name)
        found = table_of_id(target) if target is not None and plant.find(target) is not None else None
        if target is not None and (found is None or found.name not in ref.tables):
            raise Refusal(f"{name}: there is no {target} here.", place=row.id, field=name, value=target)
    if table.owner and owned_too_deep(plant, row):
        raise Refusal("What hangs on itself, or on too many others, hangs nowhere.", place=row.id, field=table.owner)
    unlike = built_problem(plant, row)
    if unlike:
        raise Refusal(f"{unlike[0]}: {unlike[1]}.", place=row.id, field=unlike[0])
    # A setting of null is one that is not set.
    for name in table.json_fields:
        if isinstance(row, Link) or not getattr(row, name):
            # A link's scaling is read as one: a null in it is a fault, not a gap.
            continue
        for path, value in flattened(row).items():
            if value is None and path.startswith(f"{name}."):
                row = with_value(row, path, None)
    for spec in _specs(plant, catalogue, row):
        if spec.path in table.refs or spec.path in _OF_THE_TYPE.get(type(row), ()):
            continue
        value = value_at(row, spec.path)
        if value is None or (before is not None and value_at(before, spec.path) == value):
            continue
        kept = _restored(spec, value, row.id)
        if kept != value or type(kept) is not type(value):
            row = with_value(row, spec.path, kept)
    return row


def _specs(plant: Plant, catalogue: Catalogue, row: Any) -> Iterable[FieldSpec]:
    # What else a link's form offers depends on all of its exchange, and is not to be worked out for every link.
    if isinstance(row, Link):
        return scaling_fields(row)
    try:
        return fields_of(plant, catalogue, row)
    except (TypeError, ValueError, KeyError, AttributeError):
        # What a form offers depends on what is set: where that is of the wrong kind, there is no form.
        raise Refusal("These settings are of the wrong kind.", place=row.id, field="settings") from None


def _restored(spec: FieldSpec, value: Any, place: str) -> Any:
    try:
        return spec.restored(value)
    except Refusal as refusal:
        # Limits and choices of a device's file may have been others when this was set.
        if spec.source == "type" and _plausible(spec, value):
            return value
        raise Refusal(refusal.reason, place=place, field=spec.path, value=value) from None


def _plausible(spec: FieldSpec, value: Any) -> bool:
    if spec.kind in ("integer", "number"):
        return isinstance(value, int | float) and not isinstance(value, bool)
    if spec.kind == "boolean":
        return isinstance(value, bool)
    return isinstance(value, str | int | float | bool)
