"""What really stands at a plant's networks: the plant as built laid over what is configured.

What the plant as built does not say is as configured, so that a plant of which nobody has said anything is built as it
is drawn.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.bench.port_standing import StandingPort, port_settings, standing_ports
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.hardware.mounting import is_ports, modules_behind
from highmoor.core.motion.copies import own_settings
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.line import Line
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.live import Facts
from highmoor.core.networks.positions import addressed
from highmoor.core.networks.strangers import built_of
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, BuiltModule, Module, Network, Rail, Station


@dataclass(frozen=True, slots=True)
class StandingModule:
    """A module as it is plugged; `ids` are by what wires name it, `within` names what it hangs on, "" for the head.
    `slot` is where it is addressed so, 0 where slots follow from the order."""

    ids: tuple[str, ...]
    type: str
    settings: Mapping[str, Any]
    within: str = ""
    slot: int = 0


@dataclass(frozen=True, slots=True)
class Standing:
    """A device as it stands: its node in the cabling (a station's id, or that of what is only built), what it is."""

    node: str
    network: str
    fieldbus: str
    type: str
    address: str
    facts: Facts
    modules: tuple[StandingModule, ...]
    model: str
    settings: Mapping[str, Any]
    plugged: bool
    powered: bool
    # Said of this very device, and not only drawn.
    said: bool
    # What is on its ports where it is an IO-Link master, and by which connections its data goes.
    ports: tuple[StandingPort, ...] = ()
    lines: tuple[Line, ...] = ()
    port_settings: Mapping[str, Any] = field(default_factory=dict)


def standing_devices(plant: Plant, built: Plant, catalogue: Catalogue) -> Iterator[Standing]:
    """Every device that stands somewhere with an address, of all networks of the plant."""
    said = built_of(plant, built, catalogue)
    known = {row.id for row in said.values()}
    for network in plant.all(Network):
        bus = fieldbus_of(network.kind)
        if bus is None:
            continue
        for station in addressed(bus, plant, catalogue.find, plant.children(Station, network.id)):
            if not station.partner and not is_switch(catalogue, station):
                yield from _standing(plant, built, catalogue, (network, bus), station, said.get(station.id))
        for row in built.all(BuiltDevice):
            if row.network == network.id and plant.find(row.station) is None and row.id not in known:
                yield from _standing(plant, built, catalogue, (network, bus), None, row)


def is_switch(catalogue: Catalogue, station: Station) -> bool:
    """Whether a station is a switch, which is part of the cabling."""
    device = catalogue.find(station.type)
    return device is not None and device.switch is not None


def _standing(
    plant: Plant, built: Plant, catalogue: Catalogue, where: tuple[Network, Fieldbus], station: Station | None,
    row: BuiltDevice | None,
) -> Iterator[Standing]:  # fmt: skip
    network, bus = where
    address = (row.address if row else "") or (station.address if station else "")
    kind = (row.type if row else "") or (station.type if station else "")
    device = catalogue.find(kind)
    repeats = device is not None and device.repeater is not None
    if not (address or repeats or bus.live.by_name) or bus.addresses.is_everybody(address) or (row and not row.there):
        return
    lines = plant_lines(plant, catalogue, station) if station else []
    facts = bus.live.as_configured(network, station, lines, device)
    ports = tuple(standing_ports(plant, built, catalogue, station, row)) if station else ()
    yield Standing(
        station.id if station else row.id if row else "", network.id, bus.key, kind, address,
        {**facts, **(row.facts if row else {})}, tuple(_modules(plant, built, station, row)),
        row.model if row else "", own_settings(row.settings) if row else {}, row.cable if row else True,
        row.powered if row else True, row is not None, ports, tuple(lines) if ports else (),
        port_settings(plant, station) if ports and station else {},
    )  # fmt: skip


def _modules(plant: Plant, built: Plant, station: Station | None, row: BuiltDevice | None) -> Iterator[StandingModule]:
    if row and row.rail == "own":
        plugged = [one for one in built.children(BuiltModule, row.id) if not _on_port(plant, one.module)]
        slots = _slots(plant, plugged)
        for module in plugged:
            if module.there:
                meant: Module | None = plant.find(module.module)
                yield StandingModule(
                    (module.id, module.module), module.type, module.settings, _carrier(plant, meant) if meant else "",
                    slots.get(module.id, 0),
                )  # fmt: skip
    elif station:
        for mounted in modules_behind(plant, station.id):
            carrier = _carrier(plant, mounted)
            yield StandingModule((mounted.id,), mounted.type, mounted.settings, carrier, mounted.slot or 0)


def _on_port(plant: Plant, module: str) -> bool:
    meant: Module | None = plant.find(module)
    return meant is not None and is_ports(plant.find(meant.rail))


def _slots(plant: Plant, plugged: Sequence[BuiltModule]) -> dict[str, int]:
    """By module as built, its slot where slots are addressed: those on one carrier, in the order they stand there."""
    by_carrier: dict[str, list[tuple[str, int]]] = {}
    for module in plugged:
        meant: Module | None = plant.find(module.module)
        if meant is not None and meant.slot:
            by_carrier.setdefault(meant.rail, []).append((module.id, meant.slot))
    told: dict[str, int] = {}
    for there in by_carrier.values():
        told |= zip((module for module, _ in there), sorted(slot for _, slot in there), strict=True)
    return told


def _carrier(plant: Plant, module: Module) -> str:
    """The module that another hangs on, "" for one on the head's own rail."""
    rail: Rail | None = plant.find(module.rail)
    return rail.head if rail and isinstance(plant.find(rail.head), Module) else ""
