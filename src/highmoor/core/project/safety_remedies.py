"""Remedies for safety functions and safe modules: the setting that mends, and what hands have to do with it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import ceil

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.analysis.findings import Finding
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.hardware.safe_pairs import Pair, pair_at, pairs_of
from highmoor.core.numbers import exact, fraction_at, number_at, plain, shown
from highmoor.core.plant.rows import (
    Axis,
    Controller,
    Link,
    Module,
    SafetyFunction,
    SafetyPart,
    Signal,
    Use,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import free_name
from highmoor.core.project.remedy import Hand, Remedy, set_fields, tried
from highmoor.core.safety.fields import places_of_controller
from highmoor.core.safety.lanes import link_ms
from highmoor.core.safety.part_checks import ramp_ms
from highmoor.core.safety.proof_checks import reckoned_ms
from highmoor.core.safety.proofs import ProofsTold
from highmoor.core.safety.settings import safe_part_of

_IN_CABINET: Hand = "in the project, and by hand in the cabinet"
_AT_MACHINE: Hand = "in the project, and by hand at the machine"


def _function(analysis: Analysis, found: Finding) -> SafetyFunction:
    return analysis.plant.get(found.places[0].id, SafetyFunction)


def _part(analysis: Analysis, found: Finding) -> SafetyPart:
    return analysis.plant.get(found.places[0].id, SafetyPart)


def _set(label: str, row: str, hand: Hand = "in the project", **values: object) -> Remedy:
    made = set_fields(label, row, **values)
    return Remedy(label, hand, made.edit)


def _other_name(analysis: Analysis, found: Finding) -> Remedy:
    own = _function(analysis, found)
    name = free_name(own.name, {one.name.lower() for one in analysis.plant.children(SafetyFunction, own.controller)})
    return set_fields(f"Call it {name}", own.id, name=name)


def _free_pairs(analysis: Analysis, part: SafetyPart) -> Iterator[tuple[Module, Pair]]:
    """Pairs that a part could be wired to, and nothing else is."""
    plant, catalogue = analysis.plant, analysis.catalogue
    taken = {(one.place, one.key) for one in plant.all(SafetyPart)}
    controller = plant.get(part.function, SafetyFunction).controller
    for module, device in places_of_controller(plant, catalogue, controller):
        for pair in pairs_of(device, module.settings):
            if pair.inward == (part.role == "sensor") and (module.id, pair.key) not in taken:
                yield module, pair


def _to_a_pair(analysis: Analysis, found: Finding) -> Remedy | None:
    """Of the second channel the pair's first; else the first pair that is free."""
    part = _part(analysis, found)
    row = analysis.plant.find(part.place)
    pair = pair_at(analysis.catalogue.find(row.type), row.settings, part.key) if isinstance(row, Module) else None
    if pair and pair.inward == (part.role == "sensor"):
        return _set(f"Name it by {pair.called}", part.id, key=pair.key)
    return _rewired(analysis, part)


def _rewired(analysis: Analysis, part: SafetyPart) -> Remedy | None:
    module, pair = next(_free_pairs(analysis, part), (None, None))
    if module is None or pair is None:
        return None
    device = analysis.catalogue.find(module.type)
    called = module.designation or (device.name if device else "")
    return _set(f"Wire it to {called}, {pair.called}", part.id, _IN_CABINET, place=module.id, key=pair.key)


def _to_a_free_pair(analysis: Analysis, found: Finding) -> Remedy | None:
    return _rewired(analysis, _part(analysis, found))


def _supply_off(analysis: Analysis, found: Finding) -> Remedy:
    return _set("Stop category 0", found.places[0].id, settings__stop_category=0)


def _by_hand(analysis: Analysis, found: Finding) -> Remedy:
    return _set("Reset by hand", found.places[0].id, settings__restart="hand")


