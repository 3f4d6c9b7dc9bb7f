"""A device of EtherCAT on the bench: registers, memory of itself, states with their refusals, process data.

It stands for a device as it is built: what it refuses, it refuses for the reason and with the code of the standard
(ETG.1000.6, 6.4 and table 11), whatever the configuration believes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

from highmoor.core.catalogue.ethercat import EthercatFacts, Object, Pdo
from highmoor.core.catalogue.reading.ethercat_esi.objects import dictionary_objects
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethercat import registers as r
from highmoor.core.networks.ethercat.dictionary import NOT_NOW, Dictionary
from highmoor.core.networks.ethercat.explain import BOOT, ERROR_BIT, INIT, OP, PREOP, SAFEOP
from highmoor.core.networks.ethercat.mailbox import Aborted
from highmoor.core.networks.ethercat.server import MailboxServer
from highmoor.core.networks.ethercat.settings import excluded
from highmoor.core.networks.ethercat.startup import ASSIGN_BASE, CONFIGURED_MODULES

DETECTED_MODULES = 0xF050
# How long a step takes inside it.
_STEP_NS = 3_000_000
_DATA_START = 0x1000
Block = bytearray | memoryview


@dataclass(frozen=True, slots=True)
class SlaveFacts:
    """One device as it really is; without `clock_runs` its clock is switched off at the device itself. `detected` are
    the idents of modules that stand in its slots, 0 for an empty one."""

    vendor: int = 0
    product: int = 0
    revision: int = 0
    serial: int = 0
    alias: int = 0
    name: str = ""
    clock_runs: bool = True
    detected: tuple[int, ...] = ()
    pdos: tuple[Pdo, ...] = ()
    # Bits that go and come where no PDOs are known.
    plain_in: int = 0
    plain_out: int = 0


@dataclass(slots=True)
class Mapped:
    """Process data that logical addresses lead to: from `start` to `end`; in the data they begin at `offset`."""

    start: int
    end: int
    read: bool
    write: bool
    offset: int


@dataclass(slots=True, eq=False)
class Slave:
    """The device. `gives` and `takes` are its process data; what it takes counts in Op alone."""

    facts: SlaveFacts
    type: EthercatFacts
    clock: Clock
    gives: Block
    takes: Block
    keep: Callable[[Mapping[str, object]], None] = lambda _: None
    internal: bool = False
    ram: bytearray = field(default_factory=lambda: bytearray(r.REGISTER_OCTETS))
    dictionary: Dictionary = field(default_factory=Dictionary)
    mapped: list[Mapped] = field(default_factory=list)
    mailbox: MailboxServer = field(init=False)
    # Its configured station address, 0 until it has one.
    address: int = 0
    written_ns: int = -1
    on_safe: Callable[[], None] = lambda: None
    # Called whenever other process data may pass through it.
    altered: Callable[[], None] = lambda: None
    has_clock: bool = field(init=False)
    in_op: bool = False
    # Its state as the register has it, the error bit included.
    status: int = INIT
    _eeprom: bytes = b""
    _ports: tuple[bool, ...] = (False, False, False, False)
    _watching: bool = False

    def __post_init__(self) -> None:
        self.has_clock = bool(self.type.clocks)
        self.mailbox = MailboxServer(self)
        self._eeprom = eeprom_of(self.facts, self.type)
        self._fill()
        self._objects()
        self._state(INIT)

    @property
    def forward_ns(self) -> int:
        """What it adds to a frame's way."""
        return 300 if self.internal else 1000

    @property
    def state(self) -> int:
        """Its state, without the error bit."""
        return self.ram[r.AL_STATUS] & 0xF

    # ── registers

    def _fill(self) -> None:
        ram = self.ram
        ram[r.TYPE : r.TYPE + 4] = bytes([0x11, 0, 0, 0])
        ram[0x0004], ram[0x0005], ram[0x0006] = r.FMMUS, r.MANAGERS, 8
        kinds = {"K": r.PORT_INTERNAL, "Y": r.PORT_CABLE, "H": r.PORT_CABLE}
        ram[r.PORTS] = sum(kinds.get(letter, 0) << 2 * port for port, letter in enumerate(self.type.physics[:4]))
        self.put(r.FEATURES, (r.HAS_CLOCK if self.has_clock else 0).to_bytes(2, "little"))
        self.put(r.STATION_ALIAS, self.facts.alias.to_bytes(2, "little"))
        self.put(r.WATCHDOG_DIVIDER, r.DIVIDER.to_bytes(2, "little"))
        self.put(r.WATCHDOG_TIME, (1000).to_bytes(2, "little"))

    def put(self, register: int, octets: bytes) -> None:
        """A register, as the device itself sets it."""
        self.ram[register : register + len(octets)] = octets

    def number(self, register: int, octets: int = 2) -> int:
        """A register as a number."""
        return int.from_bytes(self.ram[register : register + octets], "little")

    def read(self, register: int, octets: int) -> bytes | None:
        """What a datagram reads there; None where there is nothing, and the working counter stays as it is."""
        if register + octets <= r.REGISTER_OCTETS:
            if register >= r.RECEIVE_TIMES and register < 0x0A00:
                if not self.has_clock:
                    return None
                self.put(r.SYSTEM_TIME, self.clock.now_ns.to_bytes(8, "little"))
            return bytes(self.ram[register : register + octets])
        return self.mailbox.read(register, octets)

    def write(self, register: int, octets: bytes) -> bool:
        """What a datagram writes there; False where it cannot."""
        if register + len(octets) > r.REGISTER_OCTETS:
            return self.mailbox.write(register, octets)
        if r.RECEIVE_TIMES <= register < 0x0A00 and not self.has_clock:
            return False
        if register in (r.DL_STATUS, r.AL_STATUS, r.AL_STATUS_CODE, r.TYPE):
            return False
        if r.RX_ERRORS <= register < r.LOST_LINKS + 4:
            # Whatever is written there clears it.
            octets = bytes(len(octets))
        self.ram[register : register + len(octets)] = octets
        if register == r.STATION_ADDRESS:
            self.address = self.number(register)
        elif register == r.AL_CONTROL:
            self._asked(octets[0])
        elif register == r.EEPROM_CONTROL:
            self._eeprom_command()
        elif r.FMMU <= register < r.SYNC_MANAGER + r.MANAGER_OCTETS * r.MANAGERS:
            self._map()
        return True

    def linked(self, ports: Sequence[bool]) -> None:
        """Which of its ports have a link; a link that goes is counted."""
        for port, (before, now) in enumerate(zip(self._ports, ports, strict=True)):
            if before and not now:
                self._count(r.LOST_LINKS + port)
        self._ports = tuple(ports)
        status = 1
        for port, now in enumerate(ports):
            status |= (1 << 4 + port if now else 0) | (0b10 if now else 0b01) << 8 + 2 * port
        self.put(r.DL_STATUS, status.to_bytes(2, "little"))

    def damaged(self, port: int, *, first: bool) -> None:
        """A damaged frame at a port: who sees it first marks it, the others know by that that it was."""
        self._count(r.RX_ERRORS + 2 * port if first else r.FORWARDED_ERRORS + port)

    def _count(self, register: int) -> None:
        self.ram[register] = min(self.ram[register] + 1, 0xFF)

    def _eeprom_command(self) -> None:
        if self.number(r.EEPROM_CONTROL) & r.EEPROM_READ:
            at = 2 * self.number(r.EEPROM_ADDRESS, 4)
            self.put(r.EEPROM_DATA, self._eeprom[at : at + 4].ljust(4, b"\xff"))
        self.put(r.EEPROM_CONTROL, bytes(2))

    # ── process data

    def manager(self, number: int) -> r.Manager:
        """A sync manager as it is set."""
        at = r.SYNC_MANAGER + r.MANAGER_OCTETS * number
        return r.Manager.decode(bytes(self.ram[at : at + r.MANAGER_OCTETS]))

    def numbers(self, kind: str) -> list[int]:
        """The sync managers of a kind."""
        return [n for n, one in enumerate(self.type.managers[: r.MANAGERS]) if one.kind == kind]

    def _map(self) -> None:
        """Which logical addresses lead to which of its process data: mappings that are on, into managers that are."""
        self.altered()
        self.mapped = []
        areas = {}
        for kind, read in (("in", True), ("out", False)):
            for number in self.numbers(kind):
                one = self.manager(number)
                if one.active:
                    areas[read] = one
        for n in range(r.FMMUS):
            at = r.FMMU + r.FMMU_OCTETS * n
            fmmu = r.Fmmu.decode(bytes(self.ram[at : at + r.FMMU_OCTETS]))
            area = areas.get(fmmu.read) if fmmu else None
            if (
                fmmu
                and area
                and area.start <= fmmu.physical
                and fmmu.physical + fmmu.octets <= area.start + area.octets
            ):
                offset = fmmu.physical - area.start
                self.mapped.append(Mapped(fmmu.logical, fmmu.logical + fmmu.octets, fmmu.read, fmmu.write, offset))

    # ── states

    def _state(self, state: int, code: int = 0) -> None:
        self.status = state | (ERROR_BIT if code else 0)
        self.put(r.AL_STATUS, bytes([self.status, 0]))
        self.put(r.AL_STATUS_CODE, code.to_bytes(2, "little"))
        if state < SAFEOP:
            for kind in ("in", "out"):
                for number in self.numbers(kind):
                    self.ram[r.SYNC_MANAGER + r.MANAGER_OCTETS * number + 6] &= 0xFE
        if state == INIT:
            self.mailbox.reset()
        self.in_op = state == OP and not code
        if state != OP:
            self.on_safe()
        self._map()

    def _asked(self, control: int) -> None:
        """The controller asks for a state; it is there after a while, or says why not."""
        wanted, now = control & 0xF, self.state
        if self.ram[r.AL_STATUS] & ERROR_BIT:
            if not control & ERROR_BIT and wanted > now:
                return
            self._state(now)
        if wanted not in (INIT, PREOP, BOOT, SAFEOP, OP):
            self._state(now, 0x0012)
        elif wanted == BOOT:
            self._state(now, 0x0013)
        elif wanted <= now:
            self._state(wanted)
        else:
            self.clock.at(self.clock.now_ns + _STEP_NS, lambda: self._step(now, wanted))

    def _step(self, before: int, wanted: int) -> None:
        if self.state != before:
            return
        if (before, wanted) not in ((INIT, PREOP), (PREOP, SAFEOP), (SAFEOP, OP)):
            self._state(before, 0x0011)
            return
        problem = {PREOP: self._no_preop, SAFEOP: self._no_safeop, OP: self._no_op}[wanted]()
        self._state(before if problem else wanted, problem)
        if wanted == OP and not problem:
            self._watch()

    def _no_preop(self) -> int:
        """Whether the mailbox is set as it wants."""
        for kind in ("mailbox-out", "mailbox-in"):
            for number in self.numbers(kind):
                wanted, one = self.type.managers[number], self.manager(number)
                least, most = wanted.least or wanted.octets or 0, wanted.most or wanted.octets or 0xFFFF
                if not one.active or one.start != wanted.start or not least <= one.octets <= most:
                    return 0x0016
        return 0

    def _no_safeop(self) -> int:
        """Whether modules, process data and clock are as it wants."""
        if self.type.slots and not self._modules_agree():
            return 0x0070
        for kind, wrong, mapping in (("out", 0x001D, 0x0025), ("in", 0x001E, 0x0024)):
            taken = self._assigned(kind)
            if any(excluded(one, other) for one, other in combinations(taken, 2)):
                return mapping
            octets = self._octets(kind, taken)
            for number in self.numbers(kind)[:1]:
                one = self.manager(number)
                if octets and one.start != self.type.managers[number].start:
                    return 0x0017
                if (one.octets if one.active else 0) != octets:
                    return wrong
        return self._no_clock()

    def _octets(self, kind: str, taken: Sequence[Pdo]) -> int:
        plain = self.facts.plain_in if kind == "in" else self.facts.plain_out
        return plain or (sum(entry.bits for pdo in taken for entry in pdo.entries) + 7) // 8

    def _assigned(self, kind: str) -> list[Pdo]:
        """The PDOs of a direction as its objects say, or those it always has."""
        usual = [p for p in self.facts.pdos if p.direction == kind and (p.mandatory or p.manager is not None)]
        numbers = self.numbers(kind)
        mailbox = self.type.mailbox
        if not numbers or mailbox is None or not mailbox.pdo_assign:
            return usual
        idx = ASSIGN_BASE + numbers[0]
        by_index = {pdo.idx: pdo for pdo in self.facts.pdos}
        chosen = [self.dictionary.number(idx, n) for n in range(1, self.dictionary.number(idx, 0) + 1)]
        return [by_index[one] for one in chosen if one in by_index]

    def _modules_agree(self) -> bool:
        count = self.dictionary.number(CONFIGURED_MODULES, 0)
        told = [self.dictionary.number(CONFIGURED_MODULES, n) for n in range(1, count + 1)]
        return _without_empty(told) == _without_empty(self.facts.detected)

    def _no_clock(self) -> int:
        modes = self.type.clocks
        activated = self.number(r.ACTIVATION)
        if not activated & 0x0100:
            return 0x002D if modes and all(mode.sync0 for mode in modes) else 0
        if not self.facts.clock_runs:
            return 0x002D
        if activated & 0x0200 and not 62_500 <= self.number(r.SYNC0_CYCLE, 4) <= 100_000_000:
            return 0x0036
        if activated & 0x0400 and self.number(r.SYNC1_CYCLE, 4) > 100_000_000:
            return 0x0037
        return 0

    def _no_op(self) -> int:
        """Whether outputs come."""
        wants = any(self.manager(n).octets for n in self.numbers("out") if self.manager(n).active)
        return 0x0019 if wants and self.written_ns < 0 else 0

    @property
    def watchdog_ns(self) -> int:
        """How long it stays in Op without outputs; 0 for ever."""
        divider = 40 * (self.number(r.WATCHDOG_DIVIDER) + 2)
        return divider * self.number(r.WATCHDOG_TIME)

    def _watch(self) -> None:
        """Back to Safe-Op when no outputs come for so long."""
        waits = self.watchdog_ns
        if not waits or self._watching or not any(one.write for one in self.mapped):
            return
        self._watching = True

        def look() -> None:
            due = self.written_ns + waits
            if self.state != OP:
                self._watching = False
            elif self.clock.now_ns >= due:
                self._watching = False
                self._state(SAFEOP, 0x001B)
            else:
                self.clock.at(due, look, priority=1)

        self.clock.at(max(self.written_ns, self.clock.now_ns) + waits, look, priority=1)

    # ── objects

    def _objects(self) -> None:
        """Those of its file, those of the modules in its slots, and what it always has."""
        found: dict[int, Object] = {one.idx: one for one in dictionary_objects(self.type.dictionary)}
        self.dictionary = Dictionary.of(found)
        own = self.dictionary
        for sub, value in enumerate(
            (self.facts.vendor, self.facts.product, self.facts.revision, self.facts.serial), start=1
        ):
            own.put(0x1018, sub, value.to_bytes(4, "little"), 32)
        if self.type.mailbox and self.type.mailbox.pdo_assign:
            for kind in ("out", "in"):
                for number in self.numbers(kind)[:1]:
                    self._assignment(ASSIGN_BASE + number, kind)
        if self.type.slots:
            for n, ident in enumerate(self.facts.detected, start=1):
                own.put(DETECTED_MODULES, n, ident.to_bytes(4, "little"), 32)
            own.put(DETECTED_MODULES, 0, bytes([len(self.facts.detected)]), 8)
            for n in range(self.type.slots.most + 1):
                own.put(CONFIGURED_MODULES, n, bytes(4 if n else 1), 32 if n else 8, "rw")
            own.changes[CONFIGURED_MODULES] = self._in_preop

    def add_objects(self, objects: Mapping[int, Object]) -> None:
        """Objects of a module in a slot, by the indices they have there."""
        more = Dictionary.of(objects)
        self.dictionary.entries |= more.entries
        self.dictionary.known(objects)

    def _assignment(self, idx: int, kind: str) -> None:
        own = self.dictionary
        usual = [p.idx for p in self.facts.pdos if p.direction == kind and (p.mandatory or p.manager is not None)]
        own.put(idx, 0, bytes([len(usual)]), 8, "rw")
        for n in range(1, max(len(self.facts.pdos), 8) + 1):
            value = usual[n - 1] if n <= len(usual) else 0
            own.put(idx, n, value.to_bytes(2, "little"), 16, "rw")
        there = {pdo.idx for pdo in self.facts.pdos if pdo.direction == kind}

        def change(sub: int, octets: bytes) -> None:
            self._in_preop(sub, octets)
            if sub and int.from_bytes(octets, "little") not in there:
                raise Aborted(0x06040041)
            if sub and own.number(idx, 0):
                raise Aborted(0x06010003)

        own.changes[idx] = change

    def _in_preop(self, _: int, __: bytes) -> None:
        if self.state != PREOP:
            raise Aborted(NOT_NOW)


