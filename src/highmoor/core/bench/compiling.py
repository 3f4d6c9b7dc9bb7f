"""From a controller's analysis to what runs: terminals, signal codes, images."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SignalCode, SimulatedController
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail, Terminal, module_terminals
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.carried import Area
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Signal, Task
from highmoor.core.signals.beside import BY_KEY, CODE
from highmoor.core.signals.hops import task_of
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.path import LinkFacts, SignalPath
from highmoor.core.signals.places import RailPlace, block_of, is_field, network_of, place_of_link
from highmoor.core.signals.scaling import Scaling
from highmoor.core.signals.values import literal_value, raw_type

_MARGIN = 16


def compiled_controller(analysis: Analysis, controller: Controller, clock: VirtualClock) -> SimulatedController:
    """A controller ready to run, its tasks begun."""
    plant, image = analysis.plant, analysis.result("controller.image", controller.id)
    head = analysis.catalogue.find(controller.type)
    image_in, image_out = bytearray(image.in_octets + _MARGIN), bytearray(image.out_octets + _MARGIN)
    rail = SimulatedRail(clock, image_in, image_out, int((head.bus_cycle_ms if head else 0) * NS_A_MS))
    rail.terminals.update(_terminals(analysis, controller, image))
    seats = {key: (seat.octet, seat.bit) for key, seat in image.beside.items()}
    stretches = {name: (item.offset, item.octets) for name, item in image.items.items()}
    made = SimulatedController(controller.id, clock, image_in, image_out, rail, seats, stretches)
    for signal in plant.children(Signal, controller.id):
        codes = _signal_codes(analysis, signal, image)
        if codes:
            made.signals[signal.id] = codes[0]
            made.copies += codes[1:]
    made.start({task.id: task.period_ms for task in plant.children(Task, controller.id)})
    return made


def _terminals(analysis: Analysis, controller: Controller, image: ControllerImage) -> dict[str, Terminal]:
    result: dict[str, Terminal] = {}
    reader = Reader(analysis)
    for module in modules_behind(analysis.plant, controller.id):
        device = analysis.catalogue.find(module.type)
        if device:
            offsets = [_begin(reader, image, module, area) for area in ("in", "out")]
            result.update(module_terminals(module.id, device, module.settings, *offsets))
    return result


def _begin(reader: Reader, image: ControllerImage, module: Module, area: Area) -> int | None:
    """Where a module's octets begin in the image, its own or those of the module it hangs on; None for nowhere."""
    lies: RailPlace = reader.part("rail.place", module.rail)
    if not lies.carried:
        item = image.item(module.id, area)
        return item.offset if item else None
    block = block_of(reader, lies, module.id, area)
    item = image.item(block.carrier, area) if block else None
    return item.offset + block.first if item and block else None


def _signal_codes(analysis: Analysis, signal: Signal, image: ControllerImage) -> list[SignalCode]:
    """The signal's first link compiled, and the further places it is written to.

    Without a usable link it is memory of the program. Every place must be able to hold its value.
    """
    declared = DATA_TYPES.get(signal.type)
    if declared is None:
        return []
    path: SignalPath = analysis.result("signal.path", signal.id)
    codes = [_code(analysis, signal, declared, image, path.links[0] if path.links else None)]
    for facts in path.links[1:]:
        code = _code(analysis, signal, declared, image, facts)
        if code.area == "out":
            codes.append(code)
    low = max((code.least for code in codes if code.least is not None), default=None)
    high = min((code.most for code in codes if code.most is not None), default=None)
    return [replace(code, least=low, most=high) for code in codes]


def _code(
    analysis: Analysis, signal: Signal, declared: DataType, image: ControllerImage, facts: LinkFacts | None
) -> SignalCode:
    reader = Reader(analysis)
    task = task_of(reader, signal)
    area: Area | Literal[""] = ""
    raw, octet, bit, order, scaling, holder = declared, 0, 0, "ABCD", None, ""
    width, high, terminal, channel, supervised, words = 0, False, "", None, False, None
    if facts and facts.controller == signal.controller and facts.octet is not None and facts.bit is not None:
        link = analysis.plant.get(facts.link, Link)
        place = place_of_link(reader, link)
        raw = raw_type(signal.type, place, link) or declared
        size = image.in_octets if facts.area == "in" else image.out_octets
        packed = place is not None and raw.bits > 1 and is_field(place)
        if facts.octet + (max(raw.bits, facts.bits) + 7) // 8 + packed <= size + _MARGIN:
            area = "in" if facts.area == "in" else "out"
            octet, bit, order = facts.octet, facts.bit, facts.order
            made = Scaling.of(link.scaling)
            # With one that cannot be applied the count itself is the value.
            scaling = made if made and made.usable else None
            # What an exchange tells of itself stays true when it fails.
            beside_data = place is not None and place.kind in BY_KEY
            words = _words(reader, link.place) if place is not None and place.kind == CODE.key else None
            holder = "" if beside_data else (place.carrier if place else "") or link.place
            width = facts.bits if packed else 0
            high = packed and place is not None and place.high
            module = analysis.plant.find(link.place)
            if isinstance(module, Module):
                device = analysis.catalogue.find(module.type)
                channel = device.range_at(link.key, module.settings) if device else None
                own = device.channel(link.key) if device else None
                # Of a remote rail, its coupler knows what is wired; an octet has the terminals of several channels.
                terminal = "" if place is None or place.remote or own is None else f"{module.id}.{link.key}"
                supervised = own is not None and own.parameter(module.settings, "supervise") is not False
    least, most = _span(declared, raw, width, scaling, channel)
    begins = literal_value(signal.initial, declared) if signal.initial else None
    initial = begins if begins is not None else (False if declared.family == "bool" else 0)
    return SignalCode(
        signal.id, raw, declared, area, octet, bit, order, scaling, task.id if task else "", holder, width, least, most,
        terminal, channel, supervised, initial, words, high,
    )  # fmt: skip


def _words(reader: Reader, exchange: str) -> Callable[[int], str] | None:
    """How the error codes of an exchange read."""
    network = network_of(reader, reader.row(exchange, Exchange))
    bus = fieldbus_of(network.kind) if network else None
    return bus.explain if bus else None


def _span(
    declared: DataType, raw: DataType, width: int, scaling: Scaling | None, channel: AnalogueRange | None
) -> tuple[float | None, float | None]:
    """What a signal can be, in its own unit: its type, the count behind it, and the channel's own ends of that."""
    spans: list[tuple[float, float]] = []
    if declared.low is not None and declared.high is not None:
        spans.append((declared.low, declared.high))
    bits = width or raw.bits
    counts: list[tuple[float, float]] = []
    if raw.family != "real" and raw.bits > 1:
        counts.append((-(1 << bits - 1), (1 << bits - 1) - 1) if raw.family == "signed" else (0, (1 << bits) - 1))
    if channel is not None:
        counts.append((channel.raw_min, channel.raw_max))
    for low, high in counts:
        ends = sorted((scaling.value(low), scaling.value(high))) if scaling else [low, high]
        spans.append((ends[0], ends[1]))
    if scaling and scaling.held:
        spans.append(scaling.held)
    return max((s[0] for s in spans), default=None), min((s[1] for s in spans), default=None)
