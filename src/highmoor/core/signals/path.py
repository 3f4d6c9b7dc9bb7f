"""A signal's path from terminal to program, hop by hop with its delays."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.figures.path_time import Delay, path_time
from highmoor.core.networks.fieldbus import Timing
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Signal, Task
from highmoor.core.signals.datatypes import DATA_TYPES, DataType
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.places import Place, controller_of, network_of, place_of


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
    """One link of a signal with its place in the image; `octet`/`bit` are None when there is no such place."""

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


@dataclass(frozen=True, slots=True)
class SignalPath:
    """All links of a signal, and the hops of its first one with their sum."""

    links: tuple[LinkFacts, ...]
    hops: tuple[Hop, ...]
    typical_ms: float
    worst_ms: float
    asked_ms: float | None


def _path(reader: Reader, root: str) -> SignalPath:
    signal = reader.row(root, Signal)
    links = reader.referring(Link, "signal", root)
    facts = tuple(_facts(reader, signal, link) for link in links)
    hops: list[Hop] = []
    if links:
        place = place_of(reader, links[0].place, links[0].key)
        hops = _hops(reader, signal, place) if place else []
    delays = [Delay(exact(hop.period_ms), exact(hop.transit_ms)) for hop in hops]
    typical, worst = path_time(delays)
    return SignalPath(facts, tuple(hops), float(typical), float(worst), signal.asked_ms)


def _facts(reader: Reader, signal: Signal, link: Link) -> LinkFacts:
    place = place_of(reader, link.place, link.key)
    raw = raw_type(signal, place, link)
    bits = raw.bits if raw else 0
    if place is None:
        return LinkFacts(
            link.id, link.place, link.key, link.access, "nowhere", "", "", None, None, bits, "", "", 0, 0, link.order
        )
    base = _base(reader, place)
    octet = None if base is None else base[0] + (base[1] + place.bit) // 8
    bit = (base[1] + place.bit) % 8 if base else place.bit % 8
    order = link.order if isinstance(reader.find(link.place), Exchange) or place.order == "big" else "DCBA"
    return LinkFacts(
        link.id, link.place, link.key, link.access, place.label, place.terminals, place.area, octet, bit, bits,
        "" if octet is None else written_place(place.area, octet, bit, bits), place.kind, place.bits, place.room, order,
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


def _base(reader: Reader, place: Place) -> tuple[int, int] | None:
    """Octet and bit in the image at which the holder's own bit 0 lies."""
    controller = controller_of(reader, place.holder)
    if controller is None:
        return None
    image: ControllerImage | None = reader.part("controller.image", controller)
    if image is None:
        return None
    if place.kind == "status":
        status = image.status_bit(place.holder)
        return (status.octet, status.bit) if status else None
    item = image.item(place.holder, place.area)
    return (item.offset, 0) if item else None


def written_place(area: str, octet: int, bit: int, bits: int) -> str:
    """An image address as screens write it: "in, octets 138–139, bit 3"."""
    last = octet + (bit + bits - 1) // 8
    octets = f"octet {octet}" if last == octet else f"octets {octet}–{last}"
    return f"{area}, {octets}, bit {bit}" if bits == 1 else f"{area}, {octets}"


def _hops(reader: Reader, signal: Signal, place: Place) -> list[Hop]:
    """From the field to the program for what is read, from the program to the field for what is written."""
    holder = reader.find(place.holder)
    hops = list(_module_hops(reader, holder, place)) if isinstance(holder, Module) else []
    if isinstance(holder, Exchange):
        hops = list(_exchange_hops(reader, holder, place))
    task = task_of(reader, signal)
    if task:
        hops.append(
            _hop("task", f"{task.name} task", f"every {shown(task.period_ms)} ms", task.id, task.period_ms,
                 task.execution_ms, "period_ms")
        )  # fmt: skip
    return hops if place.area == "in" else hops[::-1]


def task_of(reader: Reader, signal: Signal) -> Task | None:
    """The task that refreshes a signal: its own, or the controller's slowest."""
    own: Task | None = reader.find(signal.task)
    if own is not None:
        return own
    return max(reader.children(Task, signal.controller), key=lambda task: task.period_ms, default=None)


def _module_hops(reader: Reader, module: Module, place: Place) -> Iterator[Hop]:
    device = reader.type(module.type)
    controller: Controller | None = reader.find(controller_of(reader, module.id))
    head = reader.type(controller.type) if controller else None
    if device is None:
        return
    filter_ms = module.settings.get(
        "filter_ms", next((p.default for p in device.parameters if p.key == "filter_ms"), None)
    )
    if filter_ms is not None:
        yield _hop("filter", "Input filter", f"{shown(filter_ms)} ms", module.id, 0, filter_ms, "settings.filter_ms")
    if device.conversion_ms:
        yield _hop(
            "conversion", f"{device.name} conversion", f"every {shown(device.conversion_ms)} ms", module.id,
            device.conversion_ms, 0,
        )  # fmt: skip
    if head and head.controller:
        cycle = head.controller.bus_cycle_ms
        yield _hop("bus", "Internal bus", f"every {shown(cycle)} ms", module.rail, cycle, 0)


def _exchange_hops(reader: Reader, exchange: Exchange, place: Place) -> Iterator[Hop]:
    network = network_of(reader, exchange)
    timing: Timing | None = reader.part("network.timing", network.id) if network else None
    own = next((e for e in timing.exchanges if e.exchange == exchange.id), None) if timing else None
    if network and own:
        late = f", at worst {shown(own.worst_late_ms, 3)} ms late" if own.worst_late_ms >= 0.05 else ""
        yield _hop(
            "exchange", f"{network.name}: {exchange.name}", f"every {shown(own.period_ms)} ms{late}", exchange.id,
            own.period_ms + own.worst_late_ms, own.transaction_ms, "settings.period_ms",
        )  # fmt: skip


def _hop(kind: str, label: str, detail: str, place: str, period: float, transit: float, field: str = "") -> Hop:
    delay = Delay(exact(period), exact(transit))
    return Hop(kind, label, detail, place, period, transit, _ms(delay.typical_ms), _ms(delay.worst_ms), field)


def _ms(value: Fraction) -> float:
    return float(value)


def _headlines(result: SignalPath, reader: Reader, root: str) -> Iterator[Headline]:
    name = reader.row(root, Signal).name
    if result.hops:
        yield Headline(root, "worst", f"{name}, worst response", result.worst_ms, "ms", result.asked_ms, "less")
    if result.links and result.links[0].octet is not None:
        # The address itself has no better or worse, but a signal that moves has to be known.
        yield Headline(root, "octet", f"{name}, octet in the image", result.links[0].octet, "", None, "")


PARTS: tuple[Part, ...] = (Part("signal.path", "signals", _path, _headlines),)