def _without_empty(idents: Sequence[int]) -> list[int]:
    """Idents in order of slots, empty ones at the end left out."""
    found = list(idents)
    while found and not found[-1]:
        found.pop()
    return found


def eeprom_of(facts: SlaveFacts, kind: EthercatFacts) -> bytes:
    """A device's memory of itself: who it is, its sync managers, its name (ETG.1000.6, 5.4)."""
    words = bytearray(2 * r.CATEGORIES_WORD)

    def put(word: int, value: int, octets: int) -> None:
        words[2 * word : 2 * word + octets] = value.to_bytes(octets, "little")

    put(r.ALIAS_WORD, facts.alias & 0xFFFF, 2)
    put(r.VENDOR_WORD, facts.vendor & 0xFFFFFFFF, 4)
    put(r.PRODUCT_WORD, facts.product & 0xFFFFFFFF, 4)
    put(r.REVISION_WORD, facts.revision & 0xFFFFFFFF, 4)
    put(r.SERIAL_WORD, facts.serial & 0xFFFFFFFF, 4)
    put(r.PROTOCOLS_WORD, 0x04 if kind.mailbox and kind.mailbox.coe else 0, 2)
    name = facts.name.encode("latin-1", "replace")[:64]
    strings = bytes([1, len(name)]) + name
    managers = b"".join(
        m.start.to_bytes(2, "little") + (m.octets or 0).to_bytes(2, "little") + bytes([m.control, 0, 1, _KINDS[m.kind]])
        for m in kind.managers
    )
    # The name is the first of its texts.
    general = bytes([0, 0, 0, 1]) + bytes(28)
    for category, body in ((r.STRINGS, strings), (r.GENERAL, general), (r.MANAGERS_CATEGORY, managers)):
        body += b"\0" * (len(body) % 2)
        words += category.to_bytes(2, "little") + (len(body) // 2).to_bytes(2, "little") + body
    return bytes(words + r.END.to_bytes(2, "little"))


_KINDS = {"": 0, "mailbox-out": 1, "mailbox-in": 2, "out": 3, "in": 4}
