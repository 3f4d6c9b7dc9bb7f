"""What of a plant a seal of one controller covers, as a tree: devices, their rows, the fields that bear.

A device is the safe part itself with its functions, a safe module, a scanner, an axis or a drive that a function stops.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.plant.rows import (
    Axis,
    ChainLink,
    Controller,
    Link,
    Module,
    PlanShape,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Situation,
    Station,
    Use,
    Zone,
    ZoneUse,
    table_of,
)
from highmoor.core.safety.scanner.types import scanner_set
from highmoor.core.safety.seal.bearing import Bears, bearing_fields
from highmoor.core.safety.seal.canonical import canonical, digest, unset
from highmoor.core.safety.seal.paths import Paths, Sees


@dataclass(frozen=True, slots=True)
class Item:
    """One thing that is sealed: of which device, where within it, which field, and its value as it is sealed.

    `row` is the row it stands in, "" for what follows from several; it is no part of the seal.
    """

    device: str
    at: str
    field: str
    value: str
    row: str = ""


@dataclass(frozen=True, slots=True)
class Tree:
    """All that is sealed, in order; `alike` are those that nothing tells apart but their values."""

    items: tuple[Item, ...]
    alike: tuple[str, ...]

    def by_device(self) -> dict[str, list[Item]]:
        """What is sealed of each device."""
        return _by(self.items, lambda one: one.device)

    def devices(self) -> dict[str, str]:
        """The hash of each device."""
        return {name: _hash_of(items) for name, items in self.by_device().items()}

    def fingerprint(self) -> str:
        """The hash of it all: over its devices, as theirs are over their rows."""
        return digest(text for pair in sorted(self.devices().items()) for text in pair)


def _by(items: Iterable[Item], key: Callable[[Item], str]) -> dict[str, list[Item]]:
    found: dict[str, list[Item]] = {}
    for item in items:
        found.setdefault(key(item), []).append(item)
    return found


def _hash_of(items: Iterable[Item]) -> str:
    rows = {at: digest(text for one in sorted(held, key=lambda one: one.field) for text in (one.field, one.value))
            for at, held in _by(items, lambda one: one.at).items()}  # fmt: skip
    return digest(text for pair in sorted(rows.items()) for text in pair)


class Covering:
    """Goes through what a controller's functions have to do with."""

    def __init__(self, sees: Sees) -> None:
        self._sees = sees
        self._paths = Paths(sees)

    def of_controller(self, controller: Controller) -> Iterator[Item]:
        """The safe part and all it has to do with; nothing where it has no function."""
        functions = self._sees.children(SafetyFunction, controller.id)
        if not functions:
            return
        own = self._paths.of(controller.id)
        yield from self._fields(own, "", controller)
        yield from self._type(own, controller.type)
        devices: dict[str, Module | Station | Axis | Scanner] = {}
        for function in functions:
            yield from self._function(own, function, devices)
        for scanner in self._sees.children(Scanner, controller.id):
            devices.setdefault(scanner.id, scanner)
        yield from self._signals(own, devices)
        yield from self._devices(devices)

    def of_part(self, part: SafetyPart) -> Iterator[Item]:
        """A part of a function with what it is wired to and what it is."""
        devices: dict[str, Module | Station | Axis | Scanner] = {}
        yield from self._part("part", part, devices)
        yield from self._devices(devices)

    def of_axis(self, axis: Axis) -> Iterator[Item]:
        """An axis with what is moved by it."""
        yield from self._devices({axis.id: axis})

    def of_scanner(self, scanner: Scanner) -> Iterator[Item]:
        """A scanner with its zones, situations and what stands around it."""
        yield from self._devices({scanner.id: scanner})

    def _devices(self, devices: dict[str, Module | Station | Axis | Scanner]) -> Iterator[Item]:
        waiting, seen = list(devices.values()), set(devices)
        while waiting:
            device = waiting.pop()
            name = self._paths.of(device.id)
            yield from self._fields(name, "", device)
            more: list[Any] = []
            if isinstance(device, Axis):
                yield from self._chain(name, device)
                more.append(self._sees.find(device.drive))
            elif isinstance(device, Scanner):
                figures = dataclasses.asdict(scanner_set(device.type, {}).type)
                yield Item(name, "type", "safety", canonical(figures))
                yield from self._scanner(name, device)
                more.append(self._sees.find(device.device))
            else:
                yield from self._type(name, device.type)
            for one in more:
                if one is not None and one.id not in seen:
                    seen.add(one.id)
                    waiting.append(one)

    def _function(self, own: str, function: SafetyFunction, devices: dict[str, Any]) -> Iterator[Item]:
        at = self._paths.of(function.id)
        yield from self._fields(own, at, function)
        yield from self._uses(own, at, function.id)
        for part in self._sees.children(SafetyPart, function.id):
            yield from self._part(own, part, devices)

    def _part(self, own: str, part: SafetyPart, devices: dict[str, Any]) -> Iterator[Item]:
        at = self._paths.of(part.id)
        yield from self._fields(own, at, part)
        yield from self._uses(own, at, part.id)
        for target in (self._sees.find(part.place), self._sees.find(part.device)):
            if isinstance(target, Module | Station | Axis | Scanner):
                devices.setdefault(target.id, target)

    def _uses(self, own: str, at: str, of: str) -> Iterator[Item]:
        for use in self._sees.children(Use, of):
            role = f"{use.role} by {self._paths.of(use.signal)}"
            yield from self._fields(own, f"{at}, {role}" if at else role, use)

    def _signals(self, own: str, devices: dict[str, Any]) -> Iterator[Item]:
        """The safe signals at the modules: found from there, so that no other signal is looked at."""
        seen: set[str] = set()
        for module in [one for one in devices.values() if isinstance(one, Module)]:
            for link in self._sees.referring(Link, "place", module.id):
                signal: Signal | None = self._sees.find(link.signal)
                if signal is not None and signal.id not in seen and signal.type == SAFE_TYPE:
                    seen.add(signal.id)
                    yield from self._signal(own, signal, devices)

    def _signal(self, own: str, signal: Signal, devices: dict[str, Any]) -> Iterator[Item]:
        at = self._paths.of(signal.id)
        yield from self._fields(own, at, signal)
        for link in self._sees.children(Link, signal.id):
            where = f"{at}, {link.access} {self._paths.of(link.place)} {link.key}"
            yield from self._fields(own, where, link)
            place = self._sees.find(link.place)
            if isinstance(place, Module):
                devices.setdefault(place.id, place)

    def _chain(self, name: str, axis: Axis) -> Iterator[Item]:
        for n, link in enumerate(self._sees.children(ChainLink, axis.id), start=1):
            yield from self._fields(name, f"link {n}", link)

    def _scanner(self, name: str, scanner: Scanner) -> Iterator[Item]:
        for zone in self._sees.children(Zone, scanner.id):
            yield from self._fields(name, f"zone {zone.letter}", zone)
        for situation in self._sees.children(Situation, scanner.id):
            at = f"situation {situation.name}"
            yield from self._fields(name, at, situation)
            for use in self._sees.children(ZoneUse, situation.id):
                yield from self._fields(name, f"{at}, output {use.output}", use)
        yield from self._uses(name, "", scanner.id)
        # What stands around has no name: it is told apart by what it is and where.
        shapes = [(shape, tuple(self._fields(name, shape.kind, shape)))
                  for shape in self._sees.children(PlanShape, scanner.id)]  # fmt: skip
        counted: dict[str, int] = {}
        for shape, items in sorted(shapes, key=lambda pair: [(one.at, one.field, one.value) for one in pair[1]]):
            counted[shape.kind] = counted.get(shape.kind, 0) + 1
            for item in items:
                yield dataclasses.replace(item, at=f"{shape.kind} {counted[shape.kind]}")

    def _type(self, name: str, key: str) -> Iterator[Item]:
        """What a built-in type is to safety; one of a file is its key."""
        device = self._sees.type(key)
        if device is not None and device.safety is not None:
            yield Item(name, "type", "safety", canonical(dataclasses.asdict(device.safety)))

    def _fields(self, device: str, at: str, row: Any) -> Iterator[Item]:
        table = table_of(row)
        for name, bears in bearing_fields(table.name).items():
            if name in _BY_PATH or name == table.owner:
                continue
            value = getattr(row, name)
            if name in table.refs:
                value = self._paths.of(value)
            if name in table.json_fields and isinstance(value, dict):
                yield from _settings(device, at, name, value, bears, row.id)
            elif not unset(value):
                yield Item(device, at, name, canonical(value), row.id)


