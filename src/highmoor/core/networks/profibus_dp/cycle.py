"""What a DP master asks, one telegram after the other, whatever brings them: stations in turn, then one thing more.

Source: IEC 61158-6-3 (state machine of the master for each slave); IEC 61158-4-3 (token, gap).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator
from dataclasses import dataclass, field
from typing import Literal, TypeAlias

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.media import SegmentEnd
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.bus import Bus
from highmoor.core.networks.profibus_dp.diagnosis import (
    CFG_FAULT,
    EXT_DIAG,
    LOCKED,
    NOT_SUPPORTED,
    PRM_FAULT,
    SlaveDiag,
)
from highmoor.core.networks.profibus_dp.explain import (
    CFG,
    LENGTH,
    LOST,
    NOT_READY,
    OTHER_MASTER,
    PRM,
    SILENT,
    UNSUPPORTED,
    explain,
)
from highmoor.core.networks.profibus_dp.settings import DpStation

State = Literal["silent", "diag", "prm", "cfg", "check", "exchange"]
Mode = Literal["stop", "clear", "operate"]
_AGAIN_NS = 100_000_000
# What `state` counts as a place (`layout.STATES`).
_COUNTED: dict[State, int] = {"silent": 0, "diag": 1, "prm": 1, "cfg": 2, "check": 2, "exchange": 3}


@dataclass(frozen=True, slots=True)
class Question:
    """A telegram to somebody's number; what is not `answered` goes to all. With `once` it is not asked again."""

    number: int
    octets: bytes
    answered: bool = True
    once: bool = False


# What comes back of a question: the answer's octets, None for silence. What was `skipped` was asked as before.
Talk: TypeAlias = Generator[Question, bytes | None, None]


@dataclass(slots=True)
class Guest:
    """Questions beside the cycle, one each: those of a scan, of a request, of somebody's hand. `talk` asks them."""

    talk: Talk
    begun: bool = False
    answer: bytes | None = None


@dataclass(slots=True)
class StationLive:
    """A station as its master sees it: how far it is, its last diagnosis, where its data lies in the image."""

    station: DpStation
    number: int
    into: int | None
    out: int | None
    lives: tuple[ExchangeLive, ...]
    state: State = "silent"
    code: int = SILENT
    text: str = "not asked yet"
    diag: SlaveDiag | None = None
    waits: bool = False
    # Whether its last exchange was asked straight and left nothing to be done.
    settled: bool = False
    asked_once: bool = False
    cycles: int = 0
    failures: int = 0
    exchanging_since_ns: int | None = None
    good_ns: int | None = None
    bits: int = 0
    # Whoever refuses is left alone until then: he would refuse again.
    again_ns: int = 0
    request: bytes = b""
    response: bytes = b""
    prm: bytes = b""
    _bit: bool = False
    _first: bool = True
    sent: bytes | None = None
    given: bytes = b""
    told: tuple[State, int, bool] | None = None

    def function(self) -> int:
        """The function code of its next question: the first one's bit does not count yet."""
        if self._first:
            self._first, self._bit = False, True
            return t.FIRST
        self._bit = not self._bit
        return t.COUNTED_ON if self._bit else t.COUNTED

    def turned(self) -> None:
        """It was asked once more."""
        self._bit = not self._bit
        self.cycles += 1

    def from_the_start(self) -> None:
        """Nothing is known of it."""
        self._first = True
        self.forget()

    def forget(self) -> None:
        """What it was sent last does not count any more."""
        self.sent, self.settled = None, False


