"""Acyclic requests on the bench: asked at the station's access point between two cycles, polled until it answers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.bus import Bus
from highmoor.core.networks.profibus_dp.cycle import Guest, Question, StationLive, Talk
from highmoor.core.networks.profibus_dp.explain import (
    NO_RECORDS,
    NOT_EXCHANGING,
    TIMED_OUT,
    error_code,
    explain,
)
from highmoor.core.networks.profibus_dp.requests import Request, request_of
from highmoor.core.networks.requester import Came, Requester
from highmoor.core.numbers import shown

_NS_A_MS = 1_000_000
_POLLS_AT_MOST = 100_000


@dataclass(frozen=True, slots=True)
class Service:
    """An acyclic service of class 1: read so many octets of a record, or write some."""

    slot: int
    index: int
    octets: int
    data: bytes | None = None

    def encode(self) -> bytes:
        """Its octets."""
        if self.data is None:
            return bytes((t.READ, self.slot, self.index, self.octets))
        return bytes((t.WRITE, self.slot, self.index, len(self.data))) + self.data


def asking(
    live: StationLive, master: int, service: Service, sent: Callable[[bytes], None], came: Callable[[Came], None],
    over: Callable[[], bool] = lambda: False,
) -> Talk:  # fmt: skip
    """One service with a station that exchanges; `over` says that nobody waits for it any more."""
    asked = t.to_point(live.number, master, live.function(), t.ACYCLIC, service.encode(), t.ACYCLIC)
    sent(asked)
    answer = yield Question(live.number, asked)
    for _ in range(_POLLS_AT_MOST):
        if answer is None:
            came(Came(TIMED_OUT, "it does not answer"))
            return
        if answer != t.SHORT:
            came(_came(service, answer))
            return
        if over() or live.state != "exchange":
            came(Came(NOT_EXCHANGING, explain(NOT_EXCHANGING)))
            return
        poll = t.to_point(live.number, master, live.function(), t.ACYCLIC, b"", t.ACYCLIC)
        answer = yield Question(live.number, poll)


def _came(service: Service, octets: bytes) -> Came:
    try:
        told = t.decode(octets)
    except t.NoTelegram as error:
        return Came(TIMED_OUT, f"its answer is none: {error}", response=octets)
    if told.function not in (t.DATA_LOW, t.DATA_HIGH) or len(told.data) < 4:
        return Came(NO_RECORDS, explain(NO_RECORDS), response=octets)
    if told.data[0] & t.ERROR:
        code = error_code(told.data[2], told.data[3])
        return Came(code, f"{explain(code)} ({told.data[2]:02X} {told.data[3]:02X})", response=octets)
    return Came(data=told.data[4:] if service.data is None else b"", response=octets)


@dataclass(frozen=True, slots=True)
class _Asks:
    """A line's record, asked for by the network's master. `live`: who answers, None for nobody."""

    clock: Clock
    put: Callable[[Guest], None]
    live: StationLive | None
    request: Request
    master: int

    def __call__(self, data: bytes, sent: Callable[[bytes], None], came: Callable[[Came], None]) -> None:
        live, waits = self.live, self.request.timeout_ms
        if live is None or live.state != "exchange" or self.request.index is None:
            why = "nobody has said for which index" if self.request.index is None else explain(NOT_EXCHANGING)
            came(Came(NOT_EXCHANGING, why))
            return
        given_up: list[bool] = []

        def late() -> None:
            given_up.append(True)
            came(Came(TIMED_OUT, f"no answer within {shown(waits)} ms"))

        def told(what: Came) -> None:
            if not given_up:
                came(what)

        if waits > 0:
            self.clock.at(self.clock.now_ns + int(waits * _NS_A_MS), late, priority=1)
        written = data if self.request.writes else None
        service = Service(self.request.slot, self.request.index, self.request.octets, written)
        self.put(Guest(asking(live, self.master, service, sent, told, lambda: bool(given_up))))


def begin_requests(
    clock: Clock, memory: Memory, put: Callable[[Guest], None], lines: list[BenchLine],
    stations: dict[str, StationLive], bus: Bus,
) -> None:  # fmt: skip
    """Let every request of a network wait for its trigger, each for the one before it where it is one of a chain."""
    before: Requester | None = None
    for line in lines:
        if not is_request(line.line.connection):
            continue
        request = request_of(line.line)
        octets = request.octets if request.writes else 0
        asks = _Asks(clock, put, stations.get(request.station.id), request, bus.line.master)
        made = Requester(clock, memory, line, octets, request.octets - octets, asks)
        made.begin(before)
        memory.at_stop.append(made.stop)
        before = made
