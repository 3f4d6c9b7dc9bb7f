"""Remedies of what is set on a row or linked to a place: the default, the next that is free, the nearest that fits."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.analysis.findings import Finding
from highmoor.core.datatypes import DATA_TYPES, DataType
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Link, Module, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.remedy import Remedy, set_fields, tried
from highmoor.core.signals.at import At
from highmoor.core.signals.path import SignalPath
from highmoor.core.signals.places import in_words, place_of

_LAST_NUMBER = re.compile(r"(?P<head>[a-z]+)(?P<number>\d{1,5})(?P<bit>\.\d{1,2})?")
_SLOTS_AT_MOST = 256


def _default_again(_: Analysis, found: Finding) -> Remedy | None:
    return set_fields("Take the default", found.places[0].id, **{found.places[0].field.replace(".", "__"): None})


def _free_slot(analysis: Analysis, found: Finding) -> Remedy | None:
    """The first slot nobody is in."""
    module = analysis.plant.get(found.places[0].id, Module)
    taken = {other.slot for other in analysis.plant.children(Module, module.rail)}
    slot = next((n for n in range(1, _SLOTS_AT_MOST) if n not in taken), None)
    return tried(analysis, found, set_fields(f"Put it in slot {slot}", module.id, slot=slot)) if slot else None


def _no_gateway(_: Analysis, found: Finding) -> Remedy | None:
    return set_fields("Do without a gateway", found.places[0].id, gateway="")


def _on_again(analysis: Analysis, found: Finding) -> Remedy | None:
    row = analysis.plant.get(found.places[0].id, object)
    label = "Switch it on" if isinstance(row, Station) else "Switch the connection on"
    return set_fields(label, found.places[0].id, settings__parked=None)


def _speakable_name(analysis: Analysis, found: Finding) -> Remedy | None:
    """The name with underscores for what may not stand in one."""
    signal = analysis.plant.get(found.places[0].id, Signal)
    name = re.sub(r"_+", "_", re.sub(r"[^A-Za-z0-9_]", "_", signal.name)).strip("_") or "Signal"
    name = f"S_{name}" if identifier_problem(name) else name
    draft = Draft(analysis.plant, analysis.catalogue)
    others = (s.name for s in analysis.plant.children(Signal, signal.controller) if s.id != signal.id)
    free = draft.free_name(name, others)
    return tried(analysis, found, set_fields(f"Call it {free}", signal.id, name=free))


def _nearest_place(analysis: Analysis, found: Finding) -> Remedy | None:
    """The last place of the same kind before the one that is not there; without one, no link."""
    link = analysis.plant.get(found.places[1].id, Link)
    reader = Reader(analysis)
    at = At.of(link)
    told = _LAST_NUMBER.fullmatch(at.key)
    if told:
        low, high = -1, int(told["number"])
        # Places of a kind are numbered without a gap: those that are there come first.
        while high - low > 1:
            middle = (low + high) // 2
            there = place_of(reader, link.place, replace(at, key=f"{told['head']}{middle}{told['bit'] or ''}"))
            low, high = (middle, high) if there else (low, middle)
        at = replace(at, key=f"{told['head']}{low}{told['bit'] or ''}")
        place = place_of(reader, link.place, at) if low >= 0 else None
        if place:
            edit = edits.LinkSignal(signal=link.signal, place=link.place, key=at.word, instead=link.id)
            nearest = tried(analysis, found, Remedy(f"Link it to {in_words(reader, place)[0]}", "in the project", edit))
            if nearest:
                return nearest
    return Remedy("Remove the link", "in the project", edits.Remove(ids=[link.id]))


def _fitting_type(analysis: Analysis, found: Finding) -> Remedy | None:
    """The type that fits the place: of the same family if there is one, else a whole number, else bits."""
    signal = analysis.plant.get(found.places[0].id, Signal)
    path: SignalPath = analysis.result("signal.path", signal.id)
    for link in path.links:
        for kind in _like(DATA_TYPES.get(signal.type), link.place_bits):
            remedy = tried(analysis, found, set_fields(f"Make it {kind.name}", signal.id, type=kind.name))
            if remedy:
                return remedy
    return None


def _like(kind: DataType | None, bits: int) -> Iterator[DataType]:
    order = [kind.family] if kind else []
    order += [family for family in ("bool", "signed", "unsigned", "bits", "real") if family not in order]
    for family in order:
        yield from (other for other in DATA_TYPES.values() if other.family == family and other.bits == bits)


SETTING_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "HW-109": _free_slot,
    "HW-110": _free_slot,
    "HW-111": _default_again,
    "HW-118": _default_again,
    "HW-204": _no_gateway,
    "NET-130": _on_again,
    "SIG-102": _speakable_name,
    "SIG-115": _speakable_name,
    "SIG-117": lambda _, found: Remedy(
        "Declare it no longer; its variables stay", "in the project", edits.Remove(ids=[found.places[0].id])
    ),
    "SIG-104": _nearest_place,
    "SIG-105": _fitting_type,
}