@dataclass(slots=True)
class Cycle:
    """All a master asks in one cycle after another."""

    clock: Clock
    memory: Memory
    end: SegmentEnd
    bus: Bus
    stations: list[StationLive]
    mode: Mode = "operate"
    guests: deque[Guest] = field(default_factory=deque)
    there: dict[int, bool] = field(default_factory=dict)
    rotations: int = 0
    # Bit times of what was asked `straight` and as before, since the last look.
    skipped_bits: int = 0
    # How long the last question and its answer took; 0 where they were not asked straight.
    asked_bits: int = 0
    began_ns: int = 0
    _token: Question = field(init=False)
    lost: Callable[[StationLive], None] = lambda _: None
    _gap_at: int = 0
    _commanded: Mode = "stop"
    _command: bool = False

    def __post_init__(self) -> None:
        own = self.bus.line.master
        self._token = Question(own, t.token(own, own), answered=False)

    # ── one cycle

    def talk(self) -> Talk:
        """The token, each station once, one thing more."""
        self.rotations += 1
        yield self._token
        if self._commanded != self.mode or self._command:
            yield from self._tell_mode()
        straight, again = self.end.straight, self.end.again
        self.began_ns = self.clock.now_ns
        image, operates = self.memory.image_out, self.mode == "operate"
        for live in self.stations:
            if straight and live.settled:
                out, sent = live.out, live.sent or b""
                same = out is None or not operates or image[out : out + len(sent)] == sent
                if same and again(live.number):
                    live.turned()
                    self.skipped_bits += live.bits
                    continue
                live.settled = False
            yield from self._station(live)
        yield from self._one_more()

    def _tell_mode(self) -> Talk:
        """Operate or Clear, to all."""
        self._commanded, self._command = self.mode, False
        command = 0 if self.mode == "operate" else t.CLEAR_DATA
        yield Question(t.BROADCAST, t.global_control(self.bus.line.master, command), answered=False)

    def _one_more(self) -> Talk:
        """A diagnosis that waits, a guest's question, or somebody in the gap."""
        waiting = next((live for live in self.stations if live.waits), None)
        if waiting is not None:
            yield from self._diagnose(waiting)
        elif self.guests:
            yield from self._guest(self.guests.popleft())
        elif self.rotations % max(self.bus.gap, 1) == 0:
            yield from self._gap()

    def _guest(self, guest: Guest) -> Talk:
        """His next question; he comes again with what he heard until he has none left."""
        try:
            question = next(guest.talk) if not guest.begun else guest.talk.send(guest.answer)
        except StopIteration:
            return
        guest.begun = True
        guest.answer = yield question
        self.guests.append(guest)

    def _gap(self) -> Talk:
        """Whether somebody has come at an address that nobody is configured at."""
        known = {live.number for live in self.stations} | {self.bus.line.master}
        for _ in range(127):
            self._gap_at = self._gap_at + 1 if self._gap_at < self.bus.highest else 0
            if self._gap_at not in known:
                break
        asked = t.Telegram(self._gap_at, self.bus.line.master, t.FDL_STATUS).encode()
        answer = yield Question(self._gap_at, asked, once=True)
        self.there[self._gap_at] = answer is not None

    # ── one station

    def _station(self, live: StationLive) -> Talk:
        if live.again_ns > self.clock.now_ns:
            return
        if live.state == "exchange":
            yield from self._exchange(live)
        elif live.state == "prm":
            yield from self._acknowledged(live, t.SET_PRM, live.prm, "cfg")
        elif live.state == "cfg":
            yield from self._acknowledged(live, t.CHK_CFG, live.station.configuration, "check")
        else:
            yield from self._diagnose(live)

    def _put(self, live: StationLive, octets: bytes) -> Generator[Question, bytes | None, bytes | None]:
        live.request = octets
        answer = yield Question(live.number, octets)
        live.response = answer or b""
        return answer

    def _diagnose(self, live: StationLive) -> Talk:
        """Its diagnosis; what follows depends on that."""
        octets = t.to_point(live.number, self.bus.line.master, live.function(), t.SLAVE_DIAG)
        answer = yield from self._put(live, octets)
        live.waits = False
        told = _data(answer)
        diag = SlaveDiag.of(told.data) if told and told.dsap == t.MASTER else None
        if diag is None:
            self._silent(live, SILENT if answer is None else LOST)
            return
        live.diag = diag
        if live.state == "exchange":
            self._told(live)
            return
        if diag.one & LOCKED and diag.master not in (255, self.bus.line.master):
            self._fail(live, OTHER_MASTER, "diag")
        elif live.state == "check" and diag.ready:
            self._begins(live)
        elif diag.one & (PRM_FAULT | CFG_FAULT | NOT_SUPPORTED):
            code = PRM if diag.one & PRM_FAULT else CFG if diag.one & CFG_FAULT else UNSUPPORTED
            live.again_ns = self.clock.now_ns + _AGAIN_NS
            self._fail(live, code, "prm")
        else:
            if live.state == "check":
                self._fail(live, NOT_READY, "prm" if diag.two & 1 else "check")
                return
            live.state = "prm"
            self._told(live)

    def _acknowledged(self, live: StationLive, point: int, data: bytes, after: State) -> Talk:
        octets = t.to_point(live.number, self.bus.line.master, live.function(), point, data)
        answer = yield from self._put(live, octets)
        if answer == t.SHORT:
            live.state = after
            self._told(live)
        else:
            self._silent(live, SILENT if answer is None else LOST)

    def _begins(self, live: StationLive) -> None:
        live.state, live.code = "exchange", 0
        live.exchanging_since_ns = self.clock.now_ns
        live.forget()
        # Whoever begins has not heard yet whether outputs count.
        self._command = True

    def _exchange(self, live: StationLive) -> Talk:
        station, out = live.station, live.out
        data = bytes(self.memory.image_out[out : out + station.out_octets]) if out is not None else b""
        if self.mode != "operate":
            data = b"" if station.fact("fail_safe") == 1 else bytes(station.out_octets)
        octets = t.data_request(live.number, self.bus.line.master, live.function(), data)
        answer = yield from self._put(live, octets)
        if answer is None:
            self._silent(live, LOST)
            return
        told = _data(answer)
        given = b"" if answer == t.SHORT else told.data if told else None
        if given is None or (told and told.function not in (t.DATA_LOW, t.DATA_HIGH)):
            # It has left the exchange: its diagnosis tells why.
            self._lost(live, NOT_READY, "diag")
            return
        if len(given) != station.in_octets:
            self._lost(live, LENGTH, "diag")
            return
        live.waits = bool(told and told.function == t.DATA_HIGH)
        live.sent = data
        live.bits = self.asked_bits
        live.settled = bool(live.bits) and not live.waits
        self._taken(live, given)

    def _taken(self, live: StationLive, given: bytes) -> None:
        live.cycles += 1
        live.good_ns = self.clock.now_ns
        if live.into is not None and given:
            self.memory.image_in[live.into : live.into + len(given)] = given
        live.given = given
        self._told(live)

    # ── what came of it

    def _silent(self, live: StationLive, code: int) -> None:
        if live.state == "exchange":
            self._lost(live, code, "silent")
        else:
            live.from_the_start()
            self._fail(live, code, "silent")

    def _lost(self, live: StationLive, code: int, state: State) -> None:
        live.exchanging_since_ns = None
        if state == "silent":
            live.from_the_start()
        live.failures += 1
        self._fail(live, code, state)
        self.lost(live)

    def _fail(self, live: StationLive, code: int, state: State) -> None:
        live.state, live.code, live.settled = state, code, False
        self._told(live)

    def _told(self, live: StationLive) -> None:
        """Brings what its exchanges tell to how it is, where that has changed."""
        good = live.state == "exchange"
        reports = good and live.diag is not None and bool(live.diag.one & EXT_DIAG)
        now = (live.state, live.code, reports)
        if now == live.told:
            return
        live.told = now
        live.text = "good" if good else explain(live.code) if live.code else "starting"
        for one in live.lives:
            one.state = "good" if good else "bad" if live.code else "waiting"
            one.text = live.text
            self.memory.set_code(one.exchange, 0 if good else live.code or NOT_READY)
            self.memory.set_state(one.exchange, _COUNTED[live.state] + reports)


def _data(answer: bytes | None) -> t.Telegram | None:
    """The telegram an answer is; None for what is none."""
    if not answer:
        return None
    try:
        return t.decode(answer)
    except t.NoTelegram:
        return None
