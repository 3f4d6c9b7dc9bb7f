"""What is set on an EtherCAT network and on whoever answers there, joined with what the device's file offers.

Source: ETG.1000.4 to .6; ETG.5001 for devices with slots. Nothing of a file is copied into the plant: an empty setting
means that the file's choice holds.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.catalogue.ethercat import ClockMode, EthercatFacts, Pdo, PdoEntry, SlotRule, SyncManager
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.blocks import SeatedModule
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Exchange, Json, Network

KIND = "ethercat"
CYCLE_MS = 1.0
WATCHDOG_MS = 100.0
GENERIC_OCTETS_AT_MOST = 1486
Direction = Literal["in", "out"]
DIRECTIONS: tuple[Direction, Direction] = ("in", "out")
Identity = Literal["file", "exact", "any"]
# How a position and the configured station address belong together (ETG.1000.4, 6.1.1): nobody enters either.
FIRST_ADDRESS = 0x03E8


def number_in(settings: Mapping[str, Any], key: str, usual: float) -> float:
    """A number that is set, or what is usual; files from outside may hold anything there."""
    value = settings.get(key)
    return value if isinstance(value, int | float) and not isinstance(value, bool) else usual


@dataclass(frozen=True, slots=True)
class LineSettings:
    """A network's own: its cycle in ms, whether reading and writing go apart, whether clocks are on."""

    cycle_ms: float
    apart: bool
    clocks: bool

    @classmethod
    def of(cls, network: Network) -> LineSettings:
        """As they are set."""
        own = network.settings
        cycle = number_in(own, "cycle_ms", CYCLE_MS)
        return cls(cycle if cycle > 0 else CYCLE_MS, own.get("apart") is True, own.get("clocks") is not False)


@dataclass(frozen=True, slots=True)
class OwnWrite:
    """Service data that somebody wants written at the start, by hand."""

    idx: int
    sub: int
    transition: str
    octets: bytes


@dataclass(frozen=True, slots=True)
class NodeSettings:
    """What is set on whoever answers at a position.

    `pdos` says of a PDO whether it is taken, by its index in four hex digits; `clock` is the mode's key, "" for the
    file's first; shifts and cycles are ns, None for the file's; `reference` asks for its clock to be followed;
    `watchdog_ms` 0 switches the watchdog off.
    """

    pdos: Mapping[str, bool]
    clock: str
    sync0_ns: int | None
    shift0_ns: int | None
    reference: bool
    alias: int | None
    group: int
    identity: Identity
    watchdog_ms: float
    writes: tuple[OwnWrite, ...]

    @classmethod
    def of(cls, settings: Json) -> NodeSettings:
        """As they are set; what is none of it counts as not set."""
        pdos, writes = settings.get("pdos"), settings.get("writes")
        identity = settings.get("identity")
        alias = settings.get("alias")
        return cls(
            {k: v for k, v in pdos.items() if isinstance(v, bool)} if isinstance(pdos, dict) else {},
            str(settings.get("clock") or ""),
            _whole(settings.get("sync0_ns")),
            _whole(settings.get("shift0_ns")),
            settings.get("reference") is True,
            _whole(alias),
            int(number_in(settings, "group", 0)),
            identity if identity in ("exact", "any") else "file",
            max(number_in(settings, "watchdog_ms", WATCHDOG_MS), 0),
            tuple(_writes(writes)) if isinstance(writes, dict) else (),
        )


def _whole(value: Any) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def write_key(idx: int, sub: int) -> str:
    """By what a write of one's own is kept: one for each object."""
    return f"{idx:04X}:{sub:02X}"


def _writes(given: Mapping[str, Any]) -> Iterator[OwnWrite]:
    for key, own in sorted(given.items()):
        index, _, sub = key.partition(":")
        at, _, octets = own.partition(" ") if isinstance(own, str) else ("", "", "")
        try:
            yield OwnWrite(int(index, 16), int(sub, 16), at, bytes.fromhex(octets))
        except ValueError:
            # What a file from outside holds there and nobody can read is not sent.
            continue


@dataclass(frozen=True, slots=True)
class SlotModule:
    """What stands in a slot of a device: the module's ident, its PDOs and objects where the slot has moved them."""

    id: str
    slot: int
    ident: int
    facts: EthercatFacts
    pdos: tuple[Pdo, ...]


@dataclass(frozen=True, slots=True)
class Node:
    """Whoever answers at one position: a station (`module` ""), or a module of the internal bus behind one.

    `pdos` are those that are taken, in the order in which they stand in their sync managers, with those of modules in
    slots behind the device's own. Octets are whole ones, in each direction one behind the other.
    """

    id: str
    station: str
    module: str
    device: DeviceType | None
    facts: EthercatFacts
    own: NodeSettings
    pdos: tuple[Pdo, ...]
    in_octets: int
    out_octets: int
    slots: tuple[SlotModule, ...] = ()
    # The mode in which it runs; None for a device without clocks.
    clock: ClockMode | None = field(init=False, compare=False)

    def __post_init__(self) -> None:
        modes = self.facts.clocks
        found = next((m for m in modes if m.key == self.own.clock), modes[0]) if modes else None
        object.__setattr__(self, "clock", found)

    def octets(self, direction: Direction) -> int:
        """How many it gives or takes."""
        return self.in_octets if direction == "in" else self.out_octets

    def taken(self, direction: Direction) -> tuple[Pdo, ...]:
        """The PDOs of one direction."""
        return tuple(pdo for pdo in self.pdos if pdo.direction == direction)

    @property
    def own_pdos(self) -> tuple[Pdo, ...]:
        """Those of its own, without those of modules in its slots."""
        return self.pdos[: len(self.pdos) - sum(len(slot.pdos) for slot in self.slots)]

    @property
    def synchronised(self) -> bool:
        """Whether it follows a clock."""
        return self.clock is not None and self.clock.on

    def manager(self, direction: Direction) -> tuple[int, SyncManager] | None:
        """The sync manager of its process data, with its number."""
        return next(((n, m) for n, m in enumerate(self.facts.managers) if m.kind == direction), None)


