"""What an EtherCAT device offers to be configured. Source: ETG.1000 (services), ETG.2000 (device description).

Directions are seen from the controller: a TxPDO goes "in", an RxPDO "out". Sizes are bits or octets as named, times ns.
What there is by the thousand in a file is a plain tuple with names, so that reading many devices stays quick; its
`idx` and `sub` are index and subindex, for a tuple has an `index` already.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, NamedTuple

Direction = Literal["in", "out"]
# A step of the state machine (ETG.1000.6, 6.4.1): from Init to Pre-Operational, and so on.
TRANSITIONS = ("IP", "PS", "SO")
Access = Literal["ro", "rw", "wo"]


class PdoEntry(NamedTuple):
    """A value in a process data object; index 0 is padding, which counts in bits. `data_type` of IEC 61131-3, "" for
    what has no such. `by_slot`: its index moves with the slot of the module it belongs to."""

    idx: int
    sub: int
    bits: int
    label: str = ""
    data_type: str = ""
    by_slot: bool = False


@lru_cache(maxsize=4096)
def entry_key(idx: int, sub: int) -> str:
    """The key of a value by its object: `i6000:01`."""
    return f"i{idx:04X}:{sub:02X}"


class Pdo(NamedTuple):
    """A process data object. `manager` is the sync manager it is assigned to unless another choice is made, None for
    none; one that is `mandatory` cannot be left out, a `fixed` one's entries not be changed."""

    idx: int
    label: str
    direction: Direction
    manager: int | None = None
    entries: tuple[PdoEntry, ...] = ()
    excludes: tuple[int, ...] = ()
    mandatory: bool = False
    fixed: bool = False
    by_slot: bool = False


class SyncManager(NamedTuple):
    """A sync manager: what it is for, where its memory begins, its size (None: as the process data wants it)."""

    kind: Literal["mailbox-out", "mailbox-in", "out", "in", ""]
    start: int
    octets: int | None = None
    least: int | None = None
    most: int | None = None
    control: int = 0
    enabled: bool = True


class ClockMode(NamedTuple):
    """A way of running with distributed clocks. `activate` is the assign-activate word (register 0x0980); a Sync0 cycle
    of 0 is the bus cycle times `factor0` (a negative one divides). Cycles and shifts in ns."""

    key: str
    label: str
    activate: int
    sync0_ns: int = 0
    factor0: int = 1
    shift0_ns: int = 0
    sync1_ns: int = 0
    factor1: int = 0
    shift1_ns: int = 0

    @property
    def on(self) -> bool:
        """Whether a clock is needed at all."""
        return self.activate != 0

    @property
    def sync0(self) -> bool:
        """Whether it needs Sync0 (ETG.1000.4, bit 1 of the activation)."""
        return bool(self.activate & 0x200)

    @property
    def sync1(self) -> bool:
        """Whether it needs Sync1."""
        return bool(self.activate & 0x400)


class StartWrite(NamedTuple):
    """Service data that is written at a step of the state machine. `octets` in hex, low octet first."""

    transition: str
    idx: int
    sub: int
    octets: str
    complete: bool = False
    comment: str = ""


# The type of what is characters.
TEXT = "STRING"


class SubObject(NamedTuple):
    """An entry of an object; `bit` is where it begins within the whole. Limits and default as octets in hex."""

    sub: int
    label: str
    data_type: str
    bits: int
    bit: int
    access: Access = "ro"
    default: str = ""
    minimum: str = ""
    maximum: str = ""
    mapped: str = ""
    unit: str = ""
    values: tuple[tuple[int, str], ...] = ()


class Object(NamedTuple):
    """An object of the dictionary; one without `subs` is a single value at subindex 0."""

    idx: int
    label: str
    data_type: str
    bits: int
    access: Access = "ro"
    default: str = ""
    minimum: str = ""
    maximum: str = ""
    mapped: str = ""
    unit: str = ""
    values: tuple[tuple[int, str], ...] = ()
    subs: tuple[SubObject, ...] = ()


@dataclass(frozen=True, slots=True)
class Mailbox:
    """What a device's mailbox can: service data with its options, file access, Ethernet. Time-outs in ms."""

    coe: bool = False
    sdo_info: bool = False
    pdo_assign: bool = False
    pdo_config: bool = False
    complete_access: bool = False
    foe: bool = False
    eoe: bool = False
    soe: bool = False
    request_ms: int = 100
    response_ms: int = 2000


@dataclass(frozen=True, slots=True)
class SlotRule:
    """How modules in slots move what they bring: what is added to the index of objects and of PDOs a slot."""

    most: int
    index_step: int = 0
    pdo_step: int = 0


@dataclass(frozen=True, slots=True)
class StateTimes:
    """How long a device may take for a step, ms."""

    preop: int = 3000
    safeop_op: int = 10_000
    back: int = 5000


@dataclass(frozen=True, slots=True)
class EthercatFacts:
    """All of one device, or of one module of a device with slots.

    `physics` has a letter a port: Y cable, K internal bus, H open. `revision_rule` is by which rule another revision
    is taken. `newest` is the revision that hides this one, None for none. `dictionary` are its objects as its file has
    them; `reading/ethercat_esi/objects.py` reads them when somebody asks.
    """

    revision: int = 0
    physics: str = "YY"
    revision_rule: str = "EQ_OR_G"
    product_rule: str = "EQ"
    group: str = ""
    newest: int | None = None
    managers: tuple[SyncManager, ...] = ()
    pdos: tuple[Pdo, ...] = ()
    mailbox: Mailbox | None = None
    clocks: tuple[ClockMode, ...] = ()
    reference_clock: bool = False
    writes: tuple[StartWrite, ...] = ()
    slots: SlotRule | None = None
    units: tuple[str, ...] = ()
    fmmus: tuple[str, ...] = ()
    times: StateTimes = StateTimes()
    dictionary: str = ""
    profile: int | None = None
    eeprom_octets: int = 0
    configuration: str = ""

    @property
    def analogue(self) -> Iterator[str]:
        """The keys of values that may well be at terminals: signed ones of 16 bits."""
        for pdo in self.pdos:
            for entry in pdo.entries:
                if entry.idx and entry.data_type == "INT":
                    yield entry_key(entry.idx, entry.sub)

    @property
    def internal(self) -> bool:
        """Whether it stands on an internal bus, behind a coupler."""
        return self.physics[:1] == "K"

    @property
    def couples(self) -> bool:
        """Whether modules of an internal bus can stand behind it."""
        return not self.internal and "K" in self.physics[1:]

    @property
    def sockets(self) -> int:
        """How many cables it takes."""
        return sum(port in "YH" for port in self.physics)
