"""`apply`: an edit on a plant gives a Change, or a Refusal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import Order
from highmoor.core.errors import Refusal
from highmoor.core.plant.change import Change, flattened, is_field, with_value
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Module, Station
from highmoor.core.project import edits
from highmoor.core.project.clips import paste
from highmoor.core.project.draft import Draft
from highmoor.core.project.duplicate import duplicate
from highmoor.core.project.fields import fields_of
from highmoor.core.project.hardware_edits import (
    add_controller,
    insert_modules,
    move_modules,
    replace_module,
    set_slot,
)
from highmoor.core.project.map_edits import take_map
from highmoor.core.project.network_edits import (
    add_connection,
    add_exchange,
    add_network,
    add_station,
    add_watch,
    move_stations,
    unplugged,
)
from highmoor.core.project.replicate import replicate
from highmoor.core.project.signal_edits import add_signals, follow_orders, link_signal, orders_on
from highmoor.core.project.stored import restored_row
from highmoor.core.project.transfer_edits import add_transfer
from highmoor.core.project.type_edits import add_types, change_type, refuse_if_used, set_spare


@dataclass(frozen=True, slots=True)
class Applied:
    """What an edit did: the Change, the plant after it, and the ids given to its placeholders."""

    change: Change
    plant: Plant
    tags: dict[str, str]


def apply(plant: Plant, catalogue: Catalogue, edit: edits.Edit) -> Applied:
    """Apply an edit. Raises Refusal (Gone for objects that are not there) and then leaves nothing behind."""
    draft = Draft(plant, catalogue)
    _dispatch(draft, edit)
    _hold_to_fields(draft)
    return Applied(draft.change, draft.plant, draft.tags)


def _hold_to_fields(draft: Draft) -> None:
    """Whatever an edit wrote, and by whatever way, is held to what its field takes. Raises Refusal."""
    written = [(before, after) for _, (before, after) in draft.change.items() if after is not None]
    draft.put(*(restored_row(draft.plant, draft.catalogue, after, before) for before, after in written))


def _dispatch(draft: Draft, edit: edits.Edit) -> None:
    if isinstance(edit, edits.Batch):
        for part in edit.edits:
            _dispatch(draft, part)
    else:
        _HANDLERS[type(edit)](draft, edit)


def _set_fields(draft: Draft, edit: edits.SetFields) -> None:
    rows = []
    orders: dict[str, Order] = {}
    for ref in edit.ids:
        row: Any = draft.plant.get(draft.resolve(ref), object)
        if isinstance(row, Connection):
            orders.update(orders_on(draft, row))
        for path, given in edit.values.items():
            row = _with_field(draft, row, path, given)
        rows.append(row)
    draft.put(*rows)
    follow_orders(draft, orders)


def _with_field(draft: Draft, row: Any, path: str, given: Any) -> Any:
    if not is_field(row.id, path):
        raise Refusal(f"There is no field {path!r} here.", place=row.id, field=path, value=given)
    spec = next((s for s in fields_of(draft.plant, draft.catalogue, row) if s.path == path), None)
    if spec is None and given is None and path.startswith("settings.") and path in flattened(row):
        # A setting that the type once had, or another type has, is taken away.
        return with_value(row, path, None)
    if spec is None or spec.made:
        raise Refusal(f"The field {path!r} cannot be set here.", place=row.id, field=path, value=given)
    resolved = draft.tags.get(given, given) if isinstance(given, str) else given
    try:
        value = spec.parse(resolved)
    except Refusal as refusal:
        raise Refusal(refusal.reason, place=row.id, field=path, value=given) from None
    if isinstance(row, Module) and path == "slot":
        return set_slot(draft, row, value)
    if isinstance(row, Station) and path == "network" and value != row.network:
        return unplugged(draft, with_value(row, path, value))
    return with_value(row, path, value)


def _remove(draft: Draft, edit: edits.Remove) -> None:
    refuse_if_used(draft, [draft.resolve(ref) for ref in edit.ids])
    draft.remove(edit.ids)


_HANDLERS: dict[type[Any], Callable[[Draft, Any], None]] = {
    edits.SetFields: _set_fields,
    edits.AddTypes: add_types,
    edits.ChangeType: change_type,
    edits.SetSpare: set_spare,
    edits.Replicate: replicate,
    edits.Paste: paste,
    edits.AddController: add_controller,
    edits.InsertModules: insert_modules,
    edits.MoveModules: move_modules,
    edits.MoveStations: move_stations,
    edits.ReplaceModule: replace_module,
    edits.Duplicate: duplicate,
    edits.Remove: _remove,
    edits.AddNetwork: add_network,
    edits.AddStation: add_station,
    edits.AddConnection: add_connection,
    edits.AddExchange: add_exchange,
    edits.AddWatch: add_watch,
    edits.TakeMap: take_map,
    edits.AddTransfer: add_transfer,
    edits.AddSignals: add_signals,
    edits.LinkSignal: link_signal,
}
