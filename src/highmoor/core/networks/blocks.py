"""What is behind a station, octet by octet: in which exchange each travels, and where there.

A fieldbus lays its stations' modules out; what lies within another holder's octets (a port device within its master's)
is followed from one to the next until an exchange brings it. Nothing behind this knows of any fieldbus's rules.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.datatypes import ORDERS, Order, high_octet_first
from highmoor.core.hardware.mounting import Rows, TypeSource, own_rails, seats
from highmoor.core.hardware.parts import rail_seats
from highmoor.core.networks.carried import Area
from highmoor.core.networks.counting import OCTETS, Counting
from highmoor.core.networks.wire import WireField
from highmoor.core.plant.rows import Connection, Exchange, Json, Module, Station


@dataclass(frozen=True, slots=True)
class Spot:
    """Where an octet travels: in which exchange, or within which other holder's octets, and in which of them."""

    holder: str
    octet: int


@dataclass(frozen=True, slots=True)
class Block:
    """One area of a holder's octets (a module's), each with its spot, None for one that nothing brings.

    `words` is where it stands as the trade writes it. `pieces` are its values where its type has no channels, by keys
    of their own; how single octets and bits are called is the `counting`, and in what order a value of several octets
    stands there the `order`. `data` is how many of its octets are its own, where others follow of which it has but a
    bit; None for all. What can be named by any of its bits has them `field_at`.
    """

    holder: str
    area: Area
    spots: tuple[Spot | None, ...]
    words: str = ""
    pieces: tuple[WireField, ...] = ()
    counting: Counting = OCTETS
    order: Order = "DCBA"
    data: int | None = None
    field_at: Callable[[str], WireField | None] | None = None

    @property
    def octets(self) -> int:
        """How many octets of data it has."""
        return len(self.spots) if self.data is None else self.data

    def named(self, key: str) -> WireField | None:
        """One of its values, or a field of its bits."""
        told = next((piece for piece in self.pieces if piece.key == key), None)
        return told or (self.field_at(key) if self.field_at else None)

    @property
    def carrier(self) -> str:
        """The exchange that brings all of it, "" where none does."""
        holders = {spot.holder if spot else "" for spot in self.spots}
        return next(iter(holders)) if len(holders) == 1 else ""

    @property
    def first(self) -> int:
        """The first of its octets in what brings it."""
        return min(spot.octet for spot in self.spots if spot)


@dataclass(frozen=True, slots=True)
class SeatedModule:
    """A module behind a head in order, with its type, its slot, what is set on it, what hangs on rails of its own."""

    id: str
    type: DeviceType
    modules: tuple[SeatedModule, ...] = ()
    slot: int = 0
    settings: Json = field(default_factory=dict)


def seated(reader: Reader, head: str) -> Iterator[SeatedModule]:
    """The modules on a head's bus, in slot order."""
    for rail in own_rails(reader, head):
        for seat in rail_seats(reader, rail):
            if seat.module and seat.type:
                yield _seated(seat.module, seat.type, seat.slot, tuple(seated(reader, seat.module.id)))


def plant_seated(rows: Rows, type_of: TypeSource, head: str, device: DeviceType | None) -> Iterator[SeatedModule]:
    """The same of a plant that nobody analyses; `device` is the head's type."""
    for rail in own_rails(rows, head):
        for seat in seats(rail, rows.children(Module, rail.id), device, type_of):
            if seat.module and seat.type:
                within = tuple(plant_seated(rows, type_of, seat.module.id, seat.type))
                yield _seated(seat.module, seat.type, seat.slot, within)


def _seated(row: Module, device: DeviceType, slot: int, within: tuple[SeatedModule, ...]) -> SeatedModule:
    return SeatedModule(row.id, device, within, slot, row.settings)


def nested(module: SeatedModule) -> Iterator[Block]:
    """What hangs on a module lies one behind the other within its octets, from the first on."""
    ends: dict[Area, int] = {"in": 0, "out": 0}
    has: dict[Area, int] = {"in": module.type.in_octets, "out": module.type.out_octets}
    for inner in module.modules:
        sizes: tuple[tuple[Area, int], ...] = (("in", inner.type.in_octets), ("out", inner.type.out_octets))
        for area, octets in sizes:
            if octets:
                first = ends[area]
                ends[area] += octets
                spots = (Spot(module.id, n) if n < has[area] else None for n in range(first, first + octets))
                yield Block(inner.id, area, tuple(spots), f"octet {first} of its head")
        yield from nested(inner)


def with_nested(laid: Iterable[Block], modules: Iterable[SeatedModule]) -> dict[str, Block]:
    """By `HOLDER.AREA`: what is laid, and what hangs on modules where nobody laid that."""
    blocks = {f"{block.holder}.{block.area}": block for module in modules for block in nested(module)}
    return blocks | {f"{block.holder}.{block.area}": block for block in laid}


def exchanges_of(reader: Reader, station: Station) -> list[Exchange]:
    """A station's exchanges in route order."""
    connections = reader.children(Connection, station.id)
    return [exchange for connection in connections for exchange in reader.children(Exchange, connection.id)]


def followed(blocks: Mapping[str, Block]) -> dict[str, Block]:
    """The same with every spot in an exchange: what lies within another holder lies where that one's octet does."""

    def end(spot: Spot | None, area: Area) -> Spot | None:
        # As many steps as there are blocks: what lies within itself lies nowhere.
        for _ in range(len(blocks) + 1):
            within = blocks.get(f"{spot.holder}.{area}") if spot else None
            if spot is None or within is None:
                return spot
            spot = within.spots[spot.octet] if spot.octet < len(within.spots) else None
        return None

    return {
        key: replace(block, spots=tuple(end(spot, block.area) for spot in block.spots)) for key, block in blocks.items()
    }


def travelling_order(spots: Sequence[Spot], own: Order) -> Order | None:
    """In what order a value stands where it travels, that stands in its holder's octets in its `own`; None for none.

    The spots are those of its octets in the holder's order, and must lie side by side in one exchange.
    """
    places = sorted(spot.octet for spot in spots)
    if len({spot.holder for spot in spots}) != 1 or places != list(range(places[0], places[0] + len(spots))):
        return None
    octets = bytes(range(len(spots)))
    meant = high_octet_first(octets, own)
    travels = bytes(n for _, n in sorted((spot.octet, n) for n, spot in enumerate(spots)))
    return next((order for order in (own, *ORDERS) if high_octet_first(travels, order) == meant), None)  # type: ignore[misc]
