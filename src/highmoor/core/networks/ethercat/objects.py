"""The objects of whoever answers at a position, for those who look: where each stands, what may be done to it, and what
it holds if all is as configured."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.ethercat import Object, SubObject
from highmoor.core.catalogue.reading.ethercat_esi.objects import dictionary_objects
from highmoor.core.networks.ethercat.settings import KIND, Node, nodes_of
from highmoor.core.networks.ethercat.startup import STEPS, writes_of
from highmoor.core.networks.ethercat.values import forms_of
from highmoor.core.networks.lines import connection_line, kind_of
from highmoor.core.networks.live import Forms
from highmoor.core.plant.rows import Connection, Module, Rail, Station

# Source: ETG.1000.6, table 62; ETG.5001.1, table 3 (modular device profile).
_AREAS = ((0x1000, 0x2000, "Communication"), (0x2000, 0x6000, "Its maker's"))
_MODULAR = (
    (0x6000, 0x7000, "Inputs"), (0x7000, 0x8000, "Outputs"), (0x8000, 0x9000, "Settings"),
    (0x9000, 0xA000, "Information"), (0xA000, 0xB000, "Diagnosis"), (0xF000, 0x10000, "The whole device"),
)  # fmt: skip
_PROFILE = ((0x6000, 0xA000, "Its profile's"), (0xA000, 0x10000, "Others"))
# What only drives have: their profile uses the area of inputs for all of theirs (CiA 402-2).
_CONTROL_WORD = 0x6040


_Written = Mapping[tuple[int, int], tuple[bytes, str]]


@dataclass(frozen=True, slots=True)
class ValueFacts:
    """A value of an object. `key` is index and subindex, `6065:00`; `access` "ro", "rw" or "wo".

    `usual` is what it holds if all is as configured, None where nobody can say; `why` whose value that is. `least` and
    `most` bound it, "" for no bound; `meanings` name numbers.
    """

    key: str
    subindex: int
    label: str
    data_type: str
    bits: int
    access: str
    unit: str
    usual: Forms | None
    why: str
    least: str
    most: str
    meanings: tuple[tuple[int, str], ...]


@dataclass(frozen=True, slots=True)
class ObjectFacts:
    """An object, with the slot of the module that brings it, 0 for the device's own."""

    index: int
    label: str
    slot: int
    values: tuple[ValueFacts, ...]


@dataclass(frozen=True, slots=True)
class ObjectArea:
    """A stretch of indices that belong together, and what the device has there."""

    label: str
    first: int
    objects: tuple[ObjectFacts, ...]


@dataclass(frozen=True, slots=True)
class ObjectsOfNode:
    """All objects of a device. `service_data`: whether it can be asked for them."""

    service_data: bool
    areas: tuple[ObjectArea, ...]


def objects_of(node: Node) -> dict[int, tuple[Object, int]]:
    """By index as it is here, with the slot of the module that brings it."""
    found = {one.idx: (one, 0) for one in dictionary_objects(node.facts.dictionary)}
    step = node.facts.slots.index_step if node.facts.slots else 0
    for slot in node.slots:
        moved = step * (slot.slot - 1)
        found |= {one.idx + moved: (one, slot.slot) for one in dictionary_objects(slot.facts.dictionary)}
    return found


def values_of(one: Object) -> tuple[SubObject, ...]:
    """Its values; an object without subs is one at subindex 0."""
    return one.subs or (
        SubObject(0, one.label, one.data_type, one.bits, 0, one.access, one.default, one.minimum, one.maximum,
                  values=one.values, unit=one.unit),
    )  # fmt: skip


def value_at(node: Node, idx: int, sub: int) -> SubObject | None:
    """A value by index and subindex, None for one that its file does not describe."""
    found = objects_of(node).get(idx)
    return next((value for value in values_of(found[0]) if value.sub == sub), None) if found else None


def _written(node: Node) -> _Written:
    """What is in an object after the start, and whose write that was: of several the last counts."""
    return {
        (write.idx, write.sub): (write.octets, f"written {STEPS.get(write.transition, write.transition)}")
        for write in writes_of(node)
        if not write.complete
    }


def facts_of(node: Node) -> ObjectsOfNode:
    """All objects of a device by area."""
    found = objects_of(node)
    written = _written(node)
    # What comes with the process data changes all the time.
    cyclic = {(entry.idx, entry.sub) for pdo in node.taken("out") for entry in pdo.entries}
    drive = _CONTROL_WORD in found
    areas = (*_AREAS, *(_PROFILE if drive else _MODULAR))
    told = []
    for first, end, label in areas:
        here = tuple(_object(idx, *found[idx], written, cyclic) for idx in sorted(found) if first <= idx < end)
        if here:
            told.append(ObjectArea(label, first, here))
    mailbox = node.facts.mailbox
    return ObjectsOfNode(mailbox is not None and mailbox.coe, tuple(told))


def _object(idx: int, one: Object, slot: int, written: _Written, cyclic: Set[tuple[int, int]]) -> ObjectFacts:
    return ObjectFacts(idx, one.label, slot, tuple(_value(idx, sub, written, cyclic) for sub in values_of(one)))


def _value(idx: int, one: SubObject, written: _Written, cyclic: Set[tuple[int, int]]) -> ValueFacts:
    octets, why = written.get((idx, one.sub), (b"", ""))
    if not why and one.default and one.access == "rw" and (idx, one.sub) not in cyclic:
        octets, why = bytes.fromhex(one.default).ljust((one.bits + 7) // 8, b"\0"), "as it comes"
    usual = forms_of(octets, one.data_type, one.bits) if why else None
    least, most = (_number(end, one) for end in (one.minimum, one.maximum))
    return ValueFacts(
        f"{idx:04X}:{one.sub:02X}", one.sub, one.label, one.data_type, one.bits, one.access, one.unit, usual, why,
        least, most, one.values,
    )  # fmt: skip


def _number(octets: str, one: SubObject) -> str:
    return forms_of(bytes.fromhex(octets), one.data_type).decimal if octets else ""


def node_of_station(reader: Reader, root: str) -> Node | None:
    """The station itself; None on another fieldbus."""
    return next((node for node in _nodes(reader, reader.row(root, Station)) if not node.module), None)


def node_of_module(reader: Reader, root: str) -> Node | None:
    """None for a module that does not answer for itself."""
    rail: Rail | None = reader.find(reader.row(root, Module).rail)
    station = reader.find(rail.head) if rail else None
    if not isinstance(station, Station):
        return None
    return next((node for node in _nodes(reader, station) if node.module == root), None)


def _of_station(reader: Reader, root: str) -> ObjectsOfNode | None:
    node = node_of_station(reader, root)
    return facts_of(node) if node else None


def _of_module(reader: Reader, root: str) -> ObjectsOfNode | None:
    node = node_of_module(reader, root)
    return facts_of(node) if node else None


def _nodes(reader: Reader, station: Station) -> Iterator[Node]:
    if kind_of(reader, station) == KIND:
        for connection in reader.children(Connection, station.id):
            line = connection_line(reader, connection)
            yield from nodes_of(line) if line else ()
            return


PARTS = (
    Part("ethercat.objects", "stations", _of_station, asked=True, shown=ObjectsOfNode),
    Part("ethercat.module-objects", "modules", _of_module, asked=True, shown=ObjectsOfNode),
)
