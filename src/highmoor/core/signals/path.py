"""A signal's path from terminal to program, hop by hop with its delays."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.figures.path_time import Delay, path_time
from highmoor.core.hardware.parts import head_of
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.cables import CableWay
from highmoor.core.networks.line_time import MS_AN_OCTET, ExchangeTiming
from highmoor.core.networks.lines import asked_lines
from highmoor.core.networks.parked import parked_with
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.rows import Exchange, Link, Module, Network, Rail, Signal, Station, Task
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.places import Place, controller_of, place_of_link, station_of


@dataclass(frozen=True, slots=True)
class Hop:
    """One hop: what it is, what it adds in ms, and the setting that decides it."""

    kind: str
    label: str
    detail: str
    place: str
    period_ms: float
    transit_ms: float
    typical_ms: float
    worst_ms: float
    field: str = ""


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """One link of a signal with its place in the image; `octet`/`bit` are None when there is no such place.

    `controller` is the one in whose image the place lies, "" where it lies in none.
    """

    link: str
    holder: str
    key: str
    access: str
    label: str
    terminals: str
    area: str
    octet: int | None
    bit: int | None
    bits: int
    written: str
    place_kind: str
    place_bits: int
    room: int
    order: str
    controller: str


@dataclass(frozen=True, slots=True)
class Way:
    """From one of a signal's places to the program, or the other way: its hops and their sum."""

    link: str
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float


@dataclass(frozen=True, slots=True)
class SignalPath:
    """All links of a signal, the one it is read from first, each with its way; hops and times are those of the slowest.

    What is read in one place and written to another is on its way from the first to the last.
    """

    links: tuple[LinkFacts, ...]
    ways: tuple[Way, ...]
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float
    asked_ms: float | None


def _path(reader: Reader, root: str) -> SignalPath:
    signal = reader.row(root, Signal)
    links = sorted(reader.referring(Link, "signal", root), key=lambda link: link.access != "reads")
    places = [place_of_link(reader, link) for link in links]
    facts = tuple(_facts(reader, signal, link, place) for link, place in zip(links, places, strict=True))
    ways: list[Way] = []
    source: tuple[Hop, ...] = ()
    for link, place in zip(links, places, strict=True):
        if place is None:
            continue
        hops = tuple(_hops(reader, signal, place))
        if place.area == "out" and source:
            # The task that read it writes it in the same run.
            hops = (*source, *(hop for hop in hops if hop.kind != "task"))
        elif place.area == "in" and not ways:
            source = hops
        ways.append(Way(link.id, hops, *_delay_ms(tuple((hop.period_ms, hop.transit_ms) for hop in hops))))
    slowest = max(ways, key=lambda way: way.worst_ms, default=Way("", (), 0.0, 0.0))
    return SignalPath(
        facts, tuple(ways), slowest.hops, slowest.typical_ms, slowest.worst_ms, signal.asked_ms
    )  # fmt: skip


@lru_cache(maxsize=4096)
def _delay_ms(hops: tuple[tuple[float, float], ...]) -> tuple[float, float]:
    """Typical and worst ms of hops given as (period, transit); most signals of a plant share a few of these."""
    typical, worst = path_time(Delay(exact(period), exact(transit)) for period, transit in hops)
    return float(typical), float(worst)


def _facts(reader: Reader, signal: Signal, link: Link, place: Place | None) -> LinkFacts:
    bits = taken_bits(raw_type(signal, place, link), place)
    if place is None:
        return LinkFacts(
            link.id,
            link.place,
            At.of(link).word,
            link.access,
            "nowhere",
            "",
            "",
            None,
            None,
            bits,
            "",
            "",
            0,
            0,
            link.order,
            "",
        )
    octet, bit = in_image(reader, place)
    return LinkFacts(
        link.id, link.place, At.of(link).word, link.access, place.label, place.terminals, place.area, octet, bit, bits,
        "" if octet is None else written_place(place.area, octet, bit, bits), place.kind, place.bits, place.room,
        place.order or link.order, controller_of(reader, link.place, far=place.far) or "",
    )  # fmt: skip


def raw_type(signal: Signal, place: Place | None, link: Link) -> DataType | None:
    """The type of the octets at a link's place: the signal's own, or the raw count's when it is scaled.

    A scaled value comes from the count named by `raw_type`, or from INT where the place has 16 bits.
    """
    own = DATA_TYPES.get(signal.type)
    if not link.scaling or own is None:
        return own
    named = DATA_TYPES.get(str(link.scaling.get("raw_type")))
    return named or (DATA_TYPES["INT"] if place is not None and place.bits == 16 else own)


