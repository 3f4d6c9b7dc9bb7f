"""The process data of whoever answers at a position, as it is chosen: each PDO that there is, its entries and padding,
where they lie, and what stands against taking it or leaving it out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.ethercat import Pdo, SlotRule, entry_key
from highmoor.core.networks.ethercat.objects import node_of_module, node_of_station
from highmoor.core.networks.ethercat.settings import DIRECTIONS, Direction, Node, NodeSettings, chosen, excluded, moved
from highmoor.core.plant.rows import Module


@dataclass(frozen=True, slots=True)
class EntryFacts:
    """A value, or with an empty `key` padding: bits from the beginning of its PDO."""

    key: str
    label: str
    bit: int
    bits: int
    data_type: str


@dataclass(frozen=True, slots=True)
class PdoFacts:
    """A PDO of the row it is set on, a station's or that of a module in a `slot` (0: none); `key` is that of its
    setting, `index` where it is here, which moves with the slot.

    `at` is its first bit in the direction's octets, None while it is not taken. `usual`: as its file has it; `held`
    says why it cannot be chosen otherwise, "" where it can. To take it, those of `instead` have to be left out; one
    that is `against` it and cannot be is told by its label.
    """

    row: str
    slot: int
    key: str
    index: int
    label: str
    taken: bool
    usual: bool
    held: str
    at: int | None
    bits: int
    instead: tuple[str, ...]
    against: str
    entries: tuple[EntryFacts, ...]


@dataclass(frozen=True, slots=True)
class DataWay:
    """One direction: octets on the wire, the bits in them that are used, and all PDOs in the order in which they go."""

    direction: Direction
    octets: int
    bits: int
    pdos: tuple[PdoFacts, ...]


@dataclass(frozen=True, slots=True)
class ProcessData:
    """Both directions, as far as there is anything to exchange."""

    ways: tuple[DataWay, ...]


@dataclass(frozen=True, slots=True)
class _Source:
    """Whose PDOs: a row's, all of them as its file has them, and how its slot moves each."""

    row: str
    slot: int
    own: NodeSettings
    pdos: Sequence[Pdo]
    rule: SlotRule | None


def process_data(node: Node, slots: Iterable[_Source]) -> ProcessData:
    """Of a device, with the modules in its slots."""
    sources = [_Source(node.id, 0, node.own, node.facts.pdos, None), *slots]
    return ProcessData(tuple(way for direction in reversed(DIRECTIONS) if (way := _way(node, sources, direction)).pdos))


def _way(node: Node, sources: Iterable[_Source], direction: Direction) -> DataWay:
    told: list[PdoFacts] = []
    bit = 0
    for source in sources:
        taken = chosen(source.pdos, source.own)
        for pdo in source.pdos:
            if pdo.direction == direction:
                told.append(_pdo(source, pdo, taken, bit))
                bit += told[-1].bits if told[-1].taken else 0
    return DataWay(direction, node.octets(direction), bit, tuple(told))


def _pdo(source: _Source, pdo: Pdo, taken: Sequence[Pdo], bit: int) -> PdoFacts:
    rivals = [other for other in taken if excluded(pdo, other)]
    alone = pdo.fixed and len(source.pdos) == 1
    held = "its file wants it" if pdo.mandatory else "the only one there is" if alone else ""
    here = moved(source.rule, source.slot, [pdo])[0] if source.slot else pdo
    return PdoFacts(
        source.row, source.slot, f"{pdo.idx:04X}", here.idx, pdo.label or f"16#{here.idx:04X}", pdo in taken,
        pdo.mandatory or pdo.manager is not None, held, bit if pdo in taken else None,
        sum(entry.bits for entry in pdo.entries), tuple(f"{other.idx:04X}" for other in rivals if not other.mandatory),
        next((other.label for other in rivals if other.mandatory), ""), tuple(_entries(here)),
    )  # fmt: skip


def _entries(pdo: Pdo) -> Iterator[EntryFacts]:
    bit = 0
    for entry in pdo.entries:
        key = entry_key(entry.idx, entry.sub) if entry.idx else ""
        yield EntryFacts(key, entry.label if key else "padding", bit, entry.bits, entry.data_type if key else "")
        bit += entry.bits


def _of_station(reader: Reader, root: str) -> ProcessData | None:
    node = node_of_station(reader, root)
    return process_data(node, _slots(reader, node)) if node and (node.facts.pdos or node.slots) else None


def _slots(reader: Reader, node: Node) -> Iterator[_Source]:
    for slot in node.slots:
        own = NodeSettings.of(reader.row(slot.id, Module).settings)
        yield _Source(slot.id, slot.slot, own, slot.facts.pdos, node.facts.slots)


def _of_module(reader: Reader, root: str) -> ProcessData | None:
    node = node_of_module(reader, root)
    return process_data(node, ()) if node else None


PARTS = (
    Part("ethercat.process-data", "stations", _of_station, asked=True, shown=ProcessData),
    Part("ethercat.module-data", "modules", _of_module, asked=True, shown=ProcessData),
)
