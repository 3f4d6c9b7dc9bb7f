"""Checks of rails (HW-1xx)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import is_ports, rail_takes
from highmoor.core.hardware.parameters import RAIL_FIELDS, module_fields
from highmoor.core.hardware.parts import ControllerPorts, RailMounting, RailPower, head_of
from highmoor.core.plant.change import flattened
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Controller, Module, Rail


def _short(result: RailPower, reader: Reader, root: str) -> Iterator[Finding]:
    if result.first_short is None or not result.known:
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
        what = "1 open slot" if len(slots) == 1 else f"{len(slots)} open slots"
        yield finding("HW-102", root, what=what, slots=", ".join(slots), head=result.head_name)


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
    _, head = head_of(reader, reader.row(root, Rail))
    if head is None or (head.controller and head.safety):
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
            device = reader.type(module.type)
            name = module.designation or (device.name if device else module.type)
            yield finding("HW-109", (module.id, "slot"), name=name)


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
        if device is not None and module.settings:
            # What is set for a fieldbus, or for a port, is its own to judge.
            judged = not device.set_by_bus and not is_ports(reader.row(root, Rail))
            for path, problem in _misfits(module, module_fields(module, device), device.name) if judged else ():
                yield finding("HW-111", (module.id, path), problem=problem)


def _rail_settings(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    rail = reader.row(root, Rail)
    judged = rail.settings and not is_ports(rail)
    for path, problem in _misfits(rail, RAIL_FIELDS, rail.name) if judged else ():
        yield finding("HW-118", (root, path), problem=problem)


def _misfits(row: Module | Rail, specs: tuple[FieldSpec, ...], name: str) -> Iterator[tuple[str, str]]:
    """Settings nobody knows, or that their fields would refuse, with the reason."""
    known = {spec.path: spec for spec in specs}
    for path, value in flattened(row).items():
        if not path.startswith("settings."):
            continue
        spec = known.get(path)
        if spec is None:
            yield path, f"{name} has no setting {path.removeprefix('settings.')}"
            continue
        try:
            spec.parse(value)
        except Refusal as refusal:
            yield path, refusal.reason.rstrip(".")


def _wrong_slot(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for seat in result.seats:
        device = reader.type(seat.type) if seat.module else None
        if seat.module and device and device.only_slots and seat.slot not in device.only_slots:
            yield finding(
                "HW-112", seat.module, name=seat.label, slot=seat.slot, allowed=_listed_slots(device.only_slots)
            )


def _missing_module(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    _, head = head_of(reader, reader.row(root, Rail))
    at = {seat.slot: seat.type for seat in result.seats}
    for slot in head.slots if head else ():
        wanted = f"{head.key}/{slot.default}" if head else ""
        if slot.fixed and at.get(slot.number) != wanted:
            device = reader.type(wanted)
            yield finding(
                "HW-120", root, slot=slot.number, name=device.name if device else slot.default, head=result.head_name
            )


def _listed_slots(slots: tuple[int, ...]) -> str:
    """Slots as people write them: 1–4, 6."""
    runs: list[list[int]] = []
    for slot in sorted(slots):
        if runs and slot == runs[-1][1] + 1:
            runs[-1][1] = slot
        else:
            runs.append([slot, slot])
    return ", ".join(str(a) if a == b else f"{a}–{b}" for a, b in runs)


def _only_after(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    before: set[str] = set()
    for seat in result.seats:
        device = reader.type(seat.type) if seat.module else None
        if seat.module and device and device.only_after and not before & set(device.only_after):
            names = [other.name if (other := reader.type(key)) else key for key in device.only_after]
            yield finding("HW-113", seat.module, name=seat.label, needs=" or ".join(names))
        before.add(seat.type)


def _module_revision(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for module in reader.children(Module, root):
        device = reader.type(module.type) if module.revision else None
        if device and module.revision not in device.revisions:
            yield finding(
                "HW-114",
                (module.id, "revision"),
                name=module.designation or device.name,
                revision=module.revision,
                offered=", ".join(device.revisions) or "no revision",
            )


def _too_hot(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    if result.heat_limit_w is not None and result.heat_w > result.heat_limit_w:
        yield finding(
            "HW-115", (root, "settings.heat_limit_w"), heat=result.heat_w, limit=result.heat_limit_w,
            over=round(result.heat_w - result.heat_limit_w, 1),
        )  # fmt: skip


def _foreign(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    """Modules of a file belong to the device of that file, those of an internal bus to its couplers, others to built-in
    heads."""
    rail = reader.row(root, Rail)
    _, head = head_of(reader, rail)
    for seat in result.seats:
        device = reader.type(seat.type) if seat.module else None
        if seat.module and head and device and device.joins != rail_takes(rail, head):
            yield finding("HW-116", (seat.module, "type"), name=seat.label, head=result.head_name)


def _head_octets(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    _, head = head_of(reader, reader.row(root, Rail))
    if head is None or not head.modules:
        return
    types = [device for seat in result.seats if seat.module and (device := reader.type(seat.type))]
    into, out = sum(device.in_octets for device in types), sum(device.out_octets for device in types)
    for what, octets, limit in (
        ("in", into, head.limits.in_octets),
        ("out", out, head.limits.out_octets),
        ("in and out together", into + out, head.limits.data_octets),
    ):
        if limit is not None and octets > limit:
            yield finding("HW-117", root, head=result.head_name, octets=octets, what=what, limit=limit)


def _no_order_number(result: RailMounting, reader: Reader, root: str) -> Iterator[Finding]:
    for seat in result.seats:
        device = reader.type(seat.type) if seat.module else None
        # Modules of a file seldom have one of their own: they are ordered as the file's maker says.
        # What is generic says of itself that it is anybody's.
        known = device is not None and not device.key.startswith("generic.")
        if seat.module and device and known and not device.order_number and "/" not in seat.type:
            yield finding("HW-119", (seat.module, "type"), name=seat.label)


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
        "{what} without a cover: {slots}.",
        "This head wants every unused slot covered: dust and fingers reach the contacts of the internal bus.",
        _uncovered,
    ),
    Check(
        "HW-103", "rail.mounting", "hardware", "error", "No place on the rail",
        "{name} does not fit: the rail has {places} places.",
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
    Check(
        "HW-118", "rail.mounting", "hardware", "error", "Setting of a rail that does not fit",
        "{problem}.", "What cannot be read counts as not given.", _rail_settings,
    ),
    Check(
        "HW-119", "rail.mounting", "hardware", "note", "Order number unknown",
        "The type of {name} has no order number.", "The quantity list cannot say what to buy.", _no_order_number,
    ),
    Check(
        "HW-112", "rail.mounting", "hardware", "error", "Slot this module may not take",
        "{name} may only stand in slot {allowed}.",
        "The head looks for a module of this kind in these slots only.", _wrong_slot,
    ),
    Check(
        "HW-113", "rail.mounting", "hardware", "error", "Module that must stand behind another",
        "{name} needs {needs} before it on the rail.", "It gets its supply or its bus from there.", _only_after,
    ),
    Check(
        "HW-114", "rail.mounting", "hardware", "warning", "Module revision not offered",
        "{name} is set to revision {revision}; its type is known with {offered}.",
        "What is computed here may not hold for a revision nobody has described.", _module_revision,
    ),
    Check(
        "HW-115", "rail.mounting", "hardware", "warning", "Too much heat for the cabinet",
        "The rail gives {heat} W of heat, the cabinet can take {limit} W: {over} W too much.",
        "Above their temperature modules derate or shut down, first on the hottest day.", _too_hot, "IEC TR 60890",
    ),
    Check(
        "HW-116", "rail.mounting", "hardware", "error", "Module of another head",
        "{name} does not belong on a rail of {head}.",
        "A head knows the modules that its file lists, or those of its own internal bus.", _foreign,
    ),
    Check(
        "HW-120", "rail.mounting", "hardware", "error", "Module that cannot be missing",
        "Slot {slot} of {head} holds {name} and nothing else.",
        "Its file says that it is fixed there: without it the device refuses its configuration.", _missing_module,
    ),
    Check(
        "HW-117", "rail.mounting", "hardware", "error", "More data than the station carries",
        "{octets} octets {what} on the rail of {head}; its file allows {limit}.",
        "A station refuses a configuration that is longer than it can hold.", _head_octets,
    ),
)  # fmt: skip