def _reset_by(analysis: Analysis, found: Finding) -> Remedy | None:
    """The one that resets the controller's other functions; else the one plain signal that is called so."""
    own, plant = _function(analysis, found), analysis.plant
    uses = [use for one in plant.children(SafetyFunction, own.controller) for use in plant.children(Use, one.id)]
    named = [plant.get(i, Signal) for i in dict.fromkeys(use.signal for use in uses if use.role == "reset")]
    if not named:
        plain = (signal for signal in plant.children(Signal, own.controller) if signal.type == "BOOL")
        named = [signal for signal in plain if "reset" in signal.name.lower()]
    if len(named) != 1:
        return None
    edit = edits.UseSignal(of=own.id, role="reset", signal=named[0].id)
    return Remedy(f"Reset by {named[0].name}", "in the project", edit)


def _start_apart(analysis: Analysis, found: Finding) -> Remedy:
    edit = edits.UseSignal(of=found.places[0].id, role="start")
    return Remedy("Start by no signal of its own yet", "in the project", edit)


def _reset_outside(analysis: Analysis, found: Finding) -> Remedy:
    return _set("Put it outside, in view", found.places[0].id, _AT_MACHINE, settings__reset_at="outside")


def _pair_of(found: Finding, at: int = 0) -> tuple[str, str]:
    """The module and the pair that a finding names."""
    place = found.places[at]
    return place.id, ".".join(place.field.split(".")[:3])


def _set_pair(label: str, module: str, path: str, hand: Hand = _IN_CABINET, **values: object) -> Remedy:
    fields = {f"{path}.{key}": value for key, value in values.items()}
    return Remedy(label, hand, edits.SetFields(ids=[module], values=fields))


def _two_channels(analysis: Analysis, found: Finding) -> Remedy:
    return _set_pair("Take both channels together", *_pair_of(found, 1), evaluation="1oo2")


def _test_pulses(analysis: Analysis, found: Finding) -> Remedy:
    return _set_pair("Supply it with test pulses", *_pair_of(found), supply="pulsed", cross_circuit=True)


def _later(analysis: Analysis, found: Finding) -> Remedy | None:
    axis = analysis.plant.get(found.places[1].id, Axis)
    ramp = ramp_ms(axis)
    return (
        _set(f"Supply goes after {ceil(ramp)} ms", found.places[0].id, settings__delay_ms=ceil(ramp)) if ramp else None
    )


def _wait_longer(analysis: Analysis, found: Finding) -> Remedy:
    part = _part(analysis, found)
    waits = ceil(1.2 * number_at(part.settings, "drop_out_ms"))
    return _set(f"Expect it within {waits} ms", part.id, settings__feedback_ms=waits)


def _longer_watchdog(analysis: Analysis, found: Finding) -> Remedy | None:
    reader = Reader(analysis)
    module = analysis.plant.get(found.places[0].id, Module)
    device = analysis.catalogue.find(module.type)
    parts = [analysis.plant.get(i, SafetyPart) for i in analysis.plant.referring("safety_parts", "place", module.id)]
    one_way = next((ms for part in parts if (ms := link_ms(reader, module, part.key)) is not None), None)
    if device is None or device.safety is None or one_way is None:
        return None
    controller = analysis.plant.get(analysis.plant.get(parts[0].function, SafetyFunction).controller, Controller)
    floor = ceil(2 * one_way + exact(device.safety.ack_ms) + safe_part_of(controller.settings).worst)
    return _set(f"Watch for {floor} ms", module.id, settings__safe_watchdog_ms=floor)


def _longer_logic_watchdog(analysis: Analysis, found: Finding) -> Remedy:
    controller = analysis.plant.get(found.places[0].id, Controller)
    worst = ceil(safe_part_of(controller.settings).worst)
    return _set(f"Watchdog of {worst} ms", controller.id, settings__safe_watchdog_ms=worst)


