"""Edits of safety functions: a new one, its sensors and actuators, and which signals reset, start and feed back."""

from __future__ import annotations

import dataclasses
from typing import Any

from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.errors import Refusal
from highmoor.core.hardware.safe_pairs import pair_at, pairs_of
from highmoor.core.plant.rows import (
    Axis,
    Controller,
    Exchange,
    Link,
    Module,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Station,
    Use,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.patterns import worded
from highmoor.core.project.scanner_signals import of_a_kind, scanner_roles
from highmoor.core.project.signal_edits import add_signals
from highmoor.core.project.signal_names import SignalNames
from highmoor.core.safety.scanner.types import scanner_set
from highmoor.core.safety.settings import BLOCKS

# What a signal may be to a function, and to an actuator of one.
FUNCTION_ROLES = ("reset", "start", "stop")
PART_ROLES = ("feedback",)


def add_function(draft: Draft, edit: edits.AddSafetyFunction) -> None:
    """A function behind the controller's last. Raises Refusal for a controller without a safe part."""
    controller = draft.plant.get(draft.resolve(edit.controller), Controller)
    device = draft.catalogue.find(controller.type)
    if device is None or device.safety is None:
        raise Refusal(f"{controller.name} has no safe part.", place=controller.id, field="controller")
    taken = [one.name for one in draft.plant.children(SafetyFunction, controller.id)]
    name = edit.name or draft.free_name("Safety function 1", taken)
    rank = draft.last_rank(SafetyFunction, controller.id)[0]
    row = SafetyFunction(draft.new_id("functions"), controller.id, name, rank)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def add_part(draft: Draft, edit: edits.AddSafetyPart) -> None:
    """A sensor or an actuator behind the function's last, wired to the first pair that is free unless it is said."""
    function = draft.plant.get(draft.resolve(edit.function), SafetyFunction)
    block = BLOCKS[edit.role].get(edit.block)
    if block is None:
        known = ", ".join(BLOCKS[edit.role])
        raise Refusal(f"“{edit.block}” is no kind of {edit.role}; there are {known}.", field="block", value=edit.block)
    place, key = _wired(draft, edit)
    device: Any = draft.plant.get(draft.resolve(edit.device), object) if edit.device else None
    if device is not None and not isinstance(device, Station | Axis | Scanner):
        raise Refusal("A part is a station, an axis or a scanner.", place=edit.device or "", field="device")
    parts = draft.plant.children(SafetyPart, function.id)
    usual = device.name if device else block.label.capitalize()
    name = edit.name or draft.free_name(usual, [part.name for part in parts])
    rank = draft.last_rank(SafetyPart, function.id)[0]
    row = SafetyPart(
        draft.new_id("safety_parts"), function.id, edit.role, name, rank, edit.block, place, key,
        device.id if device else None, settings=_at_output(draft, device, (place, key)),
    )  # fmt: skip
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _at_output(
    draft: Draft, device: Station | Axis | Scanner | None, wired: tuple[str | None, str]
) -> dict[str, object]:  # fmt: skip
    """Of a scanner the output that is wired there already, else the first that no part answers to yet."""
    if not isinstance(device, Scanner):
        return {}
    parts = [draft.plant.get(i, SafetyPart) for i in draft.plant.referring("safety_parts", "device", device.id)]
    there = [part.settings.get("output", 1) for part in parts if part.place and (part.place, part.key) == wired]
    taken = {part.settings.get("output", 1) for part in parts}
    free = (n for n in range(1, scanner_set(device.type, device.settings).outputs + 1) if n not in taken)
    output = next(iter(there), None) or next(free, 1)
    return {"output": output} if output != 1 else {}


def _wired(draft: Draft, edit: edits.AddSafetyPart) -> tuple[str | None, str]:
    """What it is wired to, and which channel of that."""
    if edit.place is None:
        return None, ""
    place: Module | Exchange = draft.plant.get(draft.resolve(edit.place), object)  # type: ignore[assignment]
    if not isinstance(place, Module | Exchange):
        raise Refusal("A part of a safety function is wired to a module, or comes over an exchange.", place=place.id,
                      field="place")  # fmt: skip
    if edit.key or not isinstance(place, Module):
        return place.id, edit.key
    taken = {(one.place, one.key) for one in draft.plant.all(SafetyPart)}
    inward = edit.role == "sensor"
    keys = [one.key for one in pairs_of(draft.catalogue.find(place.type), place.settings) if one.inward == inward]
    return place.id, next((key for key in keys if (place.id, key) not in taken), keys[0] if keys else "")


def _roles(of: SafetyFunction | SafetyPart | Scanner) -> tuple[str, ...]:
    if isinstance(of, Scanner):
        return scanner_roles(of)
    if isinstance(of, SafetyFunction):
        return FUNCTION_ROLES
    return PART_ROLES if of.role == "actuator" else ()


def use_signal(draft: Draft, edit: edits.UseSignal) -> None:
    """A signal in a role, instead of the one that had it; none takes it away. Raises Refusal for a role that nothing
    of the kind has, and for another controller's signal."""
    of = draft.plant.get(draft.resolve(edit.of), object)
    if not isinstance(of, SafetyFunction | SafetyPart | Scanner):
        raise Refusal("Signals are used so by safety functions, their actuators and scanners.", place=edit.of)
    roles = _roles(of)
    if edit.role not in roles:
        raise Refusal(f"“{edit.role}” is nothing that a signal can be to {of.name}.", field="role", value=edit.role)
    owner = draft.plant.get(of.function, SafetyFunction) if isinstance(of, SafetyPart) else of
    own = [use for use in draft.plant.children(Use, of.id) if use.role == edit.role]
    if edit.signal is None:
        draft.remove([use.id for use in own])
        return
    signal = draft.plant.get(draft.resolve(edit.signal), Signal)
    if signal.controller != owner.controller:
        raise Refusal(f"{signal.name} is another controller's.", place=signal.id, field="signal")
    if isinstance(of, Scanner):
        of_a_kind(draft, signal)
    if own:
        draft.put(dataclasses.replace(own[0], signal=signal.id))
        return
    draft.put(Use(draft.new_id("uses"), of.id, signal.id, edit.role, draft.last_rank(Use, of.id)[0]))


def name_parts(draft: Draft, edit: edits.NameParts) -> None:
    """Raises Refusal for a pattern that is not understood, and where every pair has its signal."""
    of = draft.plant.get(draft.resolve(edit.of), object)
    if isinstance(of, Scanner):
        ids = draft.plant.referring("safety_parts", "device", of.id)
        parts = [draft.plant.get(one, SafetyPart) for one in ids]
    elif isinstance(of, SafetyFunction):
        parts = draft.plant.children(SafetyPart, of.id)
    else:
        raise Refusal("Parts are those of a safety function, or of a scanner.", place=edit.of)
    named = {
        (link.place, link.key) for one in parts if one.place
        for link in (draft.plant.get(i, Link) for i in draft.plant.referring("links", "place", one.place))
    }  # fmt: skip
    names = SignalNames(draft, of.controller)
    made = 0
    for part in parts:
        module = draft.plant.find(part.place)
        if not isinstance(module, Module) or (module.id, part.key) in named:
            continue
        if pair_at(draft.catalogue.find(module.type), module.settings, part.key) is None:
            continue
        named.add((module.id, part.key))
        made += 1
        name = names.new(_worded(draft, edit.pattern, part))
        add_signals(draft, edits.AddSignals(controller=of.controller, pattern=name, type=SAFE_TYPE,
                                            place=module.id, key=part.key))  # fmt: skip
    if not made:
        raise Refusal("Everything they are wired to has a signal.", place=edit.of)


def _worded(draft: Draft, pattern: str, part: SafetyPart) -> str:
    """A pattern with the words of a part put in."""
    scanner = draft.plant.find(part.device)
    words = {
        "part": part.name, "function": draft.plant.get(part.function, SafetyFunction).name,
        "scanner": scanner.name if isinstance(scanner, Scanner) else "", "output": str(part.settings.get("output", 1)),
    }  # fmt: skip
    return worded(pattern, words)
