"""Remedies for a master's ports and what is plugged into them."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from highmoor.core.analysis.engine import Analysis
from highmoor.core.analysis.findings import Finding
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.hardware.mounting import head_type
from highmoor.core.networks.carried import AREAS
from highmoor.core.networks.io_link.told import MasterPorts, PortTold
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import Module, Rail
from highmoor.core.project import edits
from highmoor.core.project.remedy import Remedy, set_fields, tried

# What ports are made with.
_SIZES = (1, 2, 4, 6, 8, 10, 16, 24, 32)


def _larger_port(analysis: Analysis, found: Finding) -> Remedy | None:
    """The smallest port that has room both ways."""
    module = analysis.plant.get(found.places[0].id, Module)
    rail = analysis.plant.get(module.rail, Rail)
    told: MasterPorts | None = analysis.result("rail.master", rail.id)
    port = next((one for one in told.ports if one.module == module.id), None) if told else None
    if told is None or port is None:
        return None
    for remedy in _by_slot(analysis, port) if told.known == "slots" else _by_size(rail, port):
        helps = tried(analysis, found, remedy)
        if helps:
            return helps
    return None


def _by_slot(analysis: Analysis, port: PortTold) -> Iterator[Remedy]:
    """Where a slot is a port: another of its modules in its place, the smallest first."""
    slot = analysis.plant.get(port.inward.carrier or port.outward.carrier, Module)
    rail = analysis.plant.get(slot.rail, Rail)
    head = head_type(analysis.plant, rail, analysis.catalogue.find)
    kinds = [analysis.catalogue.find(f"{head.key}/{choice.key}") for choice in head.modules] if head else []
    for kind in sorted((kind for kind in kinds if kind), key=_octets):
        if kind.in_octets >= port.inward.octets and kind.out_octets >= port.outward.octets:
            put = edits.ReplaceModule(id=slot.id, type=kind.key)
            yield Remedy(f"Make port {port.port} {kind.name}", "in the project", put)


def _octets(kind: DeviceType) -> int:
    return kind.in_octets + kind.out_octets


def _by_size(rail: Rail, port: PortTold) -> Iterator[Remedy]:
    for area in AREAS:
        way = port.way(area)
        size = next((n for n in _SIZES if n >= way.octets), None)
        if size and way.room is not None and way.octets > way.room and rail.settings.get(f"{area}_octets"):
            label = f"Give every port {size} octets {area}"
            yield set_fields(label, rail.id, **{f"settings__{area}_octets": size})


def _by_rule(analysis: Analysis, found: Finding) -> Remedy | None:
    """Back to where the port's data lies by rule."""
    place = found.places[0]
    if value_at(analysis.plant.find(place.id), place.field) is None:
        return None
    clear = edits.SetFields(ids=[place.id], values={place.field: None})
    return tried(analysis, found, Remedy("Put it where its port's data lies", "in the project", clear))


def _as_often_as_it_can(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Ask as often as it can", found.places[0].id, settings__cycle_ms=None)


def _take_any(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Take any device there", found.places[0].id, settings__validation="none")


def _leave_pin_2(analysis: Analysis, found: Finding) -> Remedy:
    return set_fields("Leave pin 2 alone", found.places[0].id, settings__pin2="off")


def _forget_bits(analysis: Analysis, found: Finding) -> Remedy | None:
    place = found.places[0]
    clear = edits.SetFields(ids=[place.id], values={place.field: None})
    return tried(analysis, found, Remedy("Forget where these bits are said to stand", "in the project", clear))


PORT_REMEDIES: dict[str, Callable[[Analysis, Finding], Remedy | None]] = {
    "IOL-102": _larger_port,
    "IOL-103": _by_rule,
    "IOL-104": _by_rule,
    "IOL-105": _as_often_as_it_can,
    "IOL-106": _take_any,
    "IOL-109": _forget_bits,
    "IOL-111": _leave_pin_2,
}
