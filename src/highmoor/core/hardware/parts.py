"""Parts of the hardware stage: how a rail is mounted, what its internal supply has left, a controller's ports."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.power import Draw, feed_in_places, first_short, remaining_after
from highmoor.core.hardware.ethernet import interface
from highmoor.core.hardware.mounting import Seat, is_ports, module_label, rail_slots, root_of, seats
from highmoor.core.plant.rows import Controller, Module, Port, Rail, Station


@dataclass(frozen=True, slots=True)
class SeatFacts:
    """A place on the rail as drawn. Width in mm; an open place has no module."""

    slot: int
    module: str | None
    type: str
    name: str
    kind: str
    label: str
    width_mm: float
    heat_w: float


@dataclass(frozen=True, slots=True)
class RailMounting:
    """The rail as mounted, left to right behind the head; `slots` by module.

    What it hangs on in the end: `station` over the network, "" for the controller itself; `within` that module there,
    "" for none. Width in mm and heat in W of all that is fitted.
    """

    head: str
    head_name: str
    seats: tuple[SeatFacts, ...]
    slots: dict[str, int]
    places: int
    open_places: int
    addressed: bool
    wants_covers: bool
    width_mm: float
    heat_w: float
    heat_limit_w: float | None
    too_hot: bool
    head_width_mm: float
    head_heat_w: float
    station: str
    within: str


@dataclass(frozen=True, slots=True)
class SupplyStep:
    """Internal supply at one seat, mA: drawn there, left after it; `feeds` where a new count starts."""

    slot: int
    module: str | None
    draw_ma: int
    left_ma: int
    feeds_ma: int | None


@dataclass(frozen=True, slots=True)
class RailPower:
    """The staircase of the internal supply. `feed_in_before` are modules a feed-in should precede, None: no use.

    `known` is False on the rail of a head whose file says nothing of its supply: nothing can be short there.
    """

    known: bool
    supply_ma: int
    steps: tuple[SupplyStep, ...]
    first_short: str | None
    lowest_ma: int
    end_ma: int
    feed_in_before: tuple[str, ...] | None


@dataclass(frozen=True, slots=True)
class ControllerPorts:
    """The controller's Ethernet ports with their subnets, "" where the setting is incomplete."""

    subnets: tuple[tuple[str, str], ...]


FEED_IN = "tarnfell.fi-12"
COVER = "tarnfell.cv-1"
FIELD_FEED_IN = "tarnfell.ff-10"
# As a place is drawn when no type says how wide it is.
OPEN_WIDTH_MM = 24


def head_of(reader: Reader, rail: Rail) -> tuple[Controller | Station | Module | None, DeviceType | None]:
    """The rail's head and its type: a controller, the station of a remote rail, a module that carries others."""
    head: Controller | Station | Module | None = reader.find(rail.head)
    return head, reader.type(head.type) if head else None


def rail_seats(reader: Reader, rail: Rail) -> tuple[Seat, ...]:
    """The rail's seats as a part reads them."""
    found: tuple[Seat, ...] = reader.part("rail.seats", rail.id)
    return found


def _seats(reader: Reader, root: str) -> tuple[Seat, ...]:
    """Once for all who look at a rail seat by seat."""
    rail = reader.row(root, Rail)
    return tuple(seats(rail, reader.children(Module, root), head_of(reader, rail)[1], reader.type))


def _mounting(reader: Reader, root: str) -> RailMounting:
    rail = reader.row(root, Rail)
    row, head = head_of(reader, rail)
    slots = rail_slots(rail, head)
    places = rail_seats(reader, rail)
    width = head.width_mm if head else 0.0
    heat = round((head.heat_w if head else 0.0) + sum(seat.type.heat_w for seat in places if seat.type), 1)
    limit: float | None = rail.settings.get("heat_limit_w")
    root_there = root_of(reader.find, rail)
    return RailMounting(
        row.id if row else "",
        head.name if head else (row.type if row else ""),
        tuple(_seat_facts(seat) for seat in places),
        {seat.module.id: seat.slot for seat in places if seat.module},
        rail.places,
        sum(1 for seat in places if seat.module is None),
        slots.addressed,
        slots.covers,
        width + sum(seat.type.width_mm for seat in places if seat.type),
        heat,
        limit,
        limit is not None and heat > limit,
        head.width_mm if head else 0.0,
        head.heat_w if head else 0.0,
        root_there.station,
        root_there.within,
    )


