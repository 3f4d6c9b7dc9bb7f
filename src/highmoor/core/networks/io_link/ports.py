"""The masters behind a head, with what is plugged into their ports, and all of it laid out."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from highmoor.core.analysis.engine import Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import Rows, Seat, TypeSource, is_ports, seats
from highmoor.core.hardware.parts import rail_seats
from highmoor.core.networks.blocks import Block, SeatedModule, followed
from highmoor.core.networks.carried import Area
from highmoor.core.networks.io_link.layout import PortRail, Wires, blocks_of_ports, layout_of
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Connection, Exchange, Module, Rail

# The seats of a rail on a head of a type.
SeatsOf = Callable[[Rail, DeviceType | None], Sequence[Seat]]


def ports_behind(
    reader: Reader, head: str, device: DeviceType | None, own: Sequence[SeatedModule], *, module: bool = False
) -> Iterator[PortRail]:
    """The masters' ports of a head and of the modules on its bus (`own`)."""
    yield from _masters(reader, lambda rail, _: rail_seats(reader, rail), (head, device, own), module=module)


def plant_ports(
    rows: Rows, type_of: TypeSource, head: str, device: DeviceType | None, own: Sequence[SeatedModule], *,
    module: bool = False,
) -> Iterator[PortRail]:  # fmt: skip
    """The same of a plant that nobody analyses."""

    def seats_of(rail: Rail, kind: DeviceType | None) -> Sequence[Seat]:
        return seats(rail, rows.children(Module, rail.id), kind, type_of)

    yield from _masters(rows, seats_of, (head, device, own), module=module)


def _masters(
    rows: Rows, seats_of: SeatsOf, of: tuple[str, DeviceType | None, Sequence[SeatedModule]], *, module: bool
) -> Iterator[PortRail]:
    head, device, own = of
    for rail in rows.children(Rail, head):
        if is_ports(rail):
            yield PortRail(rail, head, device, tuple(_plugged(seats_of(rail, device))), tuple(own), module)
    for inner in own:
        yield from _masters(rows, seats_of, (inner.id, inner.type, inner.modules), module=True)


def _plugged(there: Sequence[Seat]) -> Iterator[SeatedModule]:
    for seat in there:
        if seat.module and seat.type:
            yield SeatedModule(seat.module.id, seat.type, (), seat.slot, seat.module.settings)


def station_wires(reader: Reader, station: str) -> Wires:
    """What a station's exchanges carry, but for what is only asked on demand."""
    return [
        (exchange, reader.part("exchange.wire", exchange.id))
        for connection in reader.children(Connection, station) if not is_request(connection)
        for exchange in reader.children(Exchange, connection.id)
    ]  # fmt: skip


def with_ports(laid: Mapping[str, Block], masters: Sequence[PortRail], wires: Wires) -> dict[str, Block]:
    """What is laid behind a head, with what is plugged into the masters there; every spot in what brings it."""
    blocks = dict(laid)
    for ports in masters:
        layout = layout_of(ports, wires, HolderOctets(laid, ports))
        blocks |= {f"{block.holder}.{block.area}": block for block in blocks_of_ports(ports, layout)}
    return followed(blocks)


class HolderOctets:
    """How many octets a holder has one way: as it is laid, or of the head itself as its type says."""

    def __init__(self, laid: Mapping[str, Block], ports: PortRail) -> None:
        self._laid, self._ports = laid, ports

    def __call__(self, holder: str, area: Area) -> int:
        block = self._laid.get(f"{holder}.{area}")
        if block:
            return block.octets
        device = self._ports.device if holder == self._ports.head else None
        return (device.in_octets if area == "in" else device.out_octets) if device else 0
