"""From a controller's analysis to what runs: terminals, signal codes, images."""

from __future__ import annotations

from typing import Literal

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SignalCode, SimulatedController
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail, Terminal, module_terminals
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.plant.rows import Controller, Link, Module, Rail, Signal, Task
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.path import SignalPath, raw_type, task_of
from highmoor.core.signals.places import place_of
from highmoor.core.signals.scaling import Linear

_MARGIN = 16


def compiled_controller(analysis: Analysis, controller: Controller, clock: VirtualClock) -> SimulatedController:
    """A controller ready to run, its tasks begun."""
    plant, image = analysis.plant, analysis.result("controller.image", controller.id)
    head = analysis.catalogue.find(controller.type)
    image_in, image_out = bytearray(image.in_octets + _MARGIN), bytearray(image.out_octets + _MARGIN)
    rail = SimulatedRail(clock, image_in, image_out, int((head.bus_cycle_ms if head else 0) * NS_A_MS))
    rail.terminals.update(_terminals(analysis, controller, image))
    status = {status.exchange: (status.octet, status.bit) for status in image.status}
    starts = {start.exchange: (start.octet, start.bit) for start in image.starts}
    made = SimulatedController(controller.id, clock, image_in, image_out, rail, status, starts, image.codes)
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
                places = [image.item(module.id, area) for area in ("in", "out")]
                offsets = [item.offset if item else None for item in places]
                result.update(module_terminals(module.id, device, module.settings, *offsets))
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
    if facts and facts.controller == signal.controller and facts.octet is not None and facts.bit is not None:
        link = analysis.plant.get(facts.link, Link)
        place = place_of(reader, link.place, link.key)
        raw = raw_type(signal, place, link) or declared
        size = image.in_octets if facts.area == "in" else image.out_octets
        if facts.octet + max(raw.bits // 8, 1) <= size + _MARGIN:
            area = "in" if facts.area == "in" else "out"
            octet, bit, order = facts.octet, facts.bit, facts.order
            scaling, holder = Linear.of(link.scaling), (place.carrier if place else "") or link.place
    return SignalCode(signal.id, raw, declared, area, octet, bit, order, scaling, task.id if task else "", holder)
