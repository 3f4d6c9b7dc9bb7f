"""The places a signal can be linked to: channels of modules, pieces of exchanges, status bits."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import takewhile
from typing import Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import IO_LINK_PORT, DeviceType
from highmoor.core.datatypes import Order
from highmoor.core.hardware.module_octets import module_octet
from highmoor.core.hardware.mounting import root_of, terminals
from highmoor.core.hardware.parts import RailMounting
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.hardware.safe_pairs import channel_label
from highmoor.core.networks.blocks import Block, Spot, travelling_order
from highmoor.core.networks.carried import AREAS, Area
from highmoor.core.networks.counting import Counting, UnitKey
from highmoor.core.networks.wire import WireField, WireLayout, stretches
from highmoor.core.plant.plant import table_of_id
from highmoor.core.plant.rows import (
    Connection,
    Controller,
    Exchange,
    Json,
    Link,
    Module,
    Network,
    Port,
    Rail,
    Station,
)
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY, beside_of


@dataclass(frozen=True, slots=True)
class Place:
    """A place found: `bits` from offset `bit` within its holder's octets of `area`.

    `within` is what it is called there, and `terminals` where it is wired, with `{slot}` for its module's slot: neither
    holds a name, so that a place is the same whatever is renamed or moved along (`in_words` gives both with them).
    `room` is how many bits a value may take from there on: a 32-bit value runs over two registers. `order` is how a
    value's octets stand there, "" where the link says so. A `remote` channel, whose octets lie in something else's, has
    a `carrier`, the exchange (or on a controller's rail the module) that brings it, and `bit` then counts in that one's
    octets; without one nobody brings it. A field that stands `high` octet first is counted as `WireField` has it.
    `controller` is the one in whose image it lies, "" for none; of the `far` end of an exchange, the partner.
    """

    holder: str
    within: str
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
    controller: str = ""
    high: bool = False

    def taken(self, bits: int) -> tuple[tuple[int, int], ...]:
        """Which bits a value of so many takes there, as (first, number)."""
        return stretches(self.bit, bits, high=self.high)

    @property
    def item(self) -> str:
        """The name in `controller.image` of what its octets lie in there."""
        if self.kind in BY_KEY:
            return f"{self.holder}.{self.kind}"
        return f"{self.carrier or self.holder}.{self.area}"


@dataclass(frozen=True, slots=True)
class RailPlace:
    """Where a rail's modules lie: in the image of a `controller`, or by way of a `station` or the module `within`."""

    controller: str
    station: str
    within: str

    @property
    def carried(self) -> bool:
        """Whether its modules' octets lie in something else's, and do not stand in the image by themselves."""
        return bool(self.station or self.within)


Places = Callable[[At], Place | None]


def places_of(reader: Reader, holder: str) -> Places:
    """What finds the places of a holder: read once, asked for as many as are linked there."""
    table = table_of_id(holder)
    if table == "modules":
        return _channels_of(reader, holder)
    return _pieces_of(reader, holder) if table == "exchanges" else lambda _: None


def place_of(reader: Reader, holder: str, at: At) -> Place | None:
    """The place within its holder, None when the holder has no such."""
    return places_of(reader, holder)(at)


def place_of_link(reader: Reader, link: Link) -> Place | None:
    """Where a link leads."""
    return place_of(reader, link.place, At.of(link))


def in_words(reader: Reader, place: Place) -> tuple[str, str]:
    """What a place is called, and its terminals."""
    row = reader.find(place.holder)
    if isinstance(row, Module):
        mounting: RailMounting = reader.part("rail.mounting", row.rail)
        device, slot = reader.type(row.type), mounting.slots.get(row.id, 0)
        seat = "port" if device and device.joins == IO_LINK_PORT else "slot"
        label = f"{row.designation or (device.name if device else row.type)} {seat} {slot}, {place.within}"
        if mounting.station:
            label = f"{reader.row(mounting.station, Station).name}: {label}"
        return label, terminals(place.terminals, slot)
    if not isinstance(row, Exchange):
        return place.within, ""
    station = station_of(reader, row)
    holder = station.name if station else ""
    if place.far:
        asks: Controller | None = reader.find(_controller_of_network(reader, network_of(reader, row)))
        holder = asks.name if asks else "nobody"
    return f"{holder}, {row.name}: {place.within}", ""


def _channels_of(reader: Reader, module: str) -> Places:
    device = reader.type(reader.value(module, Module, "type"))
    lies: RailPlace | None = reader.part("rail.place", reader.value(module, Module, "rail"))
    if device is None or lies is None:
        return lambda _: None
    # Only of safe channels does what they are called depend on what is set.
    settings: Json = reader.value(module, Module, "settings") if device.safety else {}

    def place(at: At) -> Place | None:
        if at.way != "data" or at.end != "own":
            return None
        found = _channel(device, module, at.key, lies, settings)
        if found is None:
            return _piece(reader, lies, module, at.key) if lies.carried else None
        return _carried(found, block_of(reader, lies, module, found.area)) if lies.carried else found

    return place


def _channel(device: DeviceType, module: str, key: str, lies: RailPlace, settings: Json) -> Place | None:
    order: Order | Literal[""] = "DCBA" if device.octet_order == "little" else ""
    channel = device.channel(key)
    if channel is None:
        octet = module_octet(device, key)
        return (
            None
            if octet is None
            else Place(
                module,
                octet.label,
                octet.area,
                8 * octet.octet,
                8,
                "value",
                "",
                8 * (octet.octets - octet.octet),
                order,
                controller=lies.controller,
            )
        )
    group = channel.group
    return Place(
        module, channel_label(device, settings, channel), "in" if group.inward else "out", channel.bit, group.bits,
        group.kind, channel.terminals, group.bits, order, controller=lies.controller,
    )  # fmt: skip


def _piece(reader: Reader, lies: RailPlace, module: str, key: str) -> Place | None:
    """A value of a module whose type has no channels, in whichever of its two areas it lies."""
    for area in AREAS:
        block = block_of(reader, lies, module, area)
        if block and (block.pieces or block.field_at):
            own = block.named(key)
            known = (own,) if own else block.pieces
            found = _Pieces(module, area, len(block.spots), known, block.counting).place(key, lies.controller)
            if found:
                return _carried(replace(found, order=found.order or block.order), block)
    return None


def block_of(reader: Reader, lies: RailPlace, module: str, area: Area) -> Block | None:
    """What brings the octets of a module on a rail that is `carried`; None where nothing does."""
    by, root = ("station.blocks", lies.station) if lies.station else ("module.blocks", lies.within)
    found: Block | None = reader.item(by, root, f"{module}.{area}")
    return found


def _carried(place: Place, block: Block | None) -> Place:
    """The same channel as it stands in what brings its octets: an exchange, or the module it hangs on."""
    nowhere = replace(place, remote=True)
    first, behind = place.bit // 8, (place.bit + place.bits + 7) // 8
    spots = block.spots[first:behind] if block else ()
    if block and place.room > place.bits:
        nowhere = replace(nowhere, room=8 * (behind + _as_they_come(block.spots[behind - 1 :])) - place.bit)
    there = [spot for spot in spots if spot is not None]
    order = travelling_order(there, place.order or "ABCD") if there and len(there) == len(spots) else None
    if order is None:
        return nowhere
    octet = min(spot.octet for spot in there)
    if place.high and is_field(place) and len(there) > 1:
        # Among others it stands as it travels, or nowhere.
        low = order == "DCBA"
        found = replace(nowhere, bit=8 * octet + place.bit % 8, order=order, carrier=there[0].holder, high=not low)
        return found if low or order == "ABCD" else nowhere
    # Where the link says how a value stands, it says so of the holder's own octets.
    kept = place.order if len(there) == 1 or order == (place.order or "ABCD") else order
    return replace(nowhere, bit=8 * octet + place.bit % 8, order=kept, carrier=there[0].holder)


def _as_they_come(spots: Sequence[Spot | None]) -> int:
    """How many octets behind the first travel behind it, in the same order and in the same exchange."""
    first = spots[0] if spots else None
    if first is None:
        return 0
    one_behind_the_other = (spot == Spot(first.holder, first.octet + n) for n, spot in enumerate(spots))
    return sum(takewhile(bool, one_behind_the_other)) - 1


def _pieces_of(reader: Reader, exchange: str) -> Places:
    wire: WireLayout = reader.part("exchange.wire", exchange)
    own, partner = reader.part("exchange.controllers", exchange)
    direction: Area = reader.value(exchange, Exchange, "direction")
    opposite: Area = "out" if direction == "in" else "in"
    ways = {
        "data": _Pieces(exchange, direction, wire.octets, wire.pieces, wire.counting),
        "back": _Pieces(exchange, opposite, wire.back_octets, wire.back, wire.counting),
    }
    besides = {beside.key: beside for beside in beside_of(wire)}

    def place(at: At) -> Place | None:
        if at.way in BY_KEY:
            beside = besides.get(at.way)
            if beside is None or at.key or at.end == "partner":
                return None
            bits = beside.bits
            return Place(exchange, beside.label, beside.area, 0, bits, beside.key, "", bits, "ABCD", controller=own)
        near = ways[at.way].place(at.key, own)
        if near is None or at.end == "own":
            return near
        # The same piece as it lies in the partner's image, where data goes the other way.
        area: Area = "out" if near.area == "in" else "in"
        return replace(near, area=area, far=True, controller=partner) if partner else None

    return place


class _Pieces:
    """The pieces of an exchange's octets one way, by their keys."""

    def __init__(self, exchange: str, area: Area, octets: int, pieces: Iterable[WireField], counting: Counting) -> None:
        self._exchange, self._area, self._bits, self._counting = exchange, area, 8 * octets, counting
        self._pieces = {piece.key: piece for piece in pieces}

    def place(self, key: str, controller: str) -> Place | None:
        """A piece, or a bit of one."""
        counting = self._counting
        piece, named = self._pieces.get(key), UnitKey.of(key)
        before, _, digits = key.rpartition(".")
        if piece is None and before and digits.isdecimal() and len(digits) < 3:
            unit, bit = UnitKey.of(before), int(digits)
            whole = self._piece(unit.text if unit else before, unit)
            if whole is None or bit >= whole.bits:
                return None
            offset = _bit_of(whole, bit) if whole.high else whole.bit + counting.offset(bit, whole.bits)
            return Place(
                self._exchange, f"{whole.label} bit {bit}", self._area, offset, 1, "bit", room=1, controller=controller
            )
        piece = piece or self._piece(key, named)
        if piece is None:
            return None
        single = piece.bits == 1 or counting.bits == 1 or (named is not None and named.bit is not None)
        kind = "bit" if single else "value"
        room = piece.bits if piece.high else self._bits - piece.bit
        return Place(
            self._exchange, piece.label, self._area, piece.bit, piece.bits, kind, room=room, controller=controller,
            high=piece.high and piece.bits > 1,
        )  # fmt: skip

    def _piece(self, key: str, named: UnitKey | None) -> WireField | None:
        """Any unit of an exchange where every one can be named, whatever its file names there."""
        found, counting = self._pieces.get(key), self._counting
        if found or named is None or named.bit is not None or not counting.every or named.letter != counting.letter:
            return found
        first = counting.bits * named.unit
        inside = first + counting.bits <= self._bits
        return WireField(key, f"octet {named.unit}", first, counting.bits) if inside else None


def _bit_of(whole: WireField, bit: int) -> int:
    """Where a bit of a field that stands high octet first lies, counted from the field's lowest."""
    octets = (whole.bit % 8 + whole.bits + 7) // 8
    up = whole.bit % 8 + bit
    return 8 * (whole.bit // 8 + octets - 1 - up // 8) + up % 8


def is_field(place: Place) -> bool:
    """Whether a place is a field among others within its octets: not of whole octets, not beginning with one, or one
    of a device that counts all its data so."""
    return place.bits > 1 and bool(place.high or place.bits % 8 or place.bit % 8)


def controller_of(reader: Reader, holder: str, *, far: bool = False) -> str | None:
    """The controller in whose image a holder's data lies, None for none; `far`: that of an exchange's other end."""
    row = reader.find(holder)
    if far:
        station = station_of(reader, row) if isinstance(row, Exchange) else None
        return station.partner if station and reader.find(station.partner) else None
    if isinstance(row, Module):
        lies: RailPlace | None = reader.part("rail.place", row.rail)
        return lies.controller or None if lies else None
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


def _controllers(reader: Reader, root: str) -> tuple[str, str]:
    """The controllers in whose images an exchange lies: that which asks, and the partner, "" for none."""
    exchange = reader.row(root, Exchange)
    station = station_of(reader, exchange)
    own = _controller_of_network(reader, network_of(reader, exchange)) or ""
    return own, station.partner or "" if station and reader.find(station.partner) else ""


def _rail_place(reader: Reader, root: str) -> RailPlace:
    there = root_of(reader.find, reader.row(root, Rail))
    if isinstance(there.row, Station):
        return RailPlace(
            _controller_of_network(reader, reader.find(there.row.network)) or "", there.station, there.within
        )
    return RailPlace(there.row.id if there.row else "", "", there.within)


PARTS: tuple[Part, ...] = (
    Part("rail.place", "rails", _rail_place, asked=True),
    Part("exchange.controllers", "exchanges", _controllers, asked=True),
)
