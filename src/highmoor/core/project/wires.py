"""What the rows of a network stand in, and what an exchange carries, asked of a plant without its analysis."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.datatypes import Order
from highmoor.core.hardware.mounting import root_of
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.blocks import Block, plant_seated, with_nested
from highmoor.core.networks.fieldbus import Around, Fieldbus
from highmoor.core.networks.lines import plant_line, plant_lines
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
    """The octets of a module behind a station, by area; none where nothing brings them."""
    station: Station | None = plant.find(root_of(plant.find, plant.get(module.rail, Rail)).station)
    if station is None:
        return []
    return [block for block in blocks_behind(plant, catalogue, station) if block.holder == module.id]


def blocks_behind(plant: Plant, catalogue: Catalogue, station: Station) -> list[Block]:
    """The octets of all modules behind a station; none where its fieldbus carries none."""
    bus = bus_of_station(plant, station)
    if bus is None or bus.lay is None:
        return []
    modules = list(plant_seated(plant, catalogue.find, station.id, catalogue.find(station.type)))
    return list(with_nested(bus.lay(modules, plant_lines(plant, catalogue, station)), modules).values())
