"""A device's map taken over: the exchanges that carry it, and a signal for each entry, with its type and scaling."""

from __future__ import annotations

from typing import Any, Literal

from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.datatypes import ORDERS
from highmoor.core.errors import Refusal
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.fieldbus import DeviceMap, MapEntry
from highmoor.core.networks.lines import plant_line
from highmoor.core.numbers import exact, plain
from highmoor.core.plant.rows import Connection, Exchange, Link, Network, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.network_edits import add_exchange
from highmoor.core.project.signal_names import SignalNames
from highmoor.core.signals.at import At

_RAW_SPAN = 1000


def take_map(draft: Draft, edit: edits.TakeMap) -> None:
    """What no exchange carries yet gets one; entries that have a signal already are left alone. Raises Refusal."""
    station = draft.plant.get(draft.resolve(edit.station), Station)
    network = draft.plant.get(station.network, Network)
    bus = fieldbus_of(network.kind)
    device = draft.catalogue.find(station.type)
    owner = controller_of_port(draft.plant.find, draft.plant.find(network.port))
    connections = draft.plant.children(Connection, station.id)
    entries = bus.map.entries(device) if bus and bus.map and device else ()
    if bus is None or bus.map is None or not entries:
        raise Refusal(f"{station.name} has no type with a register map.", place=station.id)
    if owner is None or not connections:
        raise Refusal(
            f"{station.name} is not on a controller's port, so nobody would own its signals.", place=station.id
        )
    before = len(draft.change)
    for offer in bus.map.exchanges(plant_line(draft.plant, draft.catalogue, station, connections[0]), edit.period_ms):
        asked = edits.AddExchange(connection=connections[0].id, name=offer.name, settings=dict(offer.settings))
        add_exchange(draft, asked)
    names = SignalNames(draft, owner.id)
    for entry in entries:
        _signal(draft, owner.id, station, connections[0].id, bus.map, entry, names)
    if len(draft.change) == before:
        raise Refusal(f"Everything in the register map of {station.name} is in use already.", place=station.id)


def _signal(
    draft: Draft,
    controller: str,
    station: Station,
    connection: str,
    device_map: DeviceMap,
    entry: MapEntry,
    names: SignalNames,
) -> None:
    """A signal at the entry's place, unless there is one already."""
    places = ((x, device_map.place(x, entry)) for x in draft.plant.children(Exchange, connection))
    exchange, key = next((x, key) for x, key in places if key is not None)
    links = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "place", exchange.id)]
    if any(At.of(link) == At(key) for link in links):
        return
    register = entry.entry
    name = names.new(f"{station.name} {register.label}")
    scaled = register.scale != 1 or register.offset != 0
    rank = draft.last_rank(Signal, controller)[0]
    kind = "REAL" if scaled else register.data_type
    signal = Signal(draft.new_id("signals"), controller, name, kind, rank, register.unit, register.text)
    order = register.order if register.order in ORDERS else "ABCD"
    access: Literal["reads", "writes"] = "reads" if entry.way == "in" else "writes"
    scaling = _scaling(register) if scaled else None
    draft.put(signal, Link(draft.new_id("links"), signal.id, exchange.id, key, access, "", order, scaling))


def _scaling(register: RegisterField) -> dict[str, Any]:
    """value = raw · scale + offset, told by two points."""
    low = exact(register.offset)
    high = low + _RAW_SPAN * exact(register.scale)
    return {
        "raw_lo": 0, "raw_hi": _RAW_SPAN, "lo": plain(low), "hi": plain(high), "clamp": False,
        "raw_type": register.data_type,
    }  # fmt: skip