# Where a module sits is in its path.
_BY_PATH = frozenset({"rank", "slot", "rail"})


def _settings(
    device: str, at: str, name: str, value: dict[str, Any], bears: Bears, row: str
) -> Iterator[Item]:  # fmt: skip
    """Setting by setting, so that it can be said which one is another."""
    for path, one in sorted(_leaves(value)):
        if not bears.keys or path.split(".")[0] in bears.keys:
            yield Item(device, at, f"{name}.{path}", canonical(one), row)


def _leaves(value: dict[str, Any], before: str = "") -> Iterator[tuple[str, Any]]:
    for key, one in value.items():
        path = f"{before}{key}"
        if isinstance(one, dict):
            yield from _leaves(one, f"{path}.")
        elif not unset(one):
            yield path, one


def tree_of(items: Iterable[Item]) -> Tree:
    """The items in their order, each once; what stands twice by one path is told as `alike`."""
    known: dict[tuple[str, str, str], Item] = {}
    alike: set[str] = set()
    for item in items:
        place = item.device, item.at, item.field
        if place in known and known[place].row != item.row:
            alike.add(f"{item.device}, {item.at}" if item.at else item.device)
            continue
        known[place] = item
    ordered = sorted(known.values(), key=lambda one: (one.device, one.at, one.field))
    return Tree(tuple(ordered), tuple(sorted(alike)))
