"""What the rows of a network stand in, and what an exchange carries, asked of a plant without its analysis."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import Order
from highmoor.core.hardware.mounting import root_of
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.blocks import Block, SeatedModule, plant_seated, with_nested
from highmoor.core.networks.fieldbus import Around, Fieldbus
from highmoor.core.networks.io_link.ports import plant_ports, with_ports
from highmoor.core.networks.lines import plant_line, plant_lines
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.wire import WireLayout
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Module, Network, Rail, Station


def around(plant: Plant, catalogue: Catalogue, station: Station | None, connection: Connection | None) -> Around:
    """What a station, or a connection of it, stands in."""
    if station is None:
        return Around()
    device = catalogue.find(station.type)
    line = plant_line(plant, catalogue, station, connection) if connection else None
    return Around(plant.find(station.network), device, line)


def wire_of(plant: Plant, catalogue: Catalogue, exchange: Exchange) -> WireLayout | None:
    """What an exchange carries; None on a network that nobody knows."""
    connection: Connection | None = plant.find(exchange.connection)
    station: Station | None = plant.find(connection.station) if connection else None
    bus, line = bus_of_station(plant, station), around(plant, catalogue, station, connection).line
    return bus.layout(exchange, line) if bus and line else None


def usual_order(plant: Plant, catalogue: Catalogue, exchange: Exchange) -> Order:
    """How the octets of a value stand on an exchange's fieldbus unless a link says otherwise."""
    wire = wire_of(plant, catalogue, exchange)
    return wire.order if wire else "ABCD"


def bus_of_station(plant: Plant, station: Station | None) -> Fieldbus | None:
    network: Network | None = plant.find(station.network) if station else None
    return fieldbus_of(network.kind) if network else None


def blocks_of(plant: Plant, catalogue: Catalogue, module: Module) -> list[Block]:
    """The octets of a module behind a station, or within another module, by area; none where nothing brings them."""
    there = root_of(plant.find, plant.get(module.rail, Rail))
    if isinstance(there.row, Station):
        behind = blocks_behind(plant, catalogue, there.row)
    else:
        behind = _blocks_within(plant, catalogue, there.within) if there.within else []
    return [block for block in behind if block.holder == module.id]


def _blocks_within(plant: Plant, catalogue: Catalogue, within: str) -> list[Block]:
    """The octets of what hangs on a module of a controller's rail."""
    device = catalogue.find(plant.get(within, Module).type)
    if device is None:
        return []
    inner = tuple(plant_seated(plant, catalogue.find, within, device))
    masters = list(plant_ports(plant, catalogue.find, within, device, inner, module=True))
    return list(with_ports(with_nested((), [SeatedModule(within, device, inner)]), masters, ()).values())


def blocks_behind(plant: Plant, catalogue: Catalogue, station: Station) -> list[Block]:
    """The octets of all that hangs behind a station, on its rail and on the ports of masters."""
    bus = bus_of_station(plant, station)
    if bus is None or not plant.children(Rail, station.id):
        return []
    device = catalogue.find(station.type)
    modules = list(plant_seated(plant, catalogue.find, station.id, device))
    lines = plant_lines(plant, catalogue, station)
    laid = with_nested(bus.lay(modules, lines), modules) if bus.lay else {}
    masters = list(plant_ports(plant, catalogue.find, station.id, device, modules))
    wires = [
        (exchange, bus.layout(exchange, line))
        for line in lines if masters and not is_request(line.connection) for exchange in line.exchanges
    ]  # fmt: skip
    return list(with_ports(laid, masters, wires).values()) if masters else list(laid.values())
