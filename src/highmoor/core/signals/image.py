"""A controller's process image: where each module's and exchange's octets lie, padded to its alignment."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.parts import rail_seats
from highmoor.core.hardware.ports import controller_of_port, ports_of
from highmoor.core.networks.lines import connections_of
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Network, Port, Rail, Station
from highmoor.core.signals.beside import ALL, BY_KEY, Beside, beside_of

Area = Literal["in", "out"]


@dataclass(frozen=True, slots=True)
class ImageItem:
    """A holder's octets in one area: offset, data octets, padding octets behind them."""

    holder: str
    area: Area
    offset: int
    octets: int
    padding: int
    pinned: bool

    @property
    def end(self) -> int:
        """First octet behind data and padding."""
        return self.offset + self.octets + self.padding


@dataclass(frozen=True, slots=True)
class Seat:
    """Where a bit or a word lies in its area: its first octet, and the bit in that."""

    octet: int
    bit: int


@dataclass(frozen=True, slots=True)
class ControllerImage:
    """Both areas: `items` by `HOLDER.AREA`, each area in order of offset.

    `beside` gives what belongs to an exchange beside its data, by `EXCHANGE.key`. All offsets in octets.
    """

    items: dict[str, ImageItem]
    beside: dict[str, Seat]
    in_octets: int
    out_octets: int
    alignment: int
    limit: int

    def item(self, holder: str, area: Area) -> ImageItem | None:
        """A holder's item in one area."""
        return self.items.get(f"{holder}.{area}")

    def seat(self, exchange: str, beside: Beside) -> Seat | None:
        """Where something of an exchange lies; None where nothing asks for it, or the exchange has none."""
        return self.beside.get(f"{exchange}.{beside.key}")

    def get(self, name: str) -> ImageItem | Seat | None:
        """What lies here by its name, so that other parts can read it by itself."""
        return self.items.get(name) or self.beside.get(name)


@dataclass(frozen=True, slots=True)
class _Wanted:
    holder: str
    octets: int
    pin: int | None


_ByArea = dict[Area, list[_Wanted]]


def _rail_octets(reader: Reader, root: str) -> tuple[tuple[_Wanted, ...], tuple[_Wanted, ...]]:
    """What the modules of a rail want, in and out, in slot order."""
    rail = reader.row(root, Rail)
    found: _ByArea = {"in": [], "out": []}
    for seat in rail_seats(reader, rail):
        module, device = seat.module, seat.type
        if module is None or device is None:
            continue
        if octets := device.in_octets:
            found["in"].append(_Wanted(module.id, octets, module.pin_in))
        if octets := device.out_octets:
            found["out"].append(_Wanted(module.id, octets, module.pin_out))
    return tuple(found["in"]), tuple(found["out"])


def _image(reader: Reader, root: str) -> ControllerImage:
    head = reader.type(reader.row(root, Controller).type)
    facts = head.controller if head else None
    alignment = facts.alignment_octets if facts else 1
    wanted: _ByArea = {"in": [], "out": []}
    for rail in reader.children(Rail, root):
        inward, outward = reader.part("rail.octets", rail.id)
        wanted["in"] += inward
        wanted["out"] += outward
    networks = [
        _want_network(reader, wanted, network)
        for port in ports_of(reader, root)
        for network in reader.referring(Network, "port", port.id)
    ]
    _want_of_partners(reader, wanted, root)
    items = {area: _placed(wanted[area], area, alignment) for area in wanted}
    seats: dict[str, Seat] = {}
    for beside in ALL:
        asking = [[x for x, has in network if beside in has] for network in networks]
        # What a signal must ask for first lies in one block, so that status and start bits keep their places.
        blocks = asking if beside.always else [[x for network in asking for x in network]]
        for block in filter(None, blocks):
            items[beside.area].append(_block(beside, block, items[beside.area], alignment, seats))
    in_items, out_items = (sorted(items[area], key=_offset) for area in ("in", "out"))
    return ControllerImage(
        {f"{item.holder}.{item.area}": item for item in (*in_items, *out_items)},
        seats,
        max((i.end for i in in_items), default=0),
        max((i.end for i in out_items), default=0),
        alignment,
        facts.image_octets if facts else 0,
    )


def _offset(item: ImageItem) -> int:
    return item.offset


