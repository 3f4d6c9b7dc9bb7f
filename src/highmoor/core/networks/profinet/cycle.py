"""A controller's end of a relation: it gives data, takes data, takes alarms, and watches that it is not alone.

Source: IEC 61158-6-10, 4.7 (cyclic data), 4.8 (alarms).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.media import Host
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import realtime as rt
from highmoor.core.networks.profinet.acceptance import Where
from highmoor.core.networks.profinet.bring_up import Wanted
from highmoor.core.networks.profinet.explain import ALARM, CLOSED, ENDED, ENDED_BY, LOST, WATCHDOG, refused
from highmoor.core.networks.profinet.relation import NS_AN_INTERVAL
from highmoor.core.networks.profinet.settings import Direction, IoDevice


@dataclass(frozen=True, slots=True)
class Stretch:
    """A submodule's data: where in the data unit, how many octets, where in the exchange, where its status stands."""

    where: Where
    unit: int
    octets: int
    at: int
    status: int


def stretches(device: IoDevice, direction: Direction) -> list[Stretch]:
    """All data of a way."""
    found = []
    pieces = device.unit(direction)
    for piece, behind in zip(pieces, (*pieces[1:], None), strict=True):
        sub = piece.submodule
        if piece.what == "data" and behind is not None:
            at = sub.at_in if direction == "in" else sub.at_out
            found.append(Stretch((sub.slot, sub.subslot), piece.at, piece.octets, at, behind.at))
    return found


