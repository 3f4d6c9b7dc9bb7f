"""The connections of a network as the analysis reads them, each with its exchanges and its station's type."""

from __future__ import annotations

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks.blocks import plant_seated, seated
from highmoor.core.networks.line import Line
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Network, Station


def lines_of(reader: Reader, network: str) -> tuple[Line, ...]:
    """Every connection of a network with its exchanges, in route order."""
    lines: tuple[Line, ...] | None = reader.part("network.lines", network)
    return lines or ()


def asked_lines(reader: Reader, network: str) -> tuple[Line, ...]:
    """Those of them that the controller exchanges with: what is switched off is left out."""
    lines: tuple[Line, ...] | None = reader.part("network.asked-lines", network)
    return lines or ()


def _asked_lines(reader: Reader, root: str) -> tuple[Line, ...]:
    """Once for the many who ask."""
    return tuple(line for line in lines_of(reader, root) if not line.parked)


def station_lines(reader: Reader, station: Station) -> list[Line]:
    """Every connection of a station with its exchanges."""
    lines = (connection_line(reader, connection) for connection in reader.children(Connection, station.id))
    return [line for line in lines if line is not None]


def plant_lines(plant: Plant, catalogue: Catalogue, station: Station) -> list[Line]:
    """The same of a plant that nobody analyses."""
    return [plant_line(plant, catalogue, station, each) for each in plant.children(Connection, station.id)]


def plant_line(plant: Plant, catalogue: Catalogue, station: Station, connection: Connection) -> Line:
    """One of them. The station may be one with its address at hand that the plant has without."""
    device = catalogue.find(station.type)
    kind = plant.get(station.network, Network).kind
    modules = tuple(plant_seated(plant, catalogue.find, station.id, device)) if _with_modules(kind) else ()
    return Line(station, connection, tuple(plant.children(Exchange, connection.id)), device, modules)


def _with_modules(kind: str) -> bool:
    # Here, because the folders of the fieldbuses read lines themselves.
    from highmoor.core.networks import fieldbus_of

    bus = fieldbus_of(kind)
    return bus is not None and bus.with_modules


def line_of(reader: Reader, exchange: Exchange) -> Line | None:
    """The connection an exchange belongs to, with its siblings; None where it hangs on none."""
    connection: Connection | None = reader.find(exchange.connection)
    return connection_line(reader, connection) if connection else None


def connection_line(reader: Reader, connection: Connection) -> Line | None:
    """A connection with its exchanges; None where its station is gone."""
    line: Line | None = reader.part("connection.line", connection.id)
    return line


def _line(reader: Reader, root: str) -> Line | None:
    """One for all who ask, so that what follows from it is worked out once."""
    connection = reader.row(root, Connection)
    station: Station | None = reader.find(connection.station)
    if station is None:
        return None
    modules = tuple(seated(reader, station.id)) if _with_modules(kind_of(reader, station)) else ()
    return Line(station, connection, tuple(reader.children(Exchange, root)), reader.type(station.type), modules)


def _network_lines(reader: Reader, root: str) -> tuple[Line, ...]:
    lines = (reader.part("connection.line", connection) for connection in connections_of(reader, root))
    return tuple(line for line in lines if line is not None)


def connections_of(reader: Reader, network: str) -> tuple[str, ...]:
    """The ids of a network's connections in route order; what is set of them is not looked at."""
    found: tuple[str, ...] = reader.part("network.connections", network)
    return found


def _network_connections(reader: Reader, root: str) -> tuple[str, ...]:
    of_stations = reader.index(Connection, "station")
    return tuple(c for station in reader.children(Station, root) for c in of_stations.get(station.id, ()))


def kind_at(reader: Reader, row_id: str) -> str:
    """The kind of network that a row of one belongs to, "" for what belongs to none."""
    row = reader.find(row_id)
    if isinstance(row, Exchange):
        row = reader.find(row.connection)
    if isinstance(row, Connection):
        row = reader.find(row.station)
    if isinstance(row, Station):
        return kind_of(reader, row)
    return row.kind if isinstance(row, Network) else ""


def kind_of(reader: Reader, station: Station) -> str:
    """The kind of network a station is on; what else is set of that is not looked at."""
    kind: str = reader.value(station.network, Network, "kind")
    return kind


PARTS: tuple[Part, ...] = (
    Part("connection.line", "connections", _line, asked=True),
    Part("network.connections", "networks", _network_connections, asked=True),
    Part("network.lines", "networks", _network_lines, asked=True),
    Part("network.asked-lines", "networks", _asked_lines, asked=True),
)