def _want_of_partners(reader: Reader, wanted: _ByArea, controller: str) -> None:
    """What other controllers read here and write here: their exchanges' far ends lie in this image."""
    for station in reader.referring(Station, "partner", controller):
        asks = controller_of_port(reader.find, port_of(reader, station))
        if asks is None or asks.id == controller:
            continue
        for connection in reader.children(Connection, station.id):
            for exchange in reader.children(Exchange, connection.id):
                wire = reader.part("exchange.wire", exchange.id)
                area: Area = "out" if exchange.direction == "in" else "in"
                for where, octets in ((area, wire.octets), (exchange.direction, wire.back_octets)):
                    if octets:
                        wanted[where].append(_Wanted(exchange.id, octets, None))


def port_of(reader: Reader, station: Station) -> Port | None:
    """The port a station's network is on."""
    network: Network | None = reader.find(station.network)
    return reader.find(network.port) if network else None


@dataclass(frozen=True, slots=True)
class _Octets:
    """What the exchanges of a connection want, and what each of them has beside its data."""

    wanted: tuple[tuple[Area, _Wanted], ...]
    beside: tuple[tuple[str, tuple[Beside, ...]], ...]


def _want_network(reader: Reader, wanted: _ByArea, network: Network) -> list[tuple[str, tuple[Beside, ...]]]:
    """The network's exchanges in route order; returns them with what each has beside its data."""
    found: list[tuple[str, tuple[Beside, ...]]] = []
    for connection in connections_of(reader, network.id):
        told: _Octets = reader.part("connection.octets", connection)
        for area, want in told.wanted:
            wanted[area].append(want)
        found += told.beside
    return found


def _connection_octets(reader: Reader, root: str) -> _Octets:
    """For each connection by itself: another period is no other image."""
    wanted: list[tuple[Area, _Wanted]] = []
    found = []
    for exchange in reader.children(Exchange, root):
        wire = reader.part("exchange.wire", exchange.id)
        pin = exchange.pin_in if exchange.direction == "in" else exchange.pin_out
        if wire.octets:
            wanted.append((exchange.direction, _Wanted(exchange.id, wire.octets, pin)))
        if wire.back_octets:
            back: Area = "out" if exchange.direction == "in" else "in"
            other_pin = exchange.pin_out if exchange.direction == "in" else exchange.pin_in
            wanted.append((back, _Wanted(exchange.id, wire.back_octets, other_pin)))
        asked: tuple[str, ...] = reader.part("exchange.asked-for", exchange.id)
        found.append((exchange.id, tuple(b for b in beside_of(wire) if b.always or b.key in asked)))
    return _Octets(tuple(wanted), tuple(found))


def _asked_for(reader: Reader, root: str) -> tuple[str, ...]:
    """What of an exchange's beside its data a signal is linked to."""
    return tuple(sorted({link.way for link in reader.referring(Link, "place", root)} & BY_KEY.keys()))


def _placed(wanted: list[_Wanted], area: Area, alignment: int) -> list[ImageItem]:
    """Pinned items where they are pinned, the others in order into what is left free."""
    fixed = [_item(w, area, w.pin, alignment) for w in wanted if w.pin is not None]
    items = list(fixed)
    offset = 0
    for want in wanted:
        if want.pin is not None:
            continue
        if not fixed:
            # As almost always: nothing is in the way.
            room = _aligned(want.octets, alignment)
            items.append(ImageItem(want.holder, area, offset, want.octets, room - want.octets, False))
            offset += room
            continue
        candidate = _item(want, area, offset, alignment)
        while blocker := next((f for f in fixed if f.offset < candidate.end and candidate.offset < f.end), None):
            candidate = _item(want, area, _aligned(blocker.end, alignment), alignment)
        items.append(candidate)
        offset = candidate.end
    return items


def _item(want: _Wanted, area: Area, offset: int | None, alignment: int) -> ImageItem:
    padding = _aligned(want.octets, alignment) - want.octets
    return ImageItem(want.holder, area, offset or 0, want.octets, padding, want.pin is not None)