def _seat_facts(seat: Seat) -> SeatFacts:
    if seat.module is None:
        return SeatFacts(seat.slot, None, "", "", "open", "open", OPEN_WIDTH_MM, 0)
    return SeatFacts(
        seat.slot,
        seat.module.id,
        seat.module.type,
        seat.type.called if seat.type else seat.module.type,
        seat.type.kind if seat.type else "unknown",
        module_label(seat.slot, seat.type, seat.module),
        (seat.type.width_mm if seat.type else 0) or OPEN_WIDTH_MM,
        seat.type.heat_w if seat.type else 0,
    )


def _power(reader: Reader, root: str) -> RailPower:
    rail = reader.row(root, Rail)
    _, head = head_of(reader, rail)
    supply = head.bus_supply_ma if head and not is_ports(rail) else 0
    places = rail_seats(reader, rail)
    draws = [draw_of(seat.type) for seat in places]
    left = [int(value) for value in remaining_after(supply, draws)]
    steps = tuple(
        SupplyStep(
            seat.slot,
            seat.module.id if seat.module else None,
            int(draw.draw_ma),
            ma,
            None if draw.feeds_ma is None else int(draw.feeds_ma),
        )
        for seat, draw, ma in zip(places, draws, left, strict=True)
    )
    short = first_short(left)
    feed = reader.type(FEED_IN)
    before = feed_in_places(supply, feed.bus_supply_ma if feed else 0, draws)
    known = supply > 0 or any(draw.feeds_ma for draw in draws)
    return RailPower(
        known,
        supply,
        steps,
        None if short is None else steps[short].module,
        min([supply, *left]),
        left[-1] if left else supply,
        None if before is None else tuple(steps[n].module or "" for n in before),
    )


def draw_of(device: DeviceType | None) -> Draw:
    """What a module draws of the internal supply, and what it renews it with; a field feed-in renews nothing there."""
    if device is None:
        return Draw(0)
    feeds = device.kind == "feed-in" and device.bus_supply_ma > 0
    return Draw(device.bus_current_ma, device.bus_supply_ma if feeds else None)


def _power_headlines(result: RailPower, reader: Reader, root: str) -> Iterator[Headline]:
    """What is left at the end of each count: the head's, and that of every feed-in, which begins a new one."""
    if not result.known:
        return
    begin, left, label = root, result.supply_ma, "Internal supply left"
    for step in result.steps:
        if step.feeds_ma is not None and step.module:
            yield Headline(begin, "supply", label, left, "mA", 0, "more")
            begin, label = step.module, f"Internal supply left, from slot {step.slot}"
        left = step.left_ma
    yield Headline(begin, "supply", label, left, "mA", 0, "more")


def _mounting_headlines(result: RailMounting, reader: Reader, root: str) -> Iterator[Headline]:
    # A cover gives way to a module, so its place counts as one that is left.
    fitted = sum(1 for seat in result.seats if seat.module and seat.kind != "cover")
    yield Headline(root, "open", "Places left", result.places - fitted, "", 0, "more")
    yield Headline(root, "width", "Width of the rail", result.width_mm, "mm", None, "less")
    yield Headline(root, "heat", "Heat of the rail", result.heat_w, "W", result.heat_limit_w, "less")


def _ports(reader: Reader, root: str) -> ControllerPorts:
    return ControllerPorts(
        tuple(
            (port.id, _subnet(port)) for port in reader.children(Port, root) if port.method == "static" and port.address
        )
    )


def _subnet(port: Port) -> str:
    own = interface(port.address, port.mask)
    return str(own.network) if own else ""


PARTS: tuple[Part, ...] = (
    Part("rail.seats", "rails", _seats, asked=True),
    Part("rail.mounting", "rails", _mounting, _mounting_headlines, shown=RailMounting),
    Part("rail.power", "rails", _power, _power_headlines, shown=RailPower),
    Part("controller.ports", "controllers", _ports, shown=ControllerPorts),
)
