"""Checks of rails (HW-1xx)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.errors import Refusal
from highmoor.core.hardware.parameters import module_fields
from highmoor.core.hardware.parts import ControllerPorts, RailMounting, RailPower
from highmoor.core.plant.change import flattened
from highmoor.core.plant.rows import Controller, Module, Rail


def _short(result: RailPower, reader: Reader, root: str) -> Iterator[Finding]:
    if result.first_short is None:
        return
    at = next(n for n, step in enumerate(result.steps) if step.module == result.first_short)
    step = result.steps[at]
    device = reader.type(reader.row(result.first_short, Module).type)
    yield finding(
        "HW-101",
        step.module or root,
        slot=step.slot,
        module=device.name if device else "",
        before=step.left_ma + step.draw_ma,
        draw=step.draw_ma,
        missing=-step.left_ma,
    )


def _uncovered(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    if result.wants_covers and result.open_places:
        slots = [str(seat.slot) for seat in result.seats if seat.module is None]
        yield finding("HW-102", root, count=len(slots), slots=", ".join(slots), head=result.head_name)


def _too_many(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    rail = reader.row(root, Rail)
    for seat in result.seats:
        if seat.module and seat.slot > rail.places:
            yield finding("HW-103", seat.module, name=seat.label, slot=seat.slot, places=rail.places)


def _type_missing(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for seat in result.seats:
        if seat.module and seat.kind == "unknown":
            yield finding("HW-104", (seat.module, "type"), slot=seat.slot, type=seat.type)


def _controller_type(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    controller = reader.row(root, Controller)
    if reader.type(controller.type) is None:
        yield finding("HW-105", (root, "type"), name=controller.name, type=controller.type)


def _firmware(result: ControllerPorts, reader: Reader, root: str) -> Iterator[Finding]:
    controller = reader.row(root, Controller)
    device = reader.type(controller.type)
    if device and controller.firmware not in device.revisions:
        yield finding(
            "HW-106",
            (root, "firmware"),
            name=controller.name,
            firmware=controller.firmware,
            type=device.name,
            offered=", ".join(device.revisions),
        )


def _safety_head(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    head = reader.type(reader.row(result.head, Controller).type) if result.head else None
    if head is None or (head.controller and head.controller.safety):
        return
    for seat in result.seats:
        device = reader.type(seat.type) if seat.module else None
        if seat.module and device and device.needs_safety:
            yield finding("HW-107", seat.module, name=seat.label, head=result.head_name)


def _at_most(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    counted = Counter(seat.type for seat in result.seats if seat.module)
    for key, count in counted.items():
        device = reader.type(key)
        if device and device.at_most is not None and count > device.at_most:
            last = [seat.module for seat in result.seats if seat.type == key and seat.module][-1]
            yield finding("HW-108", last, name=device.name, count=count, most=device.at_most)


def _slotless(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for module in reader.children(Module, root) if result.addressed else ():
        if module.slot is None or module.slot < 1:
            yield finding("HW-109", (module.id, "slot"), name=module.designation or module.type)


def _slot_twice(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    seen: dict[int, str] = {}
    for module in reader.children(Module, root) if result.addressed else ():
        if module.slot in seen:
            yield finding("HW-110", (module.id, "slot"), seen[module.slot], slot=module.slot)
        elif module.slot is not None:
            seen[module.slot] = module.id


def _parameters(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for module in reader.children(Module, root):
        device = reader.type(module.type)
        if device is None or not module.settings:
            continue
        specs = {spec.path: spec for spec in module_fields(module, device)}
        for path, value in flattened(module).items():
            if not path.startswith("settings."):
                continue
            spec = specs.get(path)
            problem = "" if spec else f"{device.name} has no setting {path.removeprefix('settings.')}"
            if spec:
                try:
                    spec.parse(value)
                except Refusal as refusal:
                    problem = refusal.reason.rstrip(".")
            if problem:
                yield finding("HW-111", (module.id, path), problem=problem)


CHECKS: tuple[Check, ...] = (
    Check(
        "HW-101", "rail.power", "hardware", "error", "Internal supply short",
        "{module} in slot {slot} goes short of internal current: {before} mA are left before it, "
        "it draws {draw} mA, {missing} mA are missing.",
        "From the first module that goes short on, the modules may drop out or never start.",
        _short,
    ),
    Check(
        "HW-102", "rail.mounting", "hardware", "warning", "Open slots without a cover",
        "{count} open without a cover: slot {slots}.",
        "This head wants every unused slot covered: dust and fingers reach the contacts of the internal bus.",
        _uncovered,
    ),
    Check(
        "HW-103", "rail.mounting", "hardware", "error", "No place on the rail",
        "{name} would sit in slot {slot}, but the rail has {places} places.",
        "A module beyond the last place cannot be mounted.",
        _too_many,
    ),
    Check(
        "HW-104", "rail.mounting", "hardware", "error", "Module type missing",
        "The catalogue has no type {type} for the module in slot {slot}.",
        "Without its type, its current, octets and channels are unknown and count as nothing.",
        _type_missing,
    ),
    Check(
        "HW-105", "controller.ports", "hardware", "error", "Controller type missing",
        "The catalogue has no type {type} for {name}.",
        "Without its type, its supply, slots and alignment are unknown.",
        _controller_type,
    ),
    Check(
        "HW-106", "controller.ports", "hardware", "warning", "Firmware revision not offered",
        "{name} is set to firmware {firmware}; {type} is known with {offered}.",
        "A controller of another revision may refuse the download, or behave otherwise than computed here.",
        _firmware,
    ),
    Check(
        "HW-107", "rail.mounting", "hardware", "error", "Safe module on a head that is not safety-capable",
        "{name} needs a safety-capable head; {head} is not one.",
        "Without the safety part in the head a safe module stays held safe for ever.",
        _safety_head, "IEC 61784-3",
    ),
    Check(
        "HW-108", "rail.mounting", "hardware", "error", "Too many of one type",
        "{count} × {name} on one rail; {most} are allowed.",
        "The head serves no more of this type.",
        _at_most,
    ),
    Check(
        "HW-109", "rail.mounting", "hardware", "error", "Module without a slot",
        "{name} has no slot number; on this rail slots are addressed.",
        "The head finds its modules by their slot number.",
        _slotless,
    ),
    Check(
        "HW-110", "rail.mounting", "hardware", "error", "Two modules in one slot",
        "Slot {slot} is taken twice.",
        "Only one module fits into a slot.",
        _slot_twice,
    ),
    Check(
        "HW-111", "rail.mounting", "hardware", "error", "Setting that does not fit",
        "{problem}.",
        "The module would refuse the setting, or take its default.",
        _parameters,
    ),
)  # fmt: skip