def answers(device: DeviceType) -> bool:
    """Whether a module answers for itself at a position of its own."""
    return device.ethercat is not None and device.ethercat.internal


NO_FACTS = EthercatFacts()


def everybody(line: Line) -> tuple[Node, ...]:
    """The station and the modules behind it that answer for themselves, in the order in which frames reach them."""
    return line.once(_nodes)


def nodes_of(line: Line) -> tuple[Node, ...]:
    """Those whose process data a line is; nobody for a request on demand, which is one more question to one of them."""
    return () if is_request(line.connection) else everybody(line)


def _nodes(line: Line) -> tuple[Node, ...]:
    facts = line.device.ethercat if line.device else None
    inner = [m for m in line.modules if answers(m.type)]
    slots = tuple(_slot_modules(facts, [m for m in line.modules if not answers(m.type)])) if facts else ()
    settings = NodeSettings.of(line.station.settings)
    if facts is None:
        sizes = {x.direction: generic_octets(x) for x in line.exchanges}
        head = Node(
            line.station.id, line.station.id, "", line.device, NO_FACTS, settings, (), sizes.get("in", 0),
            sizes.get("out", 0),
        )  # fmt: skip
    else:
        head = _node(line.station.id, line.station.id, "", line.device, facts, settings, slots)
    return (head, *(_of_module(line.station.id, module) for module in inner))


def generic_octets(exchange: Exchange) -> int:
    """What is typed for a device without a file."""
    return min(max(int(number_in(exchange.settings, "octets", 0)), 0), GENERIC_OCTETS_AT_MOST)


def _of_module(station: str, module: SeatedModule) -> Node:
    facts = module.type.ethercat or NO_FACTS
    return _node(module.id, station, module.id, module.type, facts, NodeSettings.of(module.settings), ())


def _node(
    row: str, station: str, module: str, device: DeviceType | None, facts: EthercatFacts, own: NodeSettings,
    slots: tuple[SlotModule, ...],
) -> Node:  # fmt: skip
    pdos = (*chosen(facts.pdos, own), *(pdo for slot in slots for pdo in slot.pdos))
    inward, outward = ((bits_of(pdos, direction) + 7) // 8 for direction in DIRECTIONS)
    return Node(row, station, module, device, facts, own, pdos, inward, outward, slots)


def chosen(pdos: Sequence[Pdo], own: NodeSettings) -> tuple[Pdo, ...]:
    """Those that are taken: what the file assigns unless somebody chose otherwise, mandatory ones always."""
    return tuple(p for p in pdos if p.mandatory or own.pdos.get(f"{p.idx:04X}", p.manager is not None))


def excluded(one: Pdo, other: Pdo) -> bool:
    """Whether two PDOs cannot be taken together."""
    return one.idx != other.idx and (other.idx in one.excludes or one.idx in other.excludes)


def bits_of(pdos: Sequence[Pdo], direction: Direction) -> int:
    """All PDOs of a direction, one behind the other."""
    return sum(entry.bits for pdo in pdos if pdo.direction == direction for entry in pdo.entries)


def _slot_modules(facts: EthercatFacts, modules: Sequence[SeatedModule]) -> Iterator[SlotModule]:
    """In slot order, each moved to its slot."""
    for module in sorted(modules, key=lambda m: m.slot):
        own = module.type.ethercat
        if own is not None:
            pdos = moved(facts.slots, module.slot, chosen(own.pdos, NodeSettings.of(module.settings)))
            yield SlotModule(module.id, module.slot, module.type.product_code or 0, own, pdos)


def moved(rule: SlotRule | None, slot: int, pdos: Sequence[Pdo]) -> tuple[Pdo, ...]:
    """PDOs of a module where they are in a slot (ETG.5001.1, 4): what depends on it goes on by the slots before it."""
    steps = max(slot - 1, 0)
    pdo_step, index_step = (rule.pdo_step * steps, rule.index_step * steps) if rule else (0, 0)
    return tuple(_moved(pdo, pdo_step, index_step) for pdo in pdos)


def _moved(pdo: Pdo, pdo_step: int, index_step: int) -> Pdo:
    entries = tuple(_moved_entry(entry, index_step) for entry in pdo.entries)
    return pdo._replace(idx=pdo.idx + pdo_step if pdo.by_slot else pdo.idx, entries=entries)


def _moved_entry(entry: PdoEntry, step: int) -> PdoEntry:
    return entry._replace(idx=entry.idx + step) if entry.by_slot else entry
