"""What is told of a connection, and of a station's connections, whatever their fieldbus."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.fieldbus import ConnectionKind, ExchangeOffer, Fact
from highmoor.core.networks.lines import connection_line, kind_of
from highmoor.core.plant.rows import Connection, Network, Station


@dataclass(frozen=True, slots=True)
class ConnectionFacts:
    """What follows from a connection, line by line; which exchanges it can still be given; whether they go singly."""

    facts: tuple[Fact, ...]
    offers: tuple[ExchangeOffer, ...] = ()
    apart: bool = True


@dataclass(frozen=True, slots=True)
class StationKinds:
    """The kinds of connection a station can be given; none where it has one, to which exchanges are added."""

    kinds: tuple[ConnectionKind, ...]


def _kinds(reader: Reader, root: str) -> StationKinds:
    station = reader.row(root, Station)
    bus, device = fieldbus_of(kind_of(reader, station)), reader.type(station.type)
    passes = device is not None and device.passes_on
    return StationKinds(bus.connection_kinds(device) if bus and not passes else ())


def _facts(reader: Reader, root: str) -> ConnectionFacts:
    line = connection_line(reader, reader.row(root, Connection))
    bus = fieldbus_of(kind_of(reader, line.station)) if line else None
    if bus is None or line is None:
        return ConnectionFacts(())
    return ConnectionFacts(bus.facts(line), bus.offers(line), bus.apart(line))


@dataclass(frozen=True, slots=True)
class ToldWrite:
    """What is written at the start, its octets spelled."""

    when: str
    reference: str
    octets: str
    count: int
    source: str
    reason: str
    node: str


@dataclass(frozen=True, slots=True)
class ConnectionStartup:
    """All that is written in a device over a connection before its data counts, in order."""

    writes: tuple[ToldWrite, ...]


def _startup(reader: Reader, root: str) -> ConnectionStartup:
    line = connection_line(reader, reader.row(root, Connection))
    network: Network | None = reader.find(line.station.network) if line else None
    bus = fieldbus_of(network.kind) if network else None
    writes = bus.startup(network, line) if bus and network and line else ()
    return ConnectionStartup(
        tuple(
            ToldWrite(
                one.when,
                one.reference,
                one.octets.hex(" ").upper(),
                len(one.octets),
                one.source,
                one.reason,
                one.node or (line.station.id if line else ""),
            )
            for one in writes
        )
    )


PARTS: tuple[Part, ...] = (
    Part("station.kinds", "stations", _kinds, shown=StationKinds),
    Part("connection.facts", "connections", _facts, shown=ConnectionFacts),
    Part("connection.startup", "connections", _startup, shown=ConnectionStartup, asked=True),
)