def _block(
    beside: Beside, exchanges: list[str], placed: list[ImageItem], alignment: int, seats: dict[str, Seat]
) -> ImageItem:
    """One block of bits or words behind all that is placed, one an exchange; fills in `seats`."""
    offset = _aligned(max((i.end for i in placed), default=0), alignment)
    for n, exchange in enumerate(exchanges):
        seats[f"{exchange}.{beside.key}"] = Seat(offset + n * beside.bits // 8, n * beside.bits % 8)
    octets = (len(exchanges) * beside.bits + 7) // 8
    padding = _aligned(octets, alignment) - octets
    return ImageItem(f"{beside.key}:{exchanges[0]}", beside.area, offset, octets, padding, False)


def _aligned(octets: int, alignment: int) -> int:
    return -(-octets // alignment) * alignment


def _headlines(result: ControllerImage, reader: Reader, root: str) -> Iterator[Headline]:
    name = reader.row(root, Controller).name
    limit = result.limit or None
    yield Headline(root, "in", f"Image of {name}, in", result.in_octets, "octets", limit, "less")
    yield Headline(root, "out", f"Image of {name}, out", result.out_octets, "octets", limit, "less")


def _holds(reader: Reader, root: str) -> dict[str, int]:
    """What lies in an image and how many octets it has there, wherever that is."""
    image: ControllerImage = reader.part("controller.image", root)
    return {**{name: item.octets for name, item in image.items.items()}, **dict.fromkeys(image.beside, 1)}


PARTS: tuple[Part, ...] = (
    Part("rail.octets", "rails", _rail_octets, asked=True),
    Part("connection.octets", "connections", _connection_octets, asked=True),
    Part("exchange.asked-for", "exchanges", _asked_for, asked=True),
    Part("controller.image", "controllers", _image, _headlines),
    Part("controller.holds", "controllers", _holds, asked=True),
)


def _overflow(result: ControllerImage, reader: Reader, root: str) -> Iterator[Finding]:
    most = max(result.in_octets, result.out_octets)
    if result.limit and most > result.limit:
        yield finding("HW-301", root, name=reader.row(root, Controller).name, octets=most, limit=result.limit)


def label_of_item(reader: Reader, item: ImageItem) -> str:
    """What people call it: a module by designation or type, an exchange with its station."""
    row = reader.find(item.holder)
    if isinstance(row, Module):
        device = reader.type(row.type)
        return row.designation or (device.name if device else row.type)
    connection: Connection | None = reader.find(row.connection) if isinstance(row, Exchange) else None
    station: Station | None = reader.find(connection.station) if connection else None
    label = f"{station.name if station else ''}: {row.name if row else item.holder}"
    return label if row is None or row.direction == item.area else f"{label}, back"


def _pins_overlap(result: ControllerImage, reader: Reader, root: str) -> Iterator[Finding]:
    pinned = [i for i in result.items.values() if i.pinned]
    for n, item in enumerate(pinned):
        for other in pinned[:n]:
            if item.area == other.area and item.offset < other.end and other.offset < item.end:
                yield finding(
                    "HW-302", (item.holder, f"pin_{item.area}"), other.holder, one=label_of_item(reader, item),
                    other=label_of_item(reader, other), octet=max(item.offset, other.offset), area=item.area,
                )  # fmt: skip


def _pin_unaligned(result: ControllerImage, reader: Reader, root: str) -> Iterator[Finding]:
    for item in result.items.values():
        if item.pinned and item.offset % result.alignment:
            yield finding(
                "HW-303", (item.holder, f"pin_{item.area}"),
                name=label_of_item(reader, item), octet=item.offset, alignment=result.alignment,
            )  # fmt: skip


CHECKS: tuple[Check, ...] = (
    Check(
        "HW-301", "controller.image", "hardware", "error", "Image too small",
        "{name} would need {octets} octets in one area of its image; it has {limit}.",
        "What lies beyond the image's end is not exchanged.", _overflow,
    ),
    Check(
        "HW-302", "controller.image", "hardware", "error", "Two things pinned to one octet",
        "{one} and {other} are both pinned to octet {octet} of the {area} area.",
        "One of the two would overwrite the other.", _pins_overlap,
    ),
    Check(
        "HW-303", "controller.image", "hardware", "error", "Pinned off the alignment",
        "{name} is pinned to octet {octet}; this controller begins data at multiples of {alignment}.",
        "The controller would move it to the next multiple and shift what follows.", _pin_unaligned,
    ),
)  # fmt: skip
