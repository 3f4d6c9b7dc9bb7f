"""A DP slave on the bench: its states, its parameters and configuration checked, its data, its diagnosis.

Source: IEC 61158-6-3 (state machine of the slave: Wait_Prm, Wait_Cfg, Data_Exchange); IEC 61158-4-3 for what is asked
again (the frame count bit).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.media import SegmentEnd
from highmoor.core.networks.profibus_dp import diagnosis as d
from highmoor.core.networks.profibus_dp import telegrams as t

_NS_A_MS = 1_000_000
State = Literal["wait-prm", "wait-cfg", "exchange"]
# How long it works on an acyclic request, in polls.
_POLLS = 1
_INVALID_INDEX, _INVALID_SLOT, _WRONG_LENGTH = 0xB0, 0xB2, 0xB1


@dataclass(frozen=True, slots=True)
class SlaveFacts:
    """What a slave is: who, with which modules, what it can, how soon it answers (bit times).

    `cfg` is what is really plugged; `by_module` how many octets of it each module has. `prm` is how many octets of
    parameters it takes, its modules' included, None for any; `records` what it can be asked for, by slot and index.
    """

    ident: int
    cfg: bytes
    by_module: tuple[int, ...]
    in_octets: int
    out_octets: int
    tsdr: int
    can_sync: bool
    can_freeze: bool
    fail_safe: bool
    can_be_given: bool
    prm: int | None
    watchdog_base_ms: int
    records: Mapping[tuple[int, int], bytes] | None
    reports: bytes = b""


@dataclass(slots=True)
class Slave:
    """One slave. `gives` and `takes` are its modules' octets."""

    facts: SlaveFacts
    number: int
    clock: Clock
    end: SegmentEnd
    gives: bytearray
    takes: bytearray
    on_lost: Callable[[], None] = lambda: None
    keep: Callable[[int], None] = lambda _: None
    state: State = "wait-prm"
    master: int = d.NO_MASTER
    faults: int = 0
    watchdog_ms: float = 0.0
    group: int = 0
    min_tsdr: int = 11
    cleared: bool = False
    records: dict[tuple[int, int], bytes] = field(default_factory=dict)
    _different: tuple[int, ...] = ()
    _reports: bytes = b""
    _told: bytes = b""
    _synced: bool = False
    _held: bytes | None = None
    _count: bool | None = None
    _last: tuple[bytes, int] | None = None
    _gave: bytes | None = None
    _watching: bool = False
    _acyclic: bytes | None = None
    _polled: int = 0

    def __post_init__(self) -> None:
        self._reports = self.facts.reports
        self.records = dict(self.facts.records or {})
        self.end.be(self.number, self)

    # ── what is asked

    def heard(self, octets: bytes) -> tuple[bytes, int] | None:
        """A telegram on the line: what it answers, and after how many bit times; None for what is not for it."""
        try:
            asked = t.decode(octets)
        except t.NoTelegram:
            return None
        if asked.to == t.BROADCAST and asked.is_request:
            self._control(asked)
            return None
        if asked.to != self.number or not asked.is_request:
            return None
        self.end.asked_ns = self.clock.now_ns
        return self._answered(asked)

    def answer(self, octets: bytes) -> tuple[bytes, int] | None:
        """The same, asked straight."""
        return self.heard(octets)

    def answer_again(self) -> bool:
        """Whether it exchanges, gives what it gave and has nothing else to say; then it was asked once more."""
        # Nothing is held that it gave where it has left the exchange, or has a diagnosis to tell.
        if self._gave is None or self._gave != self.gives:
            return False
        self._count = not self._count
        return True

    def _answered(self, asked: t.Telegram) -> tuple[bytes, int] | None:
        if asked.counts and self._count is not None and asked.count_bit == self._count and self._last:
            return self._last
        octets = self._reply(asked)
        came = (octets, max(self.facts.tsdr, self.min_tsdr)) if octets else None
        if asked.counts or asked.count_bit:
            # Of a question whose bit does not count nothing is kept: the counted ones go on around it.
            self._count, self._last = asked.count_bit, came
        return came

    def _reply(self, asked: t.Telegram) -> bytes | None:
        if asked.function == t.FDL_STATUS:
            return t.Telegram(asked.source, self.number, t.OK).encode()
        if asked.dsap is None:
            return self._exchange(asked)
        reply = {
            t.SLAVE_DIAG: self._diag, t.SET_PRM: self._set_prm, t.CHK_CFG: self._chk_cfg, t.GET_CFG: self._get_cfg,
            t.SET_SLAVE_ADD: self._set_address, t.ACYCLIC: self._record,
        }.get(asked.dsap)  # fmt: skip
        return reply(asked) if reply else self._none(asked)

    def _none(self, asked: t.Telegram) -> bytes:
        """No such access point here."""
        return t.Telegram(asked.source, self.number, t.NO_SERVICE).encode()

    def _told_back(self, asked: t.Telegram, data: bytes, function: int = t.DATA_LOW) -> bytes:
        return t.Telegram(asked.source, self.number, function, data, asked.ssap, asked.dsap).encode()

    # ── diagnosis

    @property
    def extended(self) -> bytes:
        """What follows the six octets: which of its modules are not as it was told, and what it reports."""
        modules = b""
        if self._different:
            width = max(len(self.facts.by_module) + 7 >> 3, max(self._different) + 8 >> 3)
            bits = sum(1 << slot for slot in self._different)
            modules = bytes((0x40 | width + 1,)) + bits.to_bytes(width, "little")
        return modules + self._reports

    def _diag(self, asked: t.Telegram) -> bytes:
        extended = self.extended
        self._told = extended
        one = self.faults | (0 if self.state == "exchange" else d.NOT_READY) | (d.EXT_DIAG if extended else 0)
        two = d.ALWAYS | (d.PRM_REQ if self.state == "wait-prm" else 0) | (d.WD_ON if self.watchdog_ms else 0)
        two |= d.SYNC if self._synced else 0
        two |= d.FREEZE if self._held is not None else 0
        if self.master not in (d.NO_MASTER, asked.source):
            one |= d.LOCKED
        head = bytes((one, two, 0, self.master)) + self.facts.ident.to_bytes(2, "big")
        return self._told_back(asked, head + extended)

    def _diag_waits(self) -> bool:
        return self._told != self.extended

    def report(self, extended: bytes) -> None:
        """Something has come or gone that it tells."""
        self._reports, self._gave = extended, None

    # ── parameters, configuration

    def _set_prm(self, asked: t.Telegram) -> bytes:
        data = asked.data
        if self.master not in (d.NO_MASTER, asked.source):
            return t.SHORT
        if len(data) < 7:
            self._back(d.PRM_FAULT)
            return t.SHORT
        status, one, other, least, group = data[0], data[1], data[2], data[3], data[6]
        if status & t.UNLOCK:
            self._back(0)
            self.master = d.NO_MASTER
            return t.SHORT
        if int.from_bytes(data[4:6], "big") != self.facts.ident:
            self._back(d.PRM_FAULT)
        elif (status & t.SYNC and not self.facts.can_sync) or (status & t.FREEZE and not self.facts.can_freeze):
            self._back(d.NOT_SUPPORTED)
        elif (self.facts.prm is not None and len(data) - 7 != self.facts.prm) or (
            status & t.WATCHDOG and not (one and other)
        ):
            self._back(d.PRM_FAULT)
        elif status & t.LOCK:
            self.faults = 0
            self.master, self.group, self.min_tsdr = asked.source, group, max(least, 11)
            self.watchdog_ms = float(self.facts.watchdog_base_ms * one * other) if status & t.WATCHDOG else 0.0
            self.state = "wait-cfg"
            self._watch()
        return t.SHORT

    def _chk_cfg(self, asked: t.Telegram) -> bytes:
        if self.state == "wait-prm" or asked.source != self.master:
            return t.SHORT
        if asked.data == self.facts.cfg:
            self.faults, self._different = 0, ()
            self.state = "exchange"
        else:
            self._different = tuple(self._unlike(asked.data))
            self._back(d.CFG_FAULT)
        return t.SHORT

    def _unlike(self, configured: bytes) -> list[int]:
        """The places (from 0) of modules whose identifiers are not those configured."""
        found, at = [], 0
        for place, octets in enumerate(self.facts.by_module):
            if configured[at : at + octets] != self.facts.cfg[at : at + octets]:
                found.append(place)
            at += octets
        return found or [max(len(self.facts.by_module) - 1, 0)]

    def _get_cfg(self, asked: t.Telegram) -> bytes:
        return self._told_back(asked, self.facts.cfg)

    def _set_address(self, asked: t.Telegram) -> bytes:
        """A new number, only while nobody has its parameters, and by its own ident number."""
        data = asked.data
        if not self.facts.can_be_given:
            return self._none(asked)
        fits = len(data) >= 4 and int.from_bytes(data[1:3], "big") == self.facts.ident and data[0] < 126
        if self.state == "wait-prm" and fits:
            self.number = data[0]
            # It answers this under its old number; from then on it is another.
            self.clock.at(self.clock.now_ns, self._moved, 1)
        return t.SHORT

    def _moved(self) -> None:
        self.end.be(self.number, self)
        self.keep(self.number)

    # ── data

    def _exchange(self, asked: t.Telegram) -> bytes | None:
        if self.state != "exchange" or asked.source != self.master:
            return self._none(asked)
        empty = not asked.data and self.facts.fail_safe
        if len(asked.data) != self.facts.out_octets and not empty:
            self._back(0)
            return self._none(asked)
        if empty and self.facts.out_octets:
            self.on_lost()
        elif not self._synced and not self.cleared:
            self.takes[: self.facts.out_octets] = asked.data
        gives = bytes(self.gives)
        data = gives if self._held is None else self._held
        function = t.DATA_HIGH if self._diag_waits() else t.DATA_LOW
        self._gave = gives if function == t.DATA_LOW else None
        if not data and function == t.DATA_LOW:
            return t.SHORT
        return t.Telegram(asked.source, self.number, function, data).encode()

    def _control(self, asked: t.Telegram) -> None:
        """A command to all, or to those of groups (IEC 61158-6-3, Global_Control)."""
        if asked.dsap != t.GLOBAL_CONTROL or len(asked.data) < 2 or asked.source != self.master:
            return
        command, groups = asked.data[0], asked.data[1]
        if groups and not groups & self.group:
            return
        if command & t.CLEAR_DATA and not self.cleared:
            self.on_lost()
        self.cleared = bool(command & t.CLEAR_DATA)
        if command & t.UNFREEZE:
            self._held = None
        elif command & t.FREEZE_NOW and self.facts.can_freeze:
            self._held = bytes(self.gives)
        if command & t.UNSYNC:
            self._synced = False
        elif command & t.SYNC_NOW and self.facts.can_sync:
            self._synced = True
        self._gave = None

    # ── when its master is lost

    def _back(self, faults: int) -> None:
        """It waits for parameters again, and its outputs do what they are to do then."""
        if self.state == "exchange":
            self.on_lost()
        self.state, self.faults = "wait-prm", faults
        self.master, self.watchdog_ms, self.cleared = d.NO_MASTER, 0.0, False
        self._synced, self._held, self._gave = False, None, None

    def _watch(self) -> None:
        if not self._watching and self.watchdog_ms:
            self._watching = True
            self.clock.at(self.clock.now_ns + int(self.watchdog_ms * _NS_A_MS), self._look)

    def _look(self) -> None:
        """Whether its master has asked in time; otherwise at the earliest it may be too late again."""
        if not self.watchdog_ms:
            self._watching = False
            return
        due = self.end.asked_ns + int(self.watchdog_ms * _NS_A_MS)
        if due <= self.clock.now_ns:
            self._watching = False
            self._back(0)
        else:
            self.clock.at(due, self._look)

    # ── acyclic

    def _record(self, asked: t.Telegram) -> bytes | None:
        """A request is acknowledged; then it is polled until the answer is ready."""
        if self.facts.records is None or self.state != "exchange" or asked.source != self.master:
            return self._none(asked)
        if asked.data:
            self._acyclic, self._polled = self._served(asked.data), 0
            return t.SHORT
        if self._acyclic is None or self._polled < _POLLS:
            self._polled += 1
            return t.SHORT
        answer, self._acyclic = self._acyclic, None
        return self._told_back(asked, answer)

    def _served(self, data: bytes) -> bytes:
        function, slot, index, length = data[0], *data[1:4]
        slots = {slot for slot, _ in self.records} | {0}
        there = self.records.get((slot, index))
        if slot not in slots:
            return bytes((function | t.ERROR, 128, _INVALID_SLOT, 0))
        if there is None:
            return bytes((function | t.ERROR, 128, _INVALID_INDEX, 0))
        if function == t.WRITE:
            if length != len(there) or len(data) - 4 != length:
                return bytes((function | t.ERROR, 128, _WRONG_LENGTH, 0))
            self.records[slot, index] = data[4:]
            return bytes((function, slot, index, length))
        told = there[:length]
        return bytes((function, slot, index, len(told))) + told
