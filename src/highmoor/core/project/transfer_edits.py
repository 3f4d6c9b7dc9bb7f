"""A transfer between two controllers, as one edit: the asker's network, its station for the partner, what travels."""

from __future__ import annotations

import dataclasses

from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import interface
from highmoor.core.hardware.ports import all_ports, controller_of_port, port_spec
from highmoor.core.networks import FIELDBUSES, fieldbus_of
from highmoor.core.networks.fieldbus import Fieldbus, TransferWanted
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.partners import ports_of_controller
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Port, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.network_edits import add_connection, add_exchange, add_network, add_station

_OCTETS = FieldSpec("octets", "Size", "integer", unit="octets", minimum=1, maximum=65535)
_INTERVAL = FieldSpec("interval_ms", "Every", "number", unit="ms", minimum=0.1, maximum=100_000, optional=True)


def add_transfer(draft: Draft, edit: edits.AddTransfer) -> None:
    """What is there already is used; the rest is made. Raises Refusal for what cannot be, with the field it is of."""
    source, destination = (draft.plant.get(draft.resolve(i), Controller) for i in (edit.source, edit.destination))
    if source.id == destination.id:
        raise Refusal("A controller cannot send to itself.", field="destination", value=destination.id)
    bus = fieldbus_of(edit.fieldbus) if edit.fieldbus else next((b for b in FIELDBUSES if b.transfers), None)
    if bus is None or bus.transfers is None:
        raise Refusal(f"{edit.fieldbus!r} cannot carry data between controllers here.", field="fieldbus")
    reads = edit.asks == "destination"
    asker, partner = (destination, source) if reads else (source, destination)
    network = _network_of(draft, bus, asker, partner)
    station = _station_of(draft, network, partner)
    taken = tuple(
        claim
        for other in draft.plant.all(Station)
        if other.partner == partner.id and _kind(draft.plant, other) == bus.key
        for line in plant_lines(draft.plant, draft.catalogue, other)
        for claim in bus.claims(line)
    )
    octets, interval = _OCTETS.parse(edit.octets), _INTERVAL.parse(edit.interval_ms)
    wanted = TransferWanted(reads, octets, edit.place.strip(), interval, taken)
    name = f"From {partner.name}" if reads else f"To {partner.name}"
    exchange = _carry(draft, bus, station, wanted, edit.name or name)
    if edit.tag:
        draft.tags[edit.tag] = exchange


def _kind(plant: Plant, station: Station) -> str:
    network: Network | None = plant.find(station.network)
    return network.kind if network else ""


def _network_of(draft: Draft, bus: Fieldbus, asker: Controller, partner: Controller) -> Network:
    """The asker's network for partners: the one this partner is on, one that other partners are on, or a new one."""
    own = [
        n for n in draft.plant.all(Network)
        if n.kind == bus.key and (c := controller_of_port(draft.plant.find, draft.plant.find(n.port))) is not None
        and c.id == asker.id
    ]  # fmt: skip

    def suits(network: Network) -> int:
        partners = [s.partner for s in draft.plant.children(Station, network.id)]
        return 3 if partner.id in partners else 2 if any(partners) else 1 if not partners else 0

    best = max(own, key=suits, default=None)
    if best is not None and suits(best):
        return best
    port = _port_towards(draft, asker, partner)
    add_network(
        draft, edits.AddNetwork(fieldbus=bus.key, port=port, name=f"{asker.name} and others", tag="$transfer_network")
    )
    return draft.plant.get(draft.tags["$transfer_network"], Network)


def _port_towards(draft: Draft, asker: Controller, partner: Controller) -> str | None:
    """The port of the asker that lies in a subnet of the partner's, or its first Ethernet port."""
    ports = [
        port for controller, port in all_ports(draft.plant)
        if controller.id == asker.id
        and (spec := port_spec(draft.plant.find, draft.catalogue.find, port)) is not None and spec.on.has_ip
    ]  # fmt: skip
    theirs = [net.ip for p in ports_of_controller(draft.plant, partner.id) if (net := interface(p.address, p.mask))]

    def near(port: Port) -> bool:
        net = interface(port.address, port.mask)
        return net is not None and any(ip in net.network for ip in theirs)

    return next((port.id for port in (*filter(near, ports), *ports)), None)


def _station_of(draft: Draft, network: Network, partner: Controller) -> Station:
    found = next((s for s in draft.plant.children(Station, network.id) if s.partner == partner.id), None)
    if found is None:
        add_station(draft, edits.AddStation(network=network.id, partner=partner.id, tag="$transfer_station"))
        found = draft.plant.get(draft.tags["$transfer_station"], Station)
        # A fieldbus whose connections are what travels begins with one that nobody has asked for.
        first = draft.plant.children(Connection, found.id)
        draft.remove(c.id for c in first if draft.plant.children(Exchange, c.id))
    return found


def _carry(draft: Draft, bus: Fieldbus, station: Station, wanted: TransferWanted, name: str) -> str:
    """The exchange that carries it, on a connection of its own where the fieldbus wants one."""
    assert bus.transfers is not None
    told = bus.transfers.new(wanted)
    if told.connection is None:
        connection = next(iter(draft.plant.children(Connection, station.id)))
        [settings] = told.settings.values()
        add_exchange(
            draft, edits.AddExchange(connection=connection.id, name=name, settings=dict(settings), tag="$transfer")
        )
        return draft.tags["$transfer"]
    add_connection(draft, edits.AddConnection(station=station.id, connection=told.connection, tag="$transfer"))
    rows = draft.plant.children(Exchange, draft.tags["$transfer"])
    carries = "in" if wanted.reads else "out"
    draft.put(
        *(
            dataclasses.replace(
                row,
                name=name if row.direction == carries else f"{name}, back",
                settings=dict(told.settings[row.direction]),
            )
            for row in rows
        )
    )
    return next(row.id for row in rows if row.direction == carries)
