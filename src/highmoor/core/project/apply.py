"""`apply`: an edit on a plant gives a Change, or a Refusal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import Order
from highmoor.core.errors import Refusal
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES, Connection, Document, Module, Station
from highmoor.core.project import edits
from highmoor.core.project.built_edits import (
    add_built_device,
    as_configured,
    keep_in_device,
    set_built,
    swap_built_modules,
)
from highmoor.core.project.calibrating import calibrate
from highmoor.core.project.cell_edits import fill_down, name_signals, paste_signals, rewrite, set_each
from highmoor.core.project.clips import paste
from highmoor.core.project.command_edits import add_command_profile, name_words
from highmoor.core.project.copy_edits import drive_copies
from highmoor.core.project.draft import Draft
from highmoor.core.project.duplicate import duplicate
from highmoor.core.project.hardware_edits import (
    add_controller,
    insert_modules,
    move_modules,
    replace_module,
    set_slot,
)
from highmoor.core.project.lists.taking import take_list
from highmoor.core.project.map_edits import take_map
from highmoor.core.project.motion_edits import add_axis, add_chain_link, add_move, put_before
from highmoor.core.project.move_program import write_move_program
from highmoor.core.project.network_edits import (
    add_closing_cable,
    add_connection,
    add_exchange,
    add_network,
    add_station,
    add_watch,
    move_stations,
    on_network,
    refuse_if_bound,
    unplugged,
    whole,
)
from highmoor.core.project.port_edits import add_ports
from highmoor.core.project.program_edits import add_program, follow_names
from highmoor.core.project.proof_edits import add_proof, refuse_if_record, void_proof
from highmoor.core.project.replicate import replicate
from highmoor.core.project.robot_edits import add_robot, meet_type
from highmoor.core.project.safety_edits import add_function, add_part, name_parts, use_signal
from highmoor.core.project.scanner_device import scanner_from_device
from highmoor.core.project.scanner_edits import (
    add_plan_shape,
    add_scanner,
    add_situation,
    add_zone,
    trace_zone,
    use_zone,
)
from highmoor.core.project.scanner_signals import name_scanner
from highmoor.core.project.set_fields import with_field
from highmoor.core.project.signal_edits import add_signals, follow_orders, link_signal, orders_on, scale_link
from highmoor.core.project.signal_tables.taking import take_signals
from highmoor.core.project.stored import restored_row
from highmoor.core.project.structure_edits import rename_variable, set_structure
from highmoor.core.project.transfer_edits import add_transfer
from highmoor.core.project.type_edits import add_types, change_type, refuse_if_used, set_spare
from highmoor.core.project.value_edits import name_values


@dataclass(frozen=True, slots=True)
class Applied:
    """What an edit did: the Change, of which document, the plant after it, the ids given to its placeholders."""

    change: Change
    plant: Plant
    tags: dict[str, str]
    document: Document


def apply(plant: Plant, catalogue: Catalogue, edit: edits.Edit) -> Applied:
    """Apply an edit. Raises Refusal (Gone for objects that are not there) and then leaves nothing behind."""
    draft = Draft(plant, catalogue)
    _dispatch(draft, edit)
    follow_names(draft)
    _hold_to_fields(draft)
    return Applied(draft.change, draft.plant, draft.tags, _document(draft.change))


def _document(change: Change) -> Document:
    """The document that a Change is of. Raises Refusal for one of both: they are undone apart."""
    documents = {TABLES[table].document for (table, _), _ in change.items()}
    if len(documents) > 1:
        raise Refusal("What is configured and what is built are edited one after the other, not together.")
    return documents.pop() if documents else "plant"


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
    changed = with_field(draft, row, path, given)
    if isinstance(row, Module) and path == "slot":
        return set_slot(draft, row, changed.slot)
    if isinstance(row, Station) and path == "network" and changed.network != row.network:
        return unplugged(draft, changed)
    return changed


def _remove(draft: Draft, edit: edits.Remove) -> None:
    ids = [whole(draft, draft.resolve(ref)) for ref in edit.ids]
    refuse_if_bound(draft, ids)
    refuse_if_used(draft, ids)
    refuse_if_record(draft, ids)
    draft.remove(ids)


_HANDLERS: dict[type[Any], Callable[[Draft, Any], None]] = {
    edits.SetFields: _set_fields,
    edits.AddTypes: add_types,
    edits.ChangeType: change_type,
    edits.SetSpare: set_spare,
    edits.Replicate: replicate,
    edits.Paste: paste,
    edits.AddController: add_controller,
    edits.AddPorts: add_ports,
    edits.InsertModules: insert_modules,
    edits.MoveModules: move_modules,
    edits.MoveStations: move_stations,
    edits.ReplaceModule: replace_module,
    edits.Duplicate: duplicate,
    edits.Remove: _remove,
    edits.AddNetwork: add_network,
    edits.AddStation: add_station,
    edits.OnNetwork: on_network,
    edits.AddClosingCable: add_closing_cable,
    edits.AddConnection: add_connection,
    edits.AddExchange: add_exchange,
    edits.AddWatch: add_watch,
    edits.TakeMap: take_map,
    edits.AddTransfer: add_transfer,
    edits.AddSignals: add_signals,
    edits.NameValues: name_values,
    edits.SetEach: set_each,
    edits.PasteSignals: paste_signals,
    edits.FillDown: fill_down,
    edits.Rewrite: rewrite,
    edits.NameSignals: name_signals,
    edits.SetStructure: set_structure,
    edits.RenameVariable: rename_variable,
    edits.AddProgram: add_program,
    edits.AddAxis: add_axis,
    edits.AddRobot: add_robot,
    edits.MeetType: meet_type,
    edits.AddSafetyFunction: add_function,
    edits.AddSafetyPart: add_part,
    edits.AddScanner: add_scanner,
    edits.AddZone: add_zone,
    edits.TraceZone: trace_zone,
    edits.AddSituation: add_situation,
    edits.AddPlanShape: add_plan_shape,
    edits.UseZone: use_zone,
    edits.ScannerFromDevice: scanner_from_device,
    edits.AddProof: add_proof,
    edits.NameParts: name_parts,
    edits.VoidProof: void_proof,
    edits.UseSignal: use_signal,
    edits.NameScanner: name_scanner,
    edits.AddCommandProfile: add_command_profile,
    edits.NameWords: name_words,
    edits.WriteMoveProgram: write_move_program,
    edits.AddChainLink: add_chain_link,
    edits.AddMove: add_move,
    edits.PutBefore: put_before,
    edits.LinkSignal: link_signal,
    edits.ScaleLink: scale_link,
    edits.Calibrate: calibrate,
    edits.TakeList: take_list,
    edits.TakeSignals: take_signals,
    edits.SetBuilt: set_built,
    edits.KeepInDevice: keep_in_device,
    edits.DriveCopies: drive_copies,
    edits.SwapBuiltModules: swap_built_modules,
    edits.AddBuiltDevice: add_built_device,
    edits.AsConfigured: as_configured,
}