def _as_measured(analysis: Analysis, found: Finding) -> Remedy | None:
    """The stop reckoned with becomes what was measured, in whole milliseconds up, in every function that stops it."""
    part = _part(analysis, found)
    told: ProofsTold = analysis.result("function.proofs", part.function)
    last = next((one.value_ms for one in told.records[part.id] if one.kind == "stop-time" and one.counts), None)
    if last is None:
        return None

    def stop(one: SafetyPart) -> int:
        return ceil(exact(last) - exact(reckoned_ms(one)) + exact(number_at(one.settings, "stop_ms")))

    axis = part.device if isinstance(analysis.plant.find(part.device), Axis) else None
    others = [one for one in analysis.plant.all(SafetyPart) if axis and one.device == axis and one.role == "actuator"]
    late = [one for one in others if one.id == part.id or exact(last) > exact(reckoned_ms(one))] or [part]
    made: list[edits.Edit] = [edits.SetFields(ids=[one.id], values={"settings.stop_ms": stop(one)}) for one in late]
    label = f"Reckon with {stop(part)} ms" + (f" in {len(late)} functions" if len(late) > 1 else "")
    return Remedy(label, "in the project", edits.Batch(edits=made) if len(made) > 1 else made[0])


def _locked(analysis: Analysis, found: Finding) -> Remedy:
    return _set("Lock it until all stands", found.places[0].id, _AT_MACHINE, settings__locked=True)


def _safe_type(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields(f"Make it a {SAFE_TYPE}", found.places[0].id, type=SAFE_TYPE)


def _plain_type(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Make it a BOOL", found.places[0].id, type="BOOL")


def _to_the_first(analysis: Analysis, found: Finding) -> Remedy | None:
    """Where the value lies, if nothing is linked there; else each channel alone."""
    link = analysis.plant.get(found.places[1].id, Link)
    module = analysis.plant.get(link.place, Module)
    pair = pair_at(analysis.catalogue.find(module.type), module.settings, link.key)
    if pair is None:
        return None
    links = [analysis.plant.get(i, Link) for i in analysis.plant.referring("links", "place", module.id)]
    if any(other.key == pair.key for other in links):
        path = f"settings.pairs.{pair.key}"
        return tried(analysis, found, _set_pair("Take each channel alone", module.id, path, evaluation="1oo1"))
    edit = edits.LinkSignal(signal=link.signal, place=module.id, key=pair.key, instead=link.id)
    return Remedy(f"Link it to {pair.called}", "in the project", edit)


def _pass_over(analysis: Analysis, found: Finding) -> Remedy | None:
    """The shortest input delay beyond the pulse."""
    module, path = _pair_of(found)
    pulse = fraction_at(analysis.plant.get(found.places[1].id, SafetyPart).settings, "pulse_ms")
    device = analysis.catalogue.find(analysis.plant.get(module, Module).type)
    choices = next((p.choices for p in device.parameters if p.key == "filter_ms"), ()) if device else ()
    longer = sorted(value for value, _ in choices if pulse is not None and exact(value) > pulse)
    if not longer:
        return None
    label = f"Input delay of {shown(plain(exact(longer[0])))} ms"
    return _set_pair(label, module, path, "in the project", filter_ms=longer[0])


def _from_outside(analysis: Analysis, found: Finding) -> Remedy:
    return _set_pair("Supply it from outside", *_pair_of(found), supply="external", cross_circuit=False)


SAFETY_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "SAF-102": _other_name,
    "SAF-103": _to_a_pair,
    "SAF-104": _to_a_free_pair,
    "SAF-109": _supply_off,
    "SAF-110": _by_hand,
    "SAF-111": _reset_by,
    "SAF-112": _start_apart,
    "SAF-113": _reset_outside,
    "SAF-114": _two_channels,
    "SAF-115": _test_pulses,
    "SAF-116": _to_a_free_pair,
    "SAF-118": _later,
    "SAF-120": _wait_longer,
    "SAF-123": _longer_watchdog,
    "SAF-124": _longer_logic_watchdog,
    "SAF-125": _as_measured,
    "SAF-129": _locked,
    "SAF-201": _safe_type,
    "SAF-202": _plain_type,
    "SAF-203": _to_the_first,
    "SAF-204": _test_pulses,
    "SAF-205": _pass_over,
    "SAF-206": _from_outside,
}
