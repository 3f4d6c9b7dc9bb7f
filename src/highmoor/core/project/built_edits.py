"""Edits of the plant as built: what is done at the devices, and faults. A row is made when something is first said."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import carries_modules, is_ports, modules_behind, root_of
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.strangers import built_of
from highmoor.core.plant.change import with_value
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import BuiltDevice, BuiltLine, BuiltModule, BuiltScanner, Module, Network, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.set_fields import with_field


def set_built(draft: Draft, edit: edits.SetBuilt) -> None:
    """Fields of what stands at stations, of networks' media, of modules plugged there."""
    for ref in edit.ids:
        row = built_row(draft, draft.resolve(ref))
        for path, given in edit.values.items():
            row = with_field(draft, row, path, given)
        draft.put(row)


def keep_in_device(draft: Draft, edit: edits.KeepInDevice) -> None:
    """What a device keeps, as it has it itself. Raises Refusal for what is no address or no fact of it."""
    row = built_row(draft, draft.resolve(edit.id))
    for path, value in edit.values.items():
        on_port = isinstance(row, BuiltModule) and path in ("settings.values", "settings.kept")
        of_device = isinstance(row, BuiltDevice) and path.partition(".")[0] in ("address", "facts")
        if not (on_port or of_device):
            raise Refusal(f"A device keeps no {path!r}.", place=edit.id, field=path, value=value)
        row = with_value(row, path, value)
    draft.put(row)


def built_row(draft: Draft, row_id: str) -> Any:
    """The row of a station, a network or a module as built, made where there is none. Raises Refusal for others."""
    row: Any = draft.plant.get(row_id, object)
    if isinstance(row, Station):
        return _device_at(draft, row)
    if isinstance(row, Network):
        return _line_of(draft, row)
    if isinstance(row, Module):
        return _module_at(draft, row)
    if isinstance(row, BuiltDevice | BuiltLine | BuiltModule):
        return row
    raise Refusal("Of this nothing is said as built.", place=row_id)


def _device_at(draft: Draft, station: Station) -> BuiltDevice:
    found = built_of(draft.plant, draft.plant, draft.catalogue).get(station.id)
    if found and found.station == station.id:
        return found
    if found:
        # A stranger that was taken into the plant: from now on it is known to be this station, wherever that moves.
        known = replace(found, station=station.id, address="")
        draft.put(known)
        return known
    made = BuiltDevice(
        draft.new_id("built_devices"), station.network, draft.last_rank(BuiltDevice, None)[0], station.id
    )
    draft.put(made)
    return made


def _line_of(draft: Draft, network: Network) -> BuiltLine:
    found = next((line for line in draft.plant.all(BuiltLine) if line.network == network.id), None)
    if found:
        return found
    made = BuiltLine(draft.new_id("built_lines"), network.id, draft.last_rank(BuiltLine, None)[0])
    draft.put(made)
    return made


def _module_at(draft: Draft, module: Module) -> BuiltModule:
    rail = draft.plant.get(module.rail, Rail)
    head = root_of(draft.plant.find, rail).row
    if not isinstance(head, Station):
        raise Refusal("The modules on a controller's own rail are as configured.", place=module.id)
    if is_ports(rail):
        return _on_port(draft, _device_at(draft, head), module)
    device = _with_own_rail(draft, head)
    found = next((m for m in draft.plant.children(BuiltModule, device.id) if m.module == module.id), None)
    if found is None:
        raise Refusal("This module came after the rail was built; put the rail back to as configured.", place=module.id)
    return found


def _on_port(draft: Draft, device: BuiltDevice, module: Module) -> BuiltModule:
    """What is on a port, of which something is said by itself."""
    found = next((m for m in draft.plant.children(BuiltModule, device.id) if m.module == module.id), None)
    if found is None:
        rank = draft.last_rank(BuiltModule, device.id)[0]
        found = BuiltModule(draft.new_id("built_modules"), device.id, rank, module.type, module.id)
        draft.put(found)
    return found


def _with_own_rail(draft: Draft, station: Station) -> BuiltDevice:
    """The device with the modules it really has, those of the plant where nothing was said."""
    device = _device_at(draft, station)
    if device.rail == "own":
        return device
    device = replace(device, rail="own")
    draft.put(device)
    for module in modules_behind(draft.plant, station.id):
        rank = draft.last_rank(BuiltModule, device.id)[0]
        draft.put(
            BuiltModule(
                draft.new_id("built_modules"), device.id, rank, module.type, module.id, settings=dict(module.settings)
            )
        )
    return device


