"""Edits of structure in the networks stage."""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Sequence

from pydantic import ValidationError

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import carries_modules
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks import FIELDBUSES, fieldbus_of
from highmoor.core.networks.addressing import ipv4_of
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.lines import plant_line
from highmoor.core.networks.medium import port_problem
from highmoor.core.networks.partners import partner_address, partner_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import (
    ClosingCable,
    Connection,
    Controller,
    Exchange,
    Link,
    Network,
    Port,
    Signal,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.hardware_edits import give_rail
from highmoor.core.project.wires import around, bus_of_station


def add_network(draft: Draft, edit: edits.AddNetwork) -> None:
    """A network; its name counts up when taken."""
    bus = fieldbus_of(edit.fieldbus)
    if bus is None:
        known = ", ".join(b.key for b in FIELDBUSES)
        raise Refusal(f"{edit.fieldbus!r} is not a fieldbus of this version; known: {known}.", field="fieldbus")
    port = draft.plant.get(draft.resolve(edit.port), Port).id if edit.port else None
    problem = port_problem(draft.plant, draft.catalogue, draft.plant.get(port, Port), bus, "") if port else ""
    if problem:
        raise Refusal(f"{problem}.", field="port", value=port)
    name = draft.free_name(edit.name or bus.name, (n.name for n in draft.plant.all(Network)))
    row = Network(draft.new_id("networks"), bus.key, name, draft.last_rank(Network, None)[0], port)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def add_station(draft: Draft, edit: edits.AddStation) -> None:
    """A station with one connection."""
    network = draft.plant.get(draft.resolve(edit.network), Network)
    bus = bus_of(network)
    device = draft.catalogue.find(edit.type or bus.generic_type)
    if device is None or not bus.takes(device):
        raise Refusal(f"{edit.type!r} is not a device for {bus.name}.", field="type", value=edit.type)
    called = "Switch 1" if device.switch else "Repeater 1" if device.repeater else "Station 1"
    partner = _partner(draft, edit.partner, network, bus) if edit.partner else None
    stations = draft.plant.children(Station, network.id)
    station = Station(
        draft.new_id("stations"),
        network.id,
        draft.free_name(
            edit.name or (partner.name if partner else called),
            (s.name for s in stations),
            of_type=edit.name == device.name,
        ),
        device.key,
        draft.last_rank(Station, network.id)[0],
        _address(draft, edit.address, network, bus, partner, passes=device.passes_on),
        _upstream(draft, edit.upstream, network) if edit.upstream else None,
        partner.id if partner else None,
    )
    draft.put(station)
    if edit.tag:
        draft.tags[edit.tag] = station.id
    if device.passes_on:
        return
    connection = _connected(draft, station, bus, device, edit.connection)
    if carries_modules(device):
        rail = give_rail(draft, station.id, device, edit.modules)
        if edit.rail_tag:
            draft.tags[edit.rail_tag] = rail
    if edit.connection_tag:
        draft.tags[edit.connection_tag] = connection.id


def _partner(draft: Draft, given: str, network: Network, bus: Fieldbus) -> Controller:
    """The controller a station is to stand for. Raises Refusal where that cannot be."""
    controller = draft.plant.get(draft.resolve(given), Controller)
    problem = partner_problem(draft.plant, network, bus, controller)
    if problem:
        raise Refusal(f"{problem}.", field="partner", value=given)
    return controller


def _address(
    draft: Draft, given: str | None, network: Network, bus: Fieldbus, partner: Controller | None, *, passes: bool
) -> str:
    if given:
        return bus.addresses.read(given)
    if partner:
        return partner_address(draft.plant, network, partner.id)
    return "" if passes else next_address(draft.plant, network)


def _upstream(draft: Draft, given: str, network: Network) -> str:
    """The station a new one's cable comes from. Raises Refusal for one on another network."""
    upper = draft.plant.get(draft.resolve(given), Station)
    if upper.network != network.id:
        raise Refusal(f"{upper.name} is not on {network.name}.", field="upstream", value=given)
    return upper.id


def on_network(draft: Draft, edit: edits.OnNetwork) -> None:
    """What the network's fieldbus does itself. Raises Refusal for an edit it has not, or values that are none of it."""
    network = draft.plant.get(draft.resolve(edit.network), Network)
    bus = bus_of(network)
    own = bus.edits.get(edit.edit)
    if own is None:
        raise Refusal(f"{bus.name} has no edit {edit.edit!r}.", place=network.id, value=edit.edit)
    try:
        values = own.values.validate_python(edit.values)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        path = ".".join(map(str, first["loc"]))
        raise Refusal(f"{path}: {first['msg']}.", place=network.id, field=path) from None
    own.apply(draft, network, values)


def whole(draft: Draft, row_id: str) -> str:
    """What goes when this is removed: of a connection that is opened for both its directions, neither goes alone."""
    exchange = draft.plant.find(row_id)
    if not isinstance(exchange, Exchange):
        return row_id
    connection: Connection | None = draft.plant.find(exchange.connection)
    station: Station | None = draft.plant.find(connection.station) if connection else None
    line = around(draft.plant, draft.catalogue, station, connection).line
    bus = bus_of_station(draft.plant, station)
    return row_id if bus is None or line is None or bus.apart(line) else exchange.connection


def refuse_if_bound(draft: Draft, ids: Sequence[str]) -> None:
    """Raises Refusal for a connection that goes with its station alone, where that stays."""
    for connection in (row for i in ids if isinstance(row := draft.plant.find(i), Connection)):
        station = draft.plant.get(connection.station, Station)
        bus = bus_of_station(draft.plant, station)
        if bus is not None and bus.comes_with(connection) and station.id not in ids:
            raise Refusal(
                f"What {station.name} exchanges on {bus.name} comes with it: remove the device, or choose less of its"
                " process data.",
                place=connection.id,
            )


def add_closing_cable(draft: Draft, edit: edits.AddClosingCable) -> None:
    """A cable that closes a ring. Raises Refusal for ends that are not on the network, or are one."""
    network = draft.plant.get(draft.resolve(edit.network), Network)
    if not bus_of(network).medium.switches:
        raise Refusal(f"{bus_of(network).name} has no cables that could close a ring.", place=network.id)
    ends = [draft.plant.get(draft.resolve(end), Station) if end else None for end in (edit.one, edit.other)]
    for end in ends:
        if end is not None and end.network != network.id:
            raise Refusal(f"{end.name} is not on {network.name}.", place=end.id, value=end.id)
    one, other = ends
    if one is None or one == other:
        raise Refusal("A cable goes from one device to another.", place=network.id, field="other")
    rank = draft.last_rank(ClosingCable, network.id)[0]
    row = ClosingCable(draft.new_id("closing_cables"), network.id, one.id, rank, other.id if other else None)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def unplugged(draft: Draft, station: Station) -> Station:
    """A station that goes to another network: its cables are pulled, and what hung on it hangs where it did."""
    rings = [i for end in ("one", "other") for i in draft.plant.referring("closing_cables", end, station.id)]
    draft.remove(dict.fromkeys(rings))
    hanging = [draft.plant.get(i, Station) for i in draft.plant.referring("stations", "upstream", station.id)]
    draft.put(*(dataclasses.replace(other, upstream=station.upstream) for other in hanging))
    return dataclasses.replace(station, upstream=None)


def _connected(
    draft: Draft, station: Station, bus: Fieldbus, device: DeviceType | None, kind: str | None
) -> Connection:
    """A connection of a kind, with the exchanges it begins with."""
    made = bus.new_connection(device, kind or "")
    rank = draft.last_rank(Connection, station.id)[0]
    connection = Connection(draft.new_id("connections"), station.id, rank, dict(made.settings))
    ranks = ranks_between("", "", len(made.exchanges))
    exchanges = [
        Exchange(draft.new_id("exchanges"), connection.id, new.name, new.direction, rank, settings=dict(new.settings))
        for new, rank in zip(made.exchanges, ranks, strict=True)
    ]
    draft.put(connection, *exchanges)
    return connection


def add_connection(draft: Draft, edit: edits.AddConnection) -> None:
    """One more connection of a station. Raises Refusal for a kind there is none of."""
    station = draft.plant.get(draft.resolve(edit.station), Station)
    bus = bus_of(draft.plant.get(station.network, Network))
    device = draft.catalogue.find(station.type)
    if not bus.connection_kinds(device):
        raise Refusal(f"A station on {bus.name} has one connection; add exchanges to it.", place=station.id)
    connection = _connected(draft, station, bus, device, edit.connection)
    if edit.tag:
        draft.tags[edit.tag] = connection.id


def move_stations(draft: Draft, edit: edits.MoveStations) -> None:
    """Stations, in the order given, to another place of the cable. Raises Refusal where they are of two networks."""
    moving = [draft.plant.get(draft.resolve(i), Station) for i in dict.fromkeys(edit.ids)]
    network = moving[0].network
    if any(station.network != network for station in moving):
        raise Refusal("These stations are on different networks.", place=moving[0].id)
    ids = {station.id for station in moving}
    staying = [s for s in draft.plant.children(Station, network) if s.id not in ids]
    before = draft.resolve(edit.before) if edit.before else None
    if before is not None and before not in {s.id for s in staying}:
        raise Refusal("The station to place it before is not on this network, or is being moved itself.", place=before)
    ranks = draft.ranks_before(staying, before, len(moving))
    draft.put(*(dataclasses.replace(s, rank=rank) for s, rank in zip(moving, ranks, strict=True)))


def bus_of(network: Network) -> Fieldbus:
    """The network's fieldbus. Raises Refusal for one this version does not know."""
    bus = fieldbus_of(network.kind)
    if bus is None:
        raise Refusal(f"{network.name} is of a kind this version does not know: {network.kind}.", place=network.id)
    return bus


def next_address(plant: Plant, network: Network, behind: str = "") -> str:
    """The first free address on a network, behind a given one if there is room; "" where nothing says which.

    One that stands for a device in the whole plant is not given twice, nor is a controller's own.
    """
    bus = fieldbus_of(network.kind)
    if bus is None:
        return ""
    stations = plant.all(Station) if bus.addresses.everywhere else plant.children(Station, network.id)
    used = [*(station.address for station in stations), bus.own_address(network)]
    if bus.addresses.everywhere:
        used += [port.address for port in plant.all(Port) if port.address]
    first, last = (ipv4_of(text) for text in bus.handed_out(network))
    begin = str(first - 1) if first else ""
    for after in dict.fromkeys((behind or begin, begin)):
        free = bus.addresses.next(plant.find(network.port), used, after)
        found = ipv4_of(free[0]) if free else None
        outside = found and ((first and found < first) or (last and found > last))
        if free and not outside:
            return free[0]
    return ""


def add_watch(draft: Draft, edit: edits.AddWatch) -> None:
    """A pair of exchanges, and a signal of the asking controller on the status bit of the reading one."""
    connection = draft.plant.get(draft.resolve(edit.connection), Connection)
    station = draft.plant.get(connection.station, Station)
    network = draft.plant.get(station.network, Network)
    watch = bus_of(network).watches.get(edit.watch)
    if watch is None:
        raise Refusal(f"{bus_of(network).name} has no watch {edit.watch!r}.", field="watch", value=edit.watch)
    line = plant_line(draft.plant, draft.catalogue, station, connection)
    made: list[Exchange] = []
    for way, asked in zip(("out", "in"), watch.exchanges(line, edit.write, edit.read, edit.period_ms), strict=True):
        tag = f"$watch_{way}"
        wanted = edits.AddExchange(connection=connection.id, name=f"{watch.label} {way}", settings=dict(asked), tag=tag)
        add_exchange(draft, wanted)
        row = draft.plant.get(draft.tags[tag], Exchange)
        made.append(dataclasses.replace(row, settings={**row.settings, **watch.tied}))
    draft.put(*made)
    owner = controller_of_port(draft.plant.find, draft.plant.find(network.port))
    if owner:
        names = {s.name.lower() for s in draft.plant.children(Signal, owner.id)}
        stem = re.sub(r"[^A-Za-z0-9]", "", station.name) or "Station"
        base = f"{stem if not stem[0].isdigit() else 'S' + stem}{watch.signal}"
        name = next(n for k in range(1, 10_000) if (n := base if k == 1 else f"{base}{k}").lower() not in names)
        signal = Signal(draft.new_id("signals"), owner.id, name, "BOOL", draft.last_rank(Signal, owner.id)[0])
        draft.put(signal, Link(draft.new_id("links"), signal.id, made[1].id, "", "reads", way="status"))
    if edit.tag:
        draft.tags[edit.tag] = made[1].id


def add_exchange(draft: Draft, edit: edits.AddExchange) -> None:
    """An exchange with the direction and settings its fieldbus makes of what is needed."""
    connection = draft.plant.get(draft.resolve(edit.connection), Connection)
    station = draft.plant.get(connection.station, Station)
    bus = bus_of(draft.plant.get(station.network, Network))
    siblings = draft.plant.children(Exchange, connection.id)
    line = plant_line(draft.plant, draft.catalogue, station, connection)
    direction, settings = bus.new_exchange(edit.settings, line)
    row = Exchange(
        draft.new_id("exchanges"),
        connection.id,
        draft.free_name(edit.name or ("Read 1" if direction == "in" else "Write 1"), (x.name for x in siblings)),
        direction,
        draft.last_rank(Exchange, connection.id)[0],
        settings=settings,
    )
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id
