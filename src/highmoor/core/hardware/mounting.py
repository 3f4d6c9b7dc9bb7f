"""How a rail's modules sit: slots, terminals, covers and free places."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Protocol

from highmoor.core.catalogue.types import IO_LINK_PORT, DeviceType, Slots
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, Rail, Station


class TypeSource(Protocol):
    """Anything that gives device types by key."""

    def __call__(self, key: str) -> DeviceType | None: ...


MOST_SLOTS = 256
DEFAULT_SLOTS = Slots(addressed=False, covers=False, places=(8,))


@dataclass(frozen=True, slots=True)
class Seat:
    """A place on the rail: slot number (0 is the head) and the module there, None for an open place."""

    slot: int
    module: Module | None
    type: DeviceType | None


def slots_of(head: DeviceType | None) -> Slots:
    """The slot rule of a head; unknown types count their modules by order."""
    if head is None:
        return DEFAULT_SLOTS
    if head.controller:
        return head.controller.slots
    if head.rail:
        return head.rail
    most = head.limits.modules or 0
    if head.slots:
        # A file that says of slots what may stand in them has no others.
        most = min(most, max(slot.number for slot in head.slots))
    return Slots(addressed=False, covers=False, places=(min(most, MOST_SLOTS),)) if most > 0 else DEFAULT_SLOTS


# The ports of an IO-Link master: as many as these, counted from 1 (IEC 61131-9, 10.2).
PORT_SLOTS = Slots(addressed=True, covers=False, places=(1, 2, 4, 8, 16, 32))


def is_ports(rail: Rail | None) -> bool:
    """Whether a rail is the ports of an IO-Link master, whatever that is: no backplane of its head's."""
    return rail is not None and rail.settings.get("carries") == IO_LINK_PORT


def rail_slots(rail: Rail | None, head: DeviceType | None) -> Slots:
    """The slot rule of a rail on its head."""
    return PORT_SLOTS if is_ports(rail) else slots_of(head)


def rail_takes(rail: Rail, head: DeviceType) -> str:
    """Which modules a rail takes, in the word of `DeviceType.joins`."""
    return IO_LINK_PORT if is_ports(rail) else head.takes


def own_rails(rows: Rows, head: str) -> list[Rail]:
    """The rails of a head's own bus, in order."""
    return [rail for rail in rows.children(Rail, head) if not is_ports(rail)]


def head_type(plant: Plant, rail: Rail, type_of: TypeSource) -> DeviceType | None:
    """The type of a rail's head."""
    head: Controller | Station | Module | None = plant.find(rail.head)
    return type_of(head.type) if head else None


@dataclass(frozen=True, slots=True)
class Root:
    """Where a rail hangs in the end: on a controller or a station, `within` that module of its own rail, "" for on it.

    The data of what hangs on a station comes over a network.
    """

    row: Controller | Station | None
    within: str = ""

    @property
    def station(self) -> str:
        """The station, "" for a controller."""
        return self.row.id if isinstance(self.row, Station) else ""


Find = Callable[[str | None], Any]


def root_of(find: Find, rail: Rail | None) -> Root:
    """Where a rail hangs in the end; nowhere for one that hangs on itself."""
    within, seen = "", set()
    while rail is not None and rail.id not in seen:
        seen.add(rail.id)
        head = find(rail.head)
        if not isinstance(head, Module):
            return Root(head, within)
        within, rail = head.id, find(head.rail)
    return Root(None)


class Rows(Protocol):
    """Anything that gives the rows that a row owns."""

    def children(self, kind: type[Any], owner_id: str) -> list[Any]: ...


def modules_behind(rows: Rows, head: str) -> Iterator[Module]:
    """All modules that hang on a head's bus, each followed by those on rails of its own."""
    for rail in own_rails(rows, head):
        for module in rows.children(Module, rail.id):
            yield module
            yield from modules_behind(rows, module.id)


def carries_modules(device: DeviceType) -> bool:
    """Whether a station or module of this type is the head of a rail of its own."""
    return device.rail is not None or (bool(device.modules) and (device.limits.modules or 0) > 0)


def seats(rail: Rail, modules: list[Module], head: DeviceType | None, type_of: TypeSource) -> list[Seat]:
    """Every place behind the head in slot order, open ones included, and modules beyond the last place too."""
    rule = rail_slots(rail, head)
    places = min(rail.places, MOST_SLOTS)
    if rule.addressed:
        by_slot: dict[int, Module] = {}
        for module in modules:
            if module.slot is not None and rule.first <= module.slot <= MOST_SLOTS:
                by_slot.setdefault(module.slot, module)
        last = max([places, *by_slot])
        order: list[Module | None] = [by_slot.get(slot) for slot in range(rule.first, last + 1)]
        # Modules without a usable slot of their own (imported so) still have to be seen.
        order += [m for m in modules if by_slot.get(m.slot or 0) is not m]
    else:
        order = [*modules, *[None] * (places - len(modules))]
    return [Seat(n, m, type_of(m.type) if m else None) for n, m in enumerate(order, start=rule.first)]


def terminals(pattern: str, slot: int) -> str:
    """The terminals of a channel, by the slot its module sits in."""
    return pattern.replace("{slot}", str(slot))


def module_label(slot: int, device: DeviceType | None, module: Module) -> str:
    """What people call a module: its designation, or type and slot; of what joins a port, that."""
    where = f"on port {slot}" if device and device.joins == IO_LINK_PORT else f"in slot {slot}"
    return module.designation or f"{device.name if device else module.type} {where}"