def swap_built_modules(draft: Draft, edit: edits.SwapBuiltModules) -> None:
    """Two modules of one device change places, with the wires at them."""
    one, other = (built_row(draft, draft.resolve(ref)) for ref in (edit.first, edit.second))
    if not (isinstance(one, BuiltModule) and isinstance(other, BuiltModule)) or one.device != other.device:
        raise Refusal("Only two modules behind one device can be swapped.", place=edit.first)
    # The first may have been made anew with its rail: what is in the draft now holds.
    one, other = draft.plant.get(one.id, BuiltModule), draft.plant.get(other.id, BuiltModule)
    draft.put(replace(one, rank=other.rank), replace(other, rank=one.rank))


def add_built_device(draft: Draft, edit: edits.AddBuiltDevice) -> None:
    """A device that the plant does not know. Raises Refusal for an address that can be none, or that it gets over its
    network."""
    network = draft.plant.get(draft.resolve(edit.network), Network)
    bus = fieldbus_of(network.kind)
    if bus is None:
        raise Refusal(f"{network.name} has no fieldbus that is known here.", place=network.id)
    device = draft.catalogue.find(edit.type) if edit.type else None
    if edit.type and not bus.takes(device):
        raise Refusal(f"{device.name if device else edit.type} is no {bus.name} device.", field="type", value=edit.type)
    names = [d.name for d in draft.plant.all(BuiltDevice) if d.name]
    name = edit.name or draft.free_name(device.name if device else "Device", names, of_type=device is not None)
    if edit.modules and (device is None or not carries_modules(device)):
        raise Refusal(f"{name} carries no modules.", field="modules")
    for key in edit.modules:
        module = draft.catalogue.find(key)
        if module is None or module.kind not in ("module", "feed-in"):
            raise Refusal(f"{key!r} is not a module type of this catalogue.", field="modules", value=key)
    if bus.live.by_name and edit.address:
        raise Refusal(f"A device of {bus.name} gets its address from its controller.", field="address")
    address = "" if bus.live.by_name else bus.addresses.read(edit.address)
    made = draft.new_id("built_devices")
    draft.put(
        BuiltDevice(
            made, network.id, draft.last_rank(BuiltDevice, None)[0], "", name, edit.type,
            address, rail="own" if edit.modules else "configured",
        )
    )  # fmt: skip
    for rank, key in zip(ranks_between("", "", len(edit.modules)), edit.modules, strict=True):
        draft.put(BuiltModule(draft.new_id("built_modules"), made, rank, key))
    if edit.tag:
        draft.tags[edit.tag] = made


def as_configured(draft: Draft, edit: edits.AsConfigured) -> None:
    """What was said of stations, networks or devices is forgotten; what stands behind them goes on as it was."""
    ids = {draft.resolve(ref) for ref in edit.ids}
    if edit.what == "modules":
        _rails_as_configured(draft, ids)
        return
    kept: list[BuiltDevice] = []
    gone: list[str] = []
    for device in draft.plant.all(BuiltDevice):
        if not ids or ids & {device.id, device.station, device.network}:
            gone += (module.id for module in draft.plant.children(BuiltModule, device.id))
            if draft.plant.find(device.station) is None or not device.model:
                gone.append(device.id)
            else:
                kept.append(
                    BuiltDevice(
                        device.id, device.network, device.rank, device.station, model=device.model,
                        settings=device.settings,
                    )
                )  # fmt: skip
    gone += (line.id for line in draft.plant.all(BuiltLine) if not ids or ids & {line.id, line.network})
    gone += (row.id for row in draft.plant.all(BuiltScanner) if not ids or ids & {row.id, row.scanner})
    draft.remove(_once(gone))
    draft.put(*kept)


def _rails_as_configured(draft: Draft, ids: set[str]) -> None:
    for device in draft.plant.all(BuiltDevice):
        there = draft.plant.children(BuiltModule, device.id)
        if (device.rail == "own" or there) and (not ids or ids & {device.id, device.station, device.network}):
            draft.remove([module.id for module in there])
            draft.put(replace(device, rail="configured"))


def _once(ids: Iterable[str]) -> list[str]:
    return list(dict.fromkeys(ids))
