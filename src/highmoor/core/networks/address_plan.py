"""All addresses of a plant at a glance: a field of 256 for each IPv4 block in use, a ruler for each line of numbers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network
from typing import Literal

from highmoor.core.hardware.ethernet import interface
from highmoor.core.hardware.ports import all_ports, port_label
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.addressing import Numbers, ipv4_of
from highmoor.core.networks.numbering import exception_of
from highmoor.core.networks.partners import ports_of_controller
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Network, Station


@dataclass(frozen=True, slots=True)
class AddressOwner:
    """Who has an address: a port or a station."""

    id: str
    label: str


@dataclass(frozen=True, slots=True)
class AddressCell:
    """An address that is not free: whose it is (two owners collide), or why nobody can have it.

    `ruled` is the address that the network's numbering rule has for its owner, where that is another one.
    """

    number: int
    address: str
    owners: tuple[AddressOwner, ...]
    reserved: str = ""
    ruled: str = ""


@dataclass(frozen=True, slots=True)
class FreeGap:
    """A free stretch: its first address and how many there are in a row."""

    address: str
    number: int
    count: int


@dataclass(frozen=True, slots=True)
class HandedOut:
    """The numbers of a field from which a network's controller hands out addresses."""

    network: str
    low: int
    high: int


@dataclass(frozen=True, slots=True)
class AddressField:
    """One field: `kind` grid counts 0–255 within a block, ruler counts stations' numbers from `low` to `high`.

    `networks` are those whose stations lie here; `block` is the first stretch of as many as were asked, None where
    there is none, `short` the free stretches before it that are too short.
    """

    kind: Literal["grid", "ruler"]
    span: str
    networks: tuple[AddressOwner, ...]
    low: int
    high: int
    cells: tuple[AddressCell, ...]
    free: int
    block: FreeGap | None
    short: tuple[FreeGap, ...]
    handed_out: tuple[HandedOut, ...] = ()


def address_plan(plant: Plant, room: int) -> list[AddressField]:
    """Every field of the plant, with a block for `room` more."""
    fields = [*_blocks(plant, room)]
    for network in plant.all(Network):
        bus = fieldbus_of(network.kind)
        if bus and isinstance(bus.addresses, Numbers):
            fields.append(_ruler(plant, network, bus.addresses, room))
    return fields


def _blocks(plant: Plant, room: int) -> Iterable[AddressField]:
    """A field for each /24 (or smaller subnet) that has a port's or a station's address in it."""
    owners: dict[IPv4Address, list[AddressOwner]] = {}
    subnets: dict[IPv4Network, list[AddressOwner]] = {}
    for _, port in all_ports(plant):
        own = interface(port.address, port.mask)
        if own is None:
            continue
        owners.setdefault(own.ip, []).append(AddressOwner(port.id, port_label(plant.find, port)))
        here = subnets.setdefault(own.network, [])
        here += (AddressOwner(i, plant.get(i, Network).name) for i in plant.referring("networks", "port", port.id))
    for station in plant.all(Station):
        bus = fieldbus_of(plant.get(station.network, Network).kind)
        # A controller that another one asks is the same device as its port.
        is_port = any(port.address == station.address for port in ports_of_controller(plant, station.partner or ""))
        if bus and bus.medium.has_ip and not is_port and (address := ipv4_of(station.address)):
            owners.setdefault(address, []).append(AddressOwner(station.id, station.name))
    told: set[IPv4Network] = set()
    for subnet in sorted(subnets):
        for block in sorted({_block_of(subnet, a) for a in owners if a in subnet}):
            if block not in told:
                told.add(block)
                yield _grid(plant, subnet, block, owners, tuple(dict.fromkeys(subnets[subnet])), room)


def _block_of(subnet: IPv4Network, address: IPv4Address) -> IPv4Network:
    return subnet if subnet.prefixlen >= 24 else IPv4Network((int(address) & ~0xFF, 24))


def _grid(
    plant: Plant, subnet: IPv4Network, block: IPv4Network, owners: dict[IPv4Address, list[AddressOwner]],
    networks: tuple[AddressOwner, ...], room: int,
) -> AddressField:  # fmt: skip
    reserved: dict[int, str] = {}
    if subnet.prefixlen < 31:
        for address, why in (
            (subnet.network_address, "names the subnet"),
            (subnet.broadcast_address, "everybody in the subnet"),
        ):
            if address in block:
                reserved[int(address) & 0xFF] = why
    used = {int(a) & 0xFF: (str(a), tuple(o)) for a, o in owners.items() if a in block}
    base = int(block.network_address)
    low, high = base & 0xFF, int(block.broadcast_address) & 0xFF
    made = _field(
        plant, "grid", str(block), networks, low, high, used, reserved, room, lambda n: str(IPv4Address(base - low + n))
    )
    return replace(made, handed_out=tuple(_handed_out(plant, networks, block)))


def _handed_out(plant: Plant, networks: tuple[AddressOwner, ...], block: IPv4Network) -> Iterator[HandedOut]:
    """The spans that networks say, as far as they lie in the block."""
    for owner in networks:
        network = plant.get(owner.id, Network)
        bus = fieldbus_of(network.kind)
        first, last = (ipv4_of(text) for text in bus.handed_out(network)) if bus else (None, None)
        if first or last:
            low = max(first or block.network_address, block.network_address)
            high = min(last or block.broadcast_address, block.broadcast_address)
            if low <= high:
                yield HandedOut(owner.label, int(low) & 0xFF, int(high) & 0xFF)


def _ruler(plant: Plant, network: Network, numbers: Numbers, room: int) -> AddressField:
    used: dict[int, tuple[str, tuple[AddressOwner, ...]]] = {}
    for station in plant.children(Station, network.id):
        if not numbers.problem(station.address, None):
            number = int(station.address)
            before = used.get(number, ("", ()))[1]
            used[number] = (station.address, (*before, AddressOwner(station.id, station.name)))
    named = (AddressOwner(network.id, network.name),)
    span = f"{network.name}, {numbers.span(None)}"
    return _field(plant, "ruler", span, named, numbers.low, numbers.high, used, {}, room, str)


def _ruled(plant: Plant, owners: tuple[AddressOwner, ...]) -> str:
    """The first owner's other address by its network's rule."""
    for owner in owners:
        station = plant.find(owner.id)
        if isinstance(station, Station) and (other := exception_of(plant.get(station.network, Network), station)):
            return other
    return ""


def _field(
    plant: Plant, kind: Literal["grid", "ruler"], span: str, networks: tuple[AddressOwner, ...], low: int, high: int,
    used: dict[int, tuple[str, tuple[AddressOwner, ...]]], reserved: dict[int, str], room: int,
    written: Callable[[int], str],
) -> AddressField:  # fmt: skip
    cells = [AddressCell(n, text, owners, "", _ruled(plant, owners)) for n, (text, owners) in used.items()]
    cells += (AddressCell(n, written(n), (), why) for n, why in reserved.items() if n not in used)
    taken = set(used) | set(reserved)
    gaps, begin = [], low
    for number in [*sorted(n for n in taken if low <= n <= high), high + 1]:
        if number > begin:
            gaps.append(FreeGap(written(begin), begin, number - begin))
        begin = number + 1
    at = next((n for n, gap in enumerate(gaps) if gap.count >= room), None)
    block = None if at is None else FreeGap(gaps[at].address, gaps[at].number, room)
    short = tuple(gaps[:at] if at is not None else gaps)
    free = sum(gap.count for gap in gaps)
    return AddressField(
        kind, span, networks, low, high, tuple(sorted(cells, key=lambda c: c.number)), free, block, short
    )
