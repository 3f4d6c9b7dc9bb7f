"""From a controller's analysis to what runs: terminals, signal codes, images."""

from __future__ import annotations

from typing import Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import NS_A_MS, SignalCode, SimulatedController, Terminal
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.plant.rows import Controller, Link, Module, Rail, Signal, Task
from highmoor.core.signals.datatypes import DATA_TYPES
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.path import SignalPath, raw_type, task_of
from highmoor.core.signals.places import place_of
from highmoor.core.signals.scaling import Linear

_MARGIN = 16


def compiled_controller(analysis: Analysis, controller: Controller, clock: VirtualClock) -> SimulatedController:
    """A controller ready to run, its tasks begun."""
    plant, image = analysis.plant, analysis.result("controller.image", controller.id)
    head = analysis.catalogue.find(controller.type)
    cycle = head.controller.bus_cycle_ms if head and head.controller else 0
    made = SimulatedController(
        controller.id,
        clock,
        bytearray(image.in_octets + _MARGIN),
        bytearray(image.out_octets + _MARGIN),
        _terminals(analysis, controller, image),
        {status.exchange: (status.octet, status.bit) for status in image.status},
        int(cycle * NS_A_MS),
    )
    for signal in plant.children(Signal, controller.id):
        code = _signal_code(analysis, signal, image)
        if code:
            made.signals[signal.id] = code
    made.start({task.id: task.period_ms for task in plant.children(Task, controller.id)})
    return made


def _terminals(analysis: Analysis, controller: Controller, image: ControllerImage) -> dict[str, Terminal]:
    result: dict[str, Terminal] = {}
    for rail in analysis.plant.children(Rail, controller.id):
        for module in analysis.plant.children(Module, rail.id):
            device = analysis.catalogue.find(module.type)
            if device:
                result.update(_module_terminals(module, device, image))
    return result


def _module_terminals(module: Module, device: DeviceType, image: ControllerImage) -> dict[str, Terminal]:
    result = {}
    filter_ms = module.settings.get("filter_ms", device.default_of("filter_ms")) or 0
    for channel in device.each_channel():
        item = image.item(module.id, "in" if channel.group.inward else "out")
        if item is None:
            continue
        key = f"{module.id}.{channel.key}"
        result[key] = Terminal(
            key,
            channel.group.inward,
            item.offset + channel.bit // 8,
            channel.bit % 8,
            channel.group.bits,
            channel.range(module.settings),
            int(filter_ms * NS_A_MS),
            int(device.conversion_ms * NS_A_MS),
        )
    return result


def _signal_code(analysis: Analysis, signal: Signal, image: ControllerImage) -> SignalCode | None:
    """The signal's first link compiled; without a usable one it is memory of the program."""
    declared = DATA_TYPES.get(signal.type)
    if declared is None:
        return None
    reader = Reader(analysis)
    task = task_of(reader, signal)
    path: SignalPath = analysis.result("signal.path", signal.id)
    facts = path.links[0] if path.links else None
    area: Literal["in", "out", ""] = ""
    raw, octet, bit, order, scaling, holder = declared, 0, 0, "ABCD", None, ""
    if facts and facts.octet is not None and facts.bit is not None:
        link = analysis.plant.get(facts.link, Link)
        raw = raw_type(signal, place_of(reader, link.place, link.key), link) or declared
        size = image.in_octets if facts.area == "in" else image.out_octets
        if facts.octet + max(raw.bits // 8, 1) <= size + _MARGIN:
            area = "in" if facts.area == "in" else "out"
            octet, bit, order = facts.octet, facts.bit, facts.order
            scaling, holder = Linear.of(link.scaling), link.place
    return SignalCode(signal.id, raw, declared, area, octet, bit, order, scaling, task.id if task else "", holder)
