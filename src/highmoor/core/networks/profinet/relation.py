"""A device's end of an application relation: it gives data, takes data, tells alarms, and watches that it is not alone.

Source: IEC 61158-6-10, 4.7 (cyclic data), 4.8 (alarms), 4.10.3 (states of a relation).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from highmoor.core.catalogue.profinet import US_AN_INTERVAL
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.media import Host
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import realtime as rt
from highmoor.core.networks.profinet.acceptance import Granted, Where
from highmoor.core.networks.profinet.explain import ALARM, CLOSED, ENDED_BY, WATCHDOG, refused
from highmoor.core.networks.profinet.submodules import PnSubmodule

NS_AN_INTERVAL = round(US_AN_INTERVAL * 1000)
_ALARM_AGAIN_NS = 100_000_000
_ALARM_TRIES = 3
_SEQUENCE = 0x7FFF


@dataclass(frozen=True, slots=True)
class Copy:
    """A stretch of a data unit that is a submodule's data: where there, where in its device's octets."""

    where: Where
    unit: int
    octets: int
    at: int


@dataclass(slots=True)
class DeviceEnd:
    """One relation, going on until it is ended. `over` is called then, once."""

    clock: Clock
    host: Host
    granted: Granted
    frame_id: int
    gives: bytearray
    takes: bytearray
    over: Callable[[DeviceEnd], None]
    # What outputs do when nobody commands them any more.
    let_go: Callable[[], None]
    submodules: Mapping[Where, PnSubmodule]
    # Submodules whose data counts: there, and ready, and nothing wrong with them.
    good: set[Where] = field(default_factory=set)
    ready: bool = False
    trouble: bool = False
    alive: bool = True
    # The id of frames to it, as they begin.
    head: bytes = field(init=False)
    controller_runs: bool = False
    _frame: rt.Cyclic = field(init=False)
    _into: list[Copy] = field(init=False)
    # Of each submodule whose data counts, where in the data unit it goes, and where it is.
    _given: list[tuple[memoryview, memoryview]] = field(default_factory=list)
    _out: list[Copy] = field(init=False)
    _provided: dict[Where, int] = field(init=False)
    _consumed: dict[Where, int] = field(init=False)
    _last_ns: int = 0
    _last_unit: bytes = b""
    _alarms: deque[tuple[int, rt.Alarm]] = field(default_factory=deque)
    _waiting: rt.AlarmFrame | None = None
    _sent: int = 0xFFFF
    _taken: int = 0xFFFE
    _tries: int = 0
    _number: int = 0

    def __post_init__(self) -> None:
        into, out = self.granted.cyclic["in"], self.granted.cyclic["out"]
        self._frame = rt.Cyclic(into.frame_id.to_bytes(2, "big"), bytes(into.octets))
        self.head = self.frame_id.to_bytes(2, "big")
        self._lay_out()
        self._provided = {(p.slot, p.subslot): p.at + self._octets(p, "in") for p in into.data}
        self._consumed = {(p.slot, p.subslot): p.at for p in into.consumers}
        self._period_ns = into.clock * into.ratio * NS_AN_INTERVAL
        self._watchdog_ns = out.watchdog * out.clock * out.ratio * NS_AN_INTERVAL

    _period_ns: int = field(init=False)
    _watchdog_ns: int = field(init=False)

    def _octets(self, place: b.Place, way: str) -> int:
        sub = self.granted.expected[place.slot, place.subslot]
        return sub.into if way == "in" else sub.out

    def _lay_out(self) -> None:
        def copies(way: str) -> list[Copy]:
            found = []
            for place in self.granted.cyclic[way].data:
                where, octets = (place.slot, place.subslot), self._octets(place, way)
                real = self.submodules.get(where)
                if real is not None and octets and where in self.granted.right:
                    found.append(Copy(where, place.at, octets, real.at_in if way == "in" else real.at_out))
            return found

        self._into, self._out = copies("in"), copies("out")
        self._fill()

    def _fill(self) -> None:
        unit, gives = self._frame.unit, memoryview(self.gives)
        self._given = [
            (unit[copy.unit : copy.unit + copy.octets], gives[copy.at : copy.at + copy.octets])
            for copy in self._into
            if copy.where in self.good
        ]

    def replugged(
        self, granted: Granted, submodules: Mapping[Where, PnSubmodule], gives: bytearray, takes: bytearray
    ) -> None:
        """Other submodules are there from now on."""
        self.granted, self.submodules, self.gives, self.takes = granted, submodules, gives, takes
        self._last_unit = b""
        self._lay_out()

    # ── cyclic

    def begin(self) -> None:
        """Data goes out from now on, bad as long as nothing is ready; the controller is waited for a while."""
        self._last_ns = self.clock.now_ns + self._watchdog_ns
        self._provide()
        self.clock.at(self._last_ns + self._watchdog_ns, self._watch)

    def counts(self, good: set[Where]) -> None:
        """Which submodules' data counts from now on."""
        self.good = good
        for where, at in (*self._provided.items(), *self._consumed.items()):
            self._frame.unit[at] = rt.GOOD if where in good else rt.BAD_DEVICE
        self._fill()

    def _provide(self) -> None:
        if not self.alive:
            return
        for here, given in self._given:
            here[:] = given
        now = self.clock.now_ns
        frame = self._frame.at(now // NS_AN_INTERVAL, rt.TROUBLE if self.trouble else rt.RUNNING)
        self.host.send_frame(self.granted.relation.mac, b.RT_ETHERTYPE, frame, rt.PRIORITY)
        self.clock.at(now + self._period_ns, self._provide)

    def heard(self, octets: bytes) -> None:
        """A cyclic frame of the controller."""
        frame = rt.read_cyclic(octets)
        if frame is None:
            return
        unit, status = frame
        self._last_ns = self.clock.now_ns
        runs = bool(status & rt.RUNS)
        if self.controller_runs and not runs:
            self.let_go()
            self._last_unit = b""
        self.controller_runs = runs
        if not runs or unit == self._last_unit:
            return
        self._last_unit = unit
        for copy in self._out:
            end = copy.unit + copy.octets
            if copy.where in self.good and unit[end] & 0x80:
                self.takes[copy.at : copy.at + copy.octets] = unit[copy.unit : end]

    def _watch(self) -> None:
        if not self.alive:
            return
        due = self._last_ns + self._watchdog_ns
        if self.clock.now_ns >= due:
            self.end(WATCHDOG)
        else:
            self.clock.at(due, self._watch)

    def end(self, why: int = CLOSED, *, said: bool = True) -> None:
        """It is over, for this reason; the other end is told unless it said so itself."""
        if not self.alive:
            return
        self.alive = False
        if said:
            status = refused(ENDED_BY, why, ALARM).to_bytes(4, "big")
            self._send(rt.AlarmFrame(rt.LOW_ALARM, self.granted.alarms, 1, rt.ENDED, self._sent, self._taken, status))
        self.over(self)

    # ── alarms

    def alarm(
        self, kind: int, where: Where, error: rt.ChannelError | None = None, *, remains: bool = False,
        there: tuple[int, int] | None = None,
    ) -> int:  # fmt: skip
        """Something to be told, behind what waits: of the module and submodule expected there, or of what is `there`.
        Gives its number."""
        wanted = self.granted.expected.get(where)
        module, ident = there or ((wanted.module, wanted.ident) if wanted else (0, 0))
        frame_id = rt.LOW_ALARM if kind in (rt.DIAGNOSIS, rt.DISAPPEARS) else rt.HIGH_ALARM
        self._number = self._number % 0x7FF + 1
        self._alarms.append((frame_id, rt.Alarm(kind, *where, module, ident, self._number, error, remains)))
        number = self._number
        if self._waiting is None:
            self._next_alarm()
        return number

    def _next_alarm(self) -> None:
        if not self._alarms or not self.alive:
            self._waiting = None
            return
        frame_id, alarm = self._alarms[0]
        self._sent = self._sent + 1 & _SEQUENCE
        self._waiting = rt.AlarmFrame(
            frame_id, self.granted.alarms, 1, rt.DATA, self._sent, self._taken, alarm.encode(frame_id)
        )
        self._tries = 0
        self._tell(self._waiting)

    def _tell(self, frame: rt.AlarmFrame) -> None:
        if self._waiting is not frame or not self.alive:
            return
        if self._tries > _ALARM_TRIES:
            self.end(WATCHDOG)
            return
        self._tries += 1
        self._send(frame)
        self.clock.at(self.clock.now_ns + _ALARM_AGAIN_NS, lambda: self._tell(frame))

    def alarm_heard(self, octets: bytes) -> None:
        """What the controller answers to an alarm: that it is there, or that it has seen to it."""
        frame = rt.read_alarm(octets)
        if frame is None or frame.kind == rt.TAKEN:
            if frame is not None and self._waiting is not None and frame.taken == self._waiting.sent:
                # It is there; what it says of it comes by itself.
                self._tries = 0
            return
        if frame.kind == rt.ENDED:
            self.end(said=False)
            return
        self._taken = frame.sent
        self._send(rt.AlarmFrame(frame.frame_id, self.granted.alarms, 1, rt.TAKEN, self._sent, frame.sent))
        told = rt.read_confirmed(frame.octets)
        if told is not None and self._alarms and told[1] == self._alarms[0][1].number:
            self._alarms.popleft()
            self._next_alarm()

    def _send(self, frame: rt.AlarmFrame) -> None:
        priority = rt.ALARM_PRIORITY[frame.frame_id]
        self.host.send_frame(self.granted.relation.mac, b.RT_ETHERTYPE, frame.encode(), priority)
