"""Requests on demand on the bench: started by a bit, a period or another request; answers and statuses in words."""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.errors import Refusal
from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.ethernet_ip.messages import OPEN_TIMEOUT_MS, Asked, routed
from highmoor.core.networks.ethernet_ip.replies import code_of, refusal_of, reply_in
from highmoor.core.networks.ethernet_ip.requests import Request, request_of
from highmoor.core.networks.ethernet_ip.session import Session
from highmoor.core.networks.ethernet_ip.settings import hops_to
from highmoor.core.networks.line import BenchLine
from highmoor.core.numbers import shown

_NS_A_MS = 1_000_000
_LOOK_NS = 5 * _NS_A_MS


@dataclass(slots=True)
class Requester:
    """One request, made again each time its trigger says so; while it waits it is not made a second time."""

    clock: Clock
    memory: Memory
    session: Session
    bench_line: BenchLine
    request: Request = field(init=False)
    waiting: int = 0
    on_demand: bool = False
    _made: int = 0
    _was_set: bool = False
    _stopped: bool = False
    _follower: Requester | None = None

    def __post_init__(self) -> None:
        self.request = request_of(self.bench_line.line)

    def begin(self, before: Requester | None) -> None:
        """Wait for the trigger; a request in a chain waits for the one before it in route order."""
        self.on_demand = self.request.trigger != "period" and (
            self.request.trigger == "edge" or before is None or before.on_demand
        )
        for live in self._lives() if self.on_demand else ():
            live.left_to_the_program()
        if self.request.trigger == "period":
            self.clock.at(self.clock.now_ns, self._due)
        elif self.request.trigger == "edge":
            self.clock.at(self.clock.now_ns + _LOOK_NS, self._look)
        elif before is not None:
            before._follower = self

    def stop(self) -> None:
        """The controller stops: nothing is asked any more."""
        self._stopped = True

    def _lives(self) -> list[ExchangeLive]:
        return [self.bench_line.live[x.id] for x in self.bench_line.line.exchanges]

    def _due(self) -> None:
        self.clock.at(self.clock.now_ns + int(self.request.period_ms * _NS_A_MS), self._due)
        self.ask()

    def _look(self) -> None:
        """A rising start bit asks once."""
        now = self.memory.started(self.request.leads)
        if now and not self._was_set:
            self.ask()
        self._was_set = now
        self.clock.at(self.clock.now_ns + _LOOK_NS, self._look)

    def ask(self) -> None:
        """Make the request now, unless the last one still waits."""
        if self.waiting or self._stopped:
            return
        self._made += 1
        number = self.waiting = self._made
        try:
            message = Asked(self.request.service, self.request.path, self._sent())
        except Refusal as refusal:
            self._ended(f"not asked: {refusal.reason}", code=0x04)
            return
        for live in self._lives():
            live.request, live.response = b"", b""
            live.transactions += 1
            self.memory.set_running(live.exchange, True)

        def sent(frame: bytes) -> None:
            for live in self._lives():
                live.request = frame

        waits = self.request.timeout_ms
        hops = hops_to(self.bench_line.line.station)
        message = routed(message, hops, waits or OPEN_TIMEOUT_MS)
        self.session.ask(message, waits, sent, lambda frame: self._answered(frame, number))

    def _sent(self) -> bytes:
        if not self.request.send:
            return b""
        start = self.bench_line.offsets.get(self.request.send, 0)
        return bytes(self.memory.image_out[start : start + self.request.send_octets])

    def _answered(self, frame: bytes | None, number: int) -> None:
        if self.waiting != number:
            return
        if frame is None:
            self._ended(f"no answer within {shown(self.request.timeout_ms)} ms", code=0x0204)
            return
        for live in self._lives():
            live.response = frame
        reply = reply_in(frame)
        if reply is None or reply.status:
            self._ended(refusal_of(reply), code=code_of(reply))
        else:
            self._taken(reply.data)

    def _taken(self, data: bytes) -> None:
        """As much of the answer as there is room for."""
        room = self.request.answer_octets
        if self.request.answer and room and data:
            start = self.bench_line.offsets[self.request.answer]
            part = data[:room]
            self.memory.image_in[start : start + len(part)] = part
        for live in self._lives():
            live.data = data if live.exchange == self.request.answer else self._sent()
        beyond = f", {len(data) - room} octets beyond its room" if len(data) > room and self.request.answer else ""
        self._ended(f"answered with {len(data)} octets{beyond}" if data else "done", code=0)

    def _ended(self, text: str, *, code: int) -> None:
        good = not code
        self.waiting = 0
        for live in self._lives():
            live.state, live.text = "good" if good else "bad", text
            live.failures += 0 if good else 1
            if good:
                live.last_good_ns = self.clock.now_ns
            self.memory.set_running(live.exchange, False)
            self.memory.set_code(live.exchange, code)
            self.memory.set_length(live.exchange, len(live.data) if good else 0)
        if self._follower:
            self._follower.ask()
