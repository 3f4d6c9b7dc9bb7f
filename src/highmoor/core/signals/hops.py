"""What lies between the field and the program: each hop with the time it adds and the setting that decides it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.path_time import Delay, path_time
from highmoor.core.hardware.mounting import is_ports
from highmoor.core.hardware.parts import head_of
from highmoor.core.hardware.safe_pairs import pair_at
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.io_link.timing import cycle_ms, port_message_ms
from highmoor.core.networks.line_time import MS_AN_OCTET, ExchangeTiming
from highmoor.core.networks.parked import parked_with
from highmoor.core.networks.topology import CableWay
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.rows import Exchange, Module, Network, Rail, Signal, Station, Task
from highmoor.core.signals.places import Place, station_of


@dataclass(frozen=True, slots=True)
class Hop:
    """One hop: what it is, what it adds in ms, and the setting that decides it; `late_ms` is in its period."""

    kind: str
    label: str
    detail: str
    place: str
    period_ms: float
    transit_ms: float
    typical_ms: float
    worst_ms: float
    field: str = ""
    late_ms: float = 0.0


def delay_ms(hops: Iterable[Hop]) -> tuple[float, float]:
    """Typical and worst ms of hops one after the other."""
    return _delay_ms(tuple((hop.period_ms, hop.transit_ms) for hop in hops))


@lru_cache(maxsize=4096)
def _delay_ms(hops: tuple[tuple[float, float], ...]) -> tuple[float, float]:
    """Typical and worst ms of hops given as (period, transit); most signals of a plant share a few of these."""
    typical, worst = path_time(Delay(exact(period), exact(transit)) for period, transit in hops)
    return float(typical), float(worst)


def hops_at(reader: Reader, signal: Signal, place: Place) -> tuple[Hop, ...]:
    """From the field to the program for what is read, from the program to the field for what is written."""
    kind = "module.hops" if place.holder.startswith("m") else "exchange.hops"
    hops = list(reader.part(kind, place.holder) or ())
    if place.kind in ("SI", "SO") and not place.remote:
        hops = [*_pair_delay(reader, place), *hops]
    if place.carrier:
        # A module that another hangs on adds nothing of its own.
        hops += reader.part("exchange.hops", place.carrier) or () if place.carrier.startswith("x") else ()
    task = task_of(reader, signal)
    if task:
        hops.append(reader.part("task.hop", task.id))
    return tuple(hops if place.area == "in" else hops[::-1])


def task_of(reader: Reader, signal: Signal) -> Task | None:
    """The task that refreshes a signal: its own, the quickest whose programs use it, or the controller's slowest."""
    task = signal.task or reader.item("controller.tasks", signal.controller, signal.id)
    own: Task | None = reader.find(task)
    return own or slowest_task(reader, signal.controller)


def slowest_task(reader: Reader, controller: str) -> Task | None:
    """The task of a controller that does what is given to none; None where it has no task."""
    return max(reader.children(Task, controller), key=_period, default=None)


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
    if is_ports(rail):
        return _port_hops(module, device)
    if device.safety is not None and device.needs_safety:
        return tuple(_safe_hops(module, device, head))
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


def _safe_hops(module: Module, device: DeviceType, head: DeviceType | None) -> Iterator[Hop]:
    """What a safe module adds: itself, and its safe telegrams; the input delay is its pair's."""
    assert device.safety is not None
    own = device.safety.worst_ms
    yield _hop("conversion", f"{device.name} evaluation", f"{shown(own)} ms", module.id, 0, own)
    if head and head.safety:
        every = f"every {shown(head.safety.telegram_ms)} ms"
        yield _hop("bus", "Safe telegrams", every, module.id, head.safety.telegram_ms, head.safety.transit_ms)


def _pair_delay(reader: Reader, place: Place) -> Iterator[Hop]:
    """The input delay of the pair that a safe place is of."""
    device = reader.type(reader.value(place.holder, Module, "type"))
    channel = (
        next((c for c in device.each_channel() if c.bit == place.bit and c.group.inward), None) if device else None
    )
    pair = pair_at(device, reader.value(place.holder, Module, "settings"), channel.key) if channel else None
    if pair and place.area == "in":
        field = f"settings.pairs.{pair.key}.filter_ms"
        yield _hop("filter", "Input delay", f"{shown(pair.filter_ms)} ms", place.holder, 0, pair.filter_ms, field)


def _port_hops(module: Module, device: DeviceType) -> tuple[Hop, ...]:
    """What a port of an IO-Link master adds: its cycle, and the message within it; a pin that switches adds nothing."""
    cycle = float(cycle_ms(device, module.settings))
    if not cycle:
        return ()
    label, every = f"IO-Link port {module.slot or ''}".rstrip(), f"every {shown(cycle)} ms"
    message = float(port_message_ms(device, module.settings))
    return (_hop("port", label, every, module.id, cycle, message, "settings.cycle_ms"),)


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
    set_on = {"exchange": root, "station": station.id, "network": network.id}[bus.interval_on]
    hop = replace(
        _hop("exchange", label, detail, set_on, period, own.transaction_ms, bus.interval_field), late_ms=latest
    )
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


PARTS: tuple[Part, ...] = (
    Part("task.hop", "tasks", _task_hop, asked=True),
    Part("module.hops", "modules", _module_hops, asked=True),
    Part("exchange.hops", "exchanges", _exchange_hops, asked=True),
)
