"""A field of a row set to what was typed, as its field spec reads it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.plant.change import flattened, is_field, with_value
from highmoor.core.plant.rows import Signal
from highmoor.core.project.channel_cells import CHANNEL, set_channel_cell
from highmoor.core.project.draft import Draft
from highmoor.core.project.fields import fields_of


def with_fields(draft: Draft, row: Any, values: Mapping[str, Any]) -> Any:
    """The row with several values as they were typed, where no field depends on another. Raises Refusal."""
    specs = {spec.path: spec for spec in fields_of(draft.plant, draft.catalogue, row)}
    for path, given in values.items():
        if isinstance(row, Signal) and path.startswith(CHANNEL):
            set_channel_cell(draft, row, path, given)
            continue
        spec = specs.get(path)
        if spec is None or spec.made:
            raise Refusal(f"There is no field {path!r} here.", place=row.id, field=path, value=given)
        row = with_value(row, path, spec.parse(given))
    return row


def with_field(draft: Draft, row: Any, path: str, given: Any) -> Any:
    """The row with a value as it was typed. Raises Refusal for no field, or no value of it."""
    if isinstance(row, Signal) and path.startswith(CHANNEL):
        set_channel_cell(draft, row, path, given)
        return row
    if not is_field(row.id, path):
        raise Refusal(f"There is no field {path!r} here.", place=row.id, field=path, value=given)
    spec = next((s for s in fields_of(draft.plant, draft.catalogue, row) if s.path == path), None)
    if spec is None and given is None and path.partition(".")[0] in ("settings", "facts") and path in flattened(row):
        # A setting that the type once had, or another type has, is taken away.
        return with_value(row, path, None)
    if spec is None or spec.made:
        raise Refusal(f"The field {path!r} cannot be set here.", place=row.id, field=path, value=given)
    resolved = draft.tags.get(given, given) if isinstance(given, str) else given
    try:
        value = spec.parse(resolved)
    except Refusal as refusal:
        raise Refusal(refusal.reason, place=row.id, field=path, value=given) from None
    return with_value(row, path, value)