def is_packed(place: Place) -> bool:
    """Whether a place is a field among others within its octets: not of whole octets, or not beginning with one."""
    return place.bits > 1 and bool(place.bits % 8 or place.bit % 8)


def taken_bits(raw: DataType | None, place: Place | None) -> int:
    """How many bits a value takes at a place: its type's, but within a packed field no more than that has."""
    if raw is None or place is None or raw.bits == 1 or not is_packed(place):
        return raw.bits if raw else 0
    return min(raw.bits, place.bits)


def in_image(reader: Reader, place: Place) -> tuple[int | None, int]:
    """Octet and bit of a place in its controller's image; no octet where nothing brings it there."""
    base = None if place.remote and not place.carrier else _base(reader, place)
    return (None, place.bit % 8) if base is None else (base[0] + (base[1] + place.bit) // 8, (base[1] + place.bit) % 8)


def written_at(reader: Reader, place: Place | None) -> str:
    """A place's address in the image in words, "" where it has none."""
    octet, bit = in_image(reader, place) if place else (None, 0)
    return "" if place is None or octet is None else written_place(place.area, octet, bit, place.bits)


def _base(reader: Reader, place: Place) -> tuple[int, int] | None:
    """Octet and bit in the image at which the holder's own bit 0 lies."""
    controller = controller_of(reader, place.holder, far=place.far)
    if controller is None:
        return None
    image: ControllerImage | None = reader.part("controller.image", controller)
    if image is None:
        return None
    if place.kind in BY_KEY:
        seat = image.seat(place.holder, BY_KEY[place.kind])
        return (seat.octet, seat.bit) if seat else None
    item = image.item(place.carrier or place.holder, place.area)
    return (item.offset, 0) if item else None


def written_place(area: str, octet: int, bit: int, bits: int) -> str:
    """An image address as screens write it: "in, octets 138–139, bit 3"."""
    last = octet + (bit + bits - 1) // 8
    octets = f"octet {octet}" if last == octet else f"octets {octet}–{last}"
    if bits == 1:
        return f"{area}, {octets}, bit {bit}"
    if bit or bits % 8:
        return f"{area}, {octets}, {bits} bits from bit {bit}"
    return f"{area}, {octets}"


def _hops(reader: Reader, signal: Signal, place: Place) -> list[Hop]:
    """From the field to the program for what is read, from the program to the field for what is written."""
    kind = "module.hops" if place.holder.startswith("m") else "exchange.hops"
    hops = list(reader.part(kind, place.holder) or ())
    if place.carrier:
        # A module that another hangs on adds nothing of its own.
        hops += reader.part("exchange.hops", place.carrier) or () if place.carrier.startswith("x") else ()
    task = task_of(reader, signal)
    if task:
        hops.append(reader.part("task.hop", task.id))
    return hops if place.area == "in" else hops[::-1]


def task_of(reader: Reader, signal: Signal) -> Task | None:
    """The task that refreshes a signal: its own, or the controller's slowest."""
    own: Task | None = reader.find(signal.task)
    if own is not None:
        return own
    return max(reader.children(Task, signal.controller), key=_period, default=None)


def _period(task: Task) -> float:
    return task.period_ms


def _task_hop(reader: Reader, root: str) -> Hop:
    task = reader.row(root, Task)
    every = f"every {shown(task.period_ms)} ms"
    return _hop("task", f"{task.name} task", every, root, task.period_ms, task.execution_ms, "period_ms")


def _module_hops(reader: Reader, root: str) -> tuple[Hop, ...]:
    """What a module and the internal bus add to every signal of its channels."""
    module = reader.row(root, Module)
    device = reader.type(module.type)
    rail: Rail | None = reader.find(module.rail)
    head = head_of(reader, rail)[1] if rail else None
    if device is None:
        return ()
    hops = []
    filter_ms = module.settings.get("filter_ms", device.default_of("filter_ms"))
    if filter_ms is not None:
        hops.append(_hop("filter", "Input filter", f"{shown(filter_ms)} ms", root, 0, filter_ms, "settings.filter_ms"))
    if device.conversion_ms:
        every = f"every {shown(device.conversion_ms)} ms"
        hops.append(_hop("conversion", f"{device.name} conversion", every, root, device.conversion_ms, 0))
    if head and head.bus_cycle_ms:
        cycle = head.bus_cycle_ms
        hops.append(_hop("bus", "Internal bus", f"every {shown(cycle)} ms", module.rail, cycle, 0))
    return tuple(hops)


def _exchange_hops(reader: Reader, root: str) -> tuple[Hop, ...]:
    """What an exchange adds: its period, its lateness at worst, its transaction, and what it passes on the way."""
    exchange = reader.row(root, Exchange)
    station = station_of(reader, exchange)
    network: Network | None = reader.find(station.network) if station else None
    bus = fieldbus_of(network.kind) if network else None
    own: ExchangeTiming | None = reader.item("network.times", network.id, root) if network else None
    if network is None or bus is None or station is None:
        return ()
    if own is None:
        off = parked_with(reader.find, exchange)
        return (_hop("exchange", f"{network.name}: {exchange.name}", "switched off", root, 0, 0),) if off else ()
    latest = own.worst_late_ms or 0.0
    late = f", at worst {shown(latest, 3)} ms late" if latest >= 0.05 else ""
    label = f"{network.name}: {exchange.name}"
    if not own.period_ms:
        # Made when the program wants it: there is no period to be as old as.
        return (_hop("exchange", label, "on demand", root, 0, own.transaction_ms),)
    period = own.period_ms + latest
    detail = f"every {shown(own.period_ms)} ms{late}"
    hop = _hop("exchange", label, detail, root, period, own.transaction_ms, bus.interval_field)
    way: CableWay | None = reader.item("network.ways", network.id, station.id)
    return (hop, _cable_hop(way, station, own)) if way and way.passed else (hop,)


def _cable_hop(way: CableWay, station: Station, own: ExchangeTiming) -> Hop:
    """What lies between: whoever passes frames on has each whole before it sends it, behind one that is on its way.

    A frame's own time counts once for each that passes it on; a request and its answer both go through.
    """
    trips = 2 if own.request_octets and own.response_octets else 1
    count = len(way.passed)
    again = count * (own.request_octets + own.response_octets) * MS_AN_OCTET
    detail = f"passed on {count} time{'s' if count > 1 else ''}, each behind one full frame at worst"
    label = "Cables and switches" if trips == 1 else "Cables and switches, there and back"
    return _hop("cables", label, detail, station.id, trips * way.waits_ms, again + trips * way.delay_ms)


def _hop(kind: str, label: str, detail: str, place: str, period: float, transit: float, field: str = "") -> Hop:
    typical, worst = _delay_ms(((period, transit),))
    return Hop(kind, label, detail, place, period, transit, typical, worst, field)


def _headlines(result: SignalPath, reader: Reader, root: str) -> Iterator[Headline]:
    name = reader.row(root, Signal).name
    if result.hops:
        yield Headline(root, "worst", f"{name}, worst response", result.worst_ms, "ms", result.asked_ms, "less")
    if result.links and result.links[0].octet is not None:
        # The address itself has no better or worse, but a signal that moves has to be known.
        yield Headline(root, "octet", f"{name}, octet in the image", result.links[0].octet, "", None, "")


@dataclass(frozen=True, slots=True)
class SlowestPath:
    """The signal that is slowest of all that travel over a network, ms at worst."""

    signal: str
    name: str
    worst_ms: float


def _slowest(reader: Reader, root: str) -> SlowestPath | None:
    """None for a network that brings no signal."""
    slowest: SlowestPath | None = None
    for line in asked_lines(reader, root):
        for exchange in line.exchanges:
            for link in reader.referring(Link, "place", exchange.id):
                path: SignalPath | None = reader.part("signal.path", link.signal)
                if path and (slowest is None or path.worst_ms > slowest.worst_ms):
                    slowest = SlowestPath(link.signal, reader.row(link.signal, Signal).name, path.worst_ms)
    return slowest


def _slowest_headlines(result: SlowestPath | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result:
        name = reader.row(root, Network).name
        yield Headline(root, "slowest", f"Slowest path over {name}", result.worst_ms, "ms", None, "less")


PARTS: tuple[Part, ...] = (
    Part("network.slowest", "networks", _slowest, _slowest_headlines, shown=SlowestPath),
    Part("task.hop", "tasks", _task_hop),
    Part("module.hops", "modules", _module_hops),
    Part("exchange.hops", "exchanges", _exchange_hops),
    Part("signal.path", "signals", _path, _headlines, shown=SignalPath),
)