@dataclass(slots=True)
class ControllerEnd:
    """One relation, going on until it is ended. `over` is called then with why, once; `alarmed` takes alarms."""

    clock: Clock
    memory: Memory
    host: Host
    wanted: Wanted
    relation: b.Relation
    mac: bytes
    # The id of frames to the device, and its reference for alarms.
    frame_id: int
    reference: int
    into: int | None
    out: int | None
    over: Callable[[int], None]
    alarmed: Callable[[rt.Alarm], None]
    # Called when it is another set of submodules whose data is bad.
    turned: Callable[[], None]
    alive: bool = True
    ready: bool = False
    runs: bool = True
    good_ns: int | None = None
    # What both ends have sent last; how many frames each way.
    unit: bytes = b""
    came: bytes = b""
    sent: int = 0
    heard_frames: int = 0
    # Of the image, whose data does not count.
    bad: tuple[tuple[int, int], ...] = ()
    # Submodules that give or take no good data, as the device says.
    doubtful: set[Where] = field(default_factory=set)
    latest_ns: int = 0
    _takes: list[Stretch] = field(init=False)
    _statuses: list[int] = field(init=False)
    _told_statuses: list[tuple[Where, int]] = field(init=False)
    _frame: rt.Cyclic = field(init=False)
    # Of each submodule, where in the data unit its data goes, and where in the image it is.
    _given: list[tuple[memoryview, memoryview]] = field(default_factory=list)
    _last_ns: int = 0
    _alarm_sent: int = 0xFFFF

    def __post_init__(self) -> None:
        device = self.wanted.device
        self._takes = stretches(device, "in")
        self._frame = rt.Cyclic(self.frame_id.to_bytes(2, "big"), bytes(device.padded("out")))
        if self.out is not None:
            unit, image = self._frame.unit, memoryview(self.memory.image_out)[self.out :]
            self._given = [
                (unit[one.unit : one.unit + one.octets], image[one.at : one.at + one.octets])
                for one in stretches(device, "out")
            ]
        self._statuses = [piece.at for piece in device.unit("out") if piece.what != "data"]
        self._told_statuses = [
            ((piece.submodule.slot, piece.submodule.subslot), piece.at)
            for piece in device.unit("in")
            if piece.what != "data"
        ]
        self._period_ns = self.wanted.clock * device.ratio(self.wanted.clock) * NS_AN_INTERVAL
        self._watchdog_ns = self._period_ns * device.own.watchdog
        self.run(self.runs)

    _period_ns: int = field(init=False)
    _watchdog_ns: int = field(init=False)

    def run(self, runs: bool) -> None:
        """Whether what it gives counts: its program runs."""
        self.runs = runs
        for at in self._statuses:
            self._frame.unit[at] = rt.GOOD if self.runs else rt.BAD_CONTROLLER

    def begin(self) -> None:
        """Data goes out from its next phase on; the device is waited for a while."""
        now = self.clock.now_ns
        self._last_ns = now + self._watchdog_ns
        offset = self.wanted.phase * self.wanted.clock * NS_AN_INTERVAL
        turn = -(-(now - offset) // self._period_ns)
        self.clock.at(max(turn, 0) * self._period_ns + offset, self._provide)
        self.clock.at(self._last_ns + self._watchdog_ns, self._watch)

    def _provide(self) -> None:
        if not self.alive:
            return
        for here, given in self._given:
            here[:] = given
        now = self.clock.now_ns
        self.unit = self._frame.at(now // NS_AN_INTERVAL, rt.RUNNING if self.runs else rt.STOPPED)
        self.sent += 1
        self.host.send_frame(self.mac, b.RT_ETHERTYPE, self.unit, rt.PRIORITY)
        self.clock.at(now + self._period_ns, self._provide)

    def heard(self, octets: bytes) -> None:
        """A cyclic frame of the device."""
        frame = rt.read_cyclic(octets)
        if frame is None:
            return
        unit, _ = frame
        now = self.clock.now_ns
        if self.heard_frames:
            self.latest_ns = max(self.latest_ns, now - self._last_ns - self._period_ns)
        self._last_ns = now
        self.heard_frames += 1
        self.good_ns = now
        if unit == self.came:
            return
        self.came = unit
        image, bad = self.memory.image_in, []
        for one in self._takes:
            if self.into is None:
                continue
            begin = self.into + one.at
            if unit[one.status] & 0x80:
                image[begin : begin + one.octets] = unit[one.unit : one.unit + one.octets]
            else:
                bad.append((begin, begin + one.octets))
        doubtful = {where for where, at in self._told_statuses if not unit[at] & 0x80}
        if tuple(bad) != self.bad or doubtful != self.doubtful:
            self.bad, self.doubtful = tuple(bad), doubtful
            self.turned()

    def _watch(self) -> None:
        if not self.alive:
            return
        due = self._last_ns + self._watchdog_ns
        if self.clock.now_ns >= due:
            self.end(LOST, WATCHDOG)
        else:
            self.clock.at(due, self._watch)

    def end(self, code: int, why: int | None = CLOSED) -> None:
        """It is over; the device is told why, unless it said so itself (None)."""
        if not self.alive:
            return
        self.alive = False
        if why is not None:
            status = refused(ENDED_BY, why, ALARM).to_bytes(4, "big")
            self._send(rt.AlarmFrame(rt.LOW_ALARM, self.reference, 1, rt.ENDED, self._alarm_sent, 0xFFFE, status))
        self.over(code)

    # ── alarms

    def alarm_heard(self, octets: bytes) -> None:
        """Told that it is there, looked at, and told that it is seen to."""
        frame = rt.read_alarm(octets)
        if frame is None or not self.alive:
            return
        if frame.kind == rt.ENDED:
            self.end(ENDED, None)
        elif frame.kind == rt.DATA:
            self._send(rt.AlarmFrame(frame.frame_id, self.reference, 1, rt.TAKEN, self._alarm_sent, frame.sent))
            alarm = rt.read_notified(frame.octets)
            if alarm is not None:
                self._alarm_sent = self._alarm_sent + 1 & 0x7FFF
                told = rt.confirmed(frame.frame_id, alarm)
                self._send(
                    rt.AlarmFrame(frame.frame_id, self.reference, 1, rt.DATA, self._alarm_sent, frame.sent, told)
                )
                self.alarmed(alarm)

    def _send(self, frame: rt.AlarmFrame) -> None:
        self.host.send_frame(self.mac, b.RT_ETHERTYPE, frame.encode(), rt.ALARM_PRIORITY[frame.frame_id])
