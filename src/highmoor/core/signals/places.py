"""The places a signal can be linked to: channels of modules, pieces of exchanges, status bits."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from highmoor.core.analysis.engine import Reader
from highmoor.core.datatypes import Order
from highmoor.core.hardware.mounting import root_of, terminals
from highmoor.core.hardware.parts import RailMounting
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.blocks import Block, travelling_order
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import UnitKey
from highmoor.core.networks.fieldbus import WireField, WireLayout
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Network, Port, Station
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY, beside_of


@dataclass(frozen=True, slots=True)
class Place:
    """A place found: `bits` from offset `bit` within its holder's octets of `area`.

    `room` is how many bits a value may take from there on: a 32-bit value runs over two registers. `order` is how a
    value's octets stand there, "" where the link says so. A `remote` channel, whose octets lie in something else's, has
    a `carrier`, the exchange (or on a controller's rail the module) that brings it, and `bit` then counts in that one's
    octets; without one nobody brings it.
    """

    holder: str
    label: str
    area: Literal["in", "out"]
    bit: int
    bits: int
    kind: str
    terminals: str = ""
    room: int = 0
    order: Order | Literal[""] = ""
    carrier: str = ""
    remote: bool = False
    far: bool = False


def place_of(reader: Reader, holder: str, at: At) -> Place | None:
    """The place within its holder, None when the holder has no such."""
    row = reader.find(holder)
    if isinstance(row, Module):
        return _channel(reader, row, at.key) if at == At(at.key) else None
    if isinstance(row, Exchange):
        return _far(reader, row, at) if at.end == "partner" else _near(reader, row, at)
    return None


def place_of_link(reader: Reader, link: Link) -> Place | None:
    """Where a link leads."""
    return place_of(reader, link.place, At.of(link))


def _channel(reader: Reader, module: Module, key: str) -> Place | None:
    device = reader.type(module.type)
    channel = device.channel(key) if device else None
    if device is None or channel is None:
        return None
    mounting: RailMounting = reader.part("rail.mounting", module.rail)
    slot = mounting.slots.get(module.id, 0)
    place = Place(
        module.id,
        f"{module.designation or device.name} slot {slot}, channel {channel.number}",
        "in" if channel.group.inward else "out",
        channel.bit,
        channel.group.bits,
        channel.group.kind,
        terminals(channel.terminals, slot),
        channel.group.bits,
        "DCBA" if device.octet_order == "little" else "",
    )
    if mounting.station:
        station: Station = reader.row(mounting.station, Station)
        place = replace(place, label=f"{station.name}: {place.label}")
    return _carried(place, block_of(reader, mounting, module.id, place.area)) if mounting.carried else place


def block_of(reader: Reader, mounting: RailMounting, module: str, area: Area) -> Block | None:
    """What brings the octets of a module on a rail that is `carried`; None where nothing does."""
    by, root = ("station.blocks", mounting.station) if mounting.station else ("module.blocks", mounting.within)
    found: Block | None = reader.item(by, root, f"{module}.{area}")
    return found


def _carried(place: Place, block: Block | None) -> Place:
    """The same channel as it stands in what brings its octets: an exchange, or the module it hangs on."""
    nowhere = replace(place, remote=True)
    first = place.bit // 8
    spots = block.spots[first : first + max(place.bits // 8, 1)] if block else ()
    there = [spot for spot in spots if spot is not None]
    order = travelling_order(there, place.order or "ABCD") if there and len(there) == len(spots) else None
    if order is None:
        return nowhere
    octet = min(spot.octet for spot in there)
    # Where the link says how a value stands, it says so of the holder's own octets.
    kept = place.order if len(there) == 1 or order == (place.order or "ABCD") else order
    return replace(nowhere, bit=8 * octet + place.bit % 8, order=kept, carrier=there[0].holder)


def _far(reader: Reader, exchange: Exchange, at: At) -> Place | None:
    """The same piece as it lies in the partner's image, where data goes the other way."""
    station = _station_of(reader, exchange)
    near = _near(reader, exchange, replace(at, end="own")) if station and station.partner else None
    if near is None or near.kind in BY_KEY:
        return None
    network: Network | None = reader.find(station.network) if station else None
    owner = _controller_of_network(reader, network)
    asks: Controller | None = reader.find(owner)
    _, _, piece = near.label.partition(": ")
    label = f"{asks.name if asks else 'nobody'}, {exchange.name}: {piece}"
    return replace(near, label=label, area="out" if near.area == "in" else "in", far=True)


def _station_of(reader: Reader, exchange: Exchange) -> Station | None:
    connection: Connection | None = reader.find(exchange.connection)
    station: Station | None = reader.find(connection.station) if connection else None
    return station


def _near(reader: Reader, exchange: Exchange, at: At) -> Place | None:
    connection = reader.find(exchange.connection)
    station = reader.find(connection.station) if connection else None
    name = f"{station.name if station else ''}, {exchange.name}"
    wire: WireLayout = reader.part("exchange.wire", exchange.id)
    beside = BY_KEY.get(at.way)
    if beside is not None:
        if at.key or beside not in beside_of(wire):
            return None
        label = f"{name}: {beside.label}"
        return Place(exchange.id, label, beside.area, 0, beside.bits, beside.key, room=beside.bits, order="ABCD")
    return _back(exchange, wire, at.key, name) if at.way == "back" else _of_wire(exchange, wire, at.key, name)


def _of_wire(exchange: Exchange, wire: WireLayout, key: str, name: str) -> Place | None:
    """A piece, or a bit of one, by its key."""
    total = 8 * wire.octets
    piece = next((p for p in wire.pieces if p.key == key), None)
    named = UnitKey.of(key)
    if piece is None and named and named.bit is not None:
        whole, bit = _piece_at(wire, wire.counting.key(named.unit)), named.bit
        if whole is None or bit >= whole.bits or named.letter != wire.counting.letter:
            return None
        offset = whole.bit + wire.counting.offset(bit, whole.bits)
        label = f"{name}: {whole.label} bit {bit}"
        return Place(exchange.id, label, exchange.direction, offset, 1, "bit", room=1)
    piece = piece or _piece_at(wire, key)
    if piece is None:
        return None
    single = named is None or named.bit is not None or wire.counting.bits == 1
    kind = "bit" if single else "value"
    return Place(
        exchange.id,
        f"{name}: {piece.label}",
        exchange.direction,
        piece.bit,
        piece.bits,
        kind,
        room=total - piece.bit,
    )


def _back(exchange: Exchange, wire: WireLayout, key: str, name: str) -> Place | None:
    """A piece that goes the other way in the same transaction."""
    there = replace(wire, pieces=wire.back, octets=wire.back_octets, bits=8 * wire.back_octets)
    found = _of_wire(exchange, there, key, name)
    return replace(found, area="out" if found.area == "in" else "in") if found else None


def _piece_at(wire: WireLayout, key: str) -> WireField | None:
    """The piece of this key; any unit of an exchange where every one can be named, whatever its file names there."""
    found = next((p for p in wire.pieces if p.key == key), None)
    counting, named = wire.counting, UnitKey.of(key)
    if found or named is None or named.bit is not None or not counting.every or named.letter != counting.letter:
        return found
    first = counting.bits * named.unit
    inside = first + counting.bits <= 8 * wire.octets
    return WireField(key, f"octet {named.unit}", first, counting.bits) if inside else None


def controller_of(reader: Reader, holder: str, *, far: bool = False) -> str | None:
    """The controller in whose image a holder's data lies, None for none; `far`: that of an exchange's other end."""
    row = reader.find(holder)
    if far:
        station = _station_of(reader, row) if isinstance(row, Exchange) else None
        return station.partner if station and reader.find(station.partner) else None
    if isinstance(row, Module):
        head = root_of(reader.find, reader.find(row.rail)).row
        if isinstance(head, Station):
            return _controller_of_network(reader, reader.find(head.network))
        return head.id if head else None
    if isinstance(row, Exchange):
        return _controller_of_network(reader, network_of(reader, row))
    return None


def _controller_of_network(reader: Reader, network: Network | None) -> str | None:
    port: Port | None = reader.find(network.port) if network else None
    controller = controller_of_port(reader.find, port)
    return controller.id if controller else None


def network_of(reader: Reader, exchange: Exchange) -> Network | None:
    """The network an exchange travels over."""
    station = station_of(reader, exchange)
    network: Network | None = reader.find(station.network) if station else None
    return network


def station_of(reader: Reader, exchange: Exchange) -> Station | None:
    """The station an exchange belongs to."""
    connection: Connection | None = reader.find(exchange.connection)
    station: Station | None = reader.find(connection.station) if connection else None
    return station
