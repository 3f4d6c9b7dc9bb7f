"""Requests on demand on the bench: started by a bit, a period or another request; answers and statuses in words."""

from __future__ import annotations

from dataclasses import dataclass, field

from highmoor.core.errors import Refusal
from highmoor.core.networks.alive import Clock, ExchangeLive, Memory, Wire
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.messages import Asked
from highmoor.core.networks.ethernet_ip.requests import Request, request_of
from highmoor.core.networks.ethernet_ip.unconnected import code_of, framed, refusal_of, reply_in
from highmoor.core.networks.fieldbus import BenchLine
from highmoor.core.numbers import shown

_NS_A_MS = 1_000_000
_LOOK_NS = 5 * _NS_A_MS


@dataclass(slots=True)
class Requester:
    """One request, made again each time its trigger says so; while it waits it is not made a second time."""

    clock: Clock
    memory: Memory
    wire: Wire
    bench_line: BenchLine
    request: Request = field(init=False)
    waiting: int = 0
    _made: int = 0
    _was_set: bool = False
    _follower: Requester | None = None

    def __post_init__(self) -> None:
        self.request = request_of(self.bench_line.line)

    def begin(self, before: Requester | None) -> None:
        """Wait for the trigger; a request in a chain waits for the one before it in route order."""
        if self.request.trigger == "period":
            self.clock.at(self.clock.now_ns, self._due)
        elif self.request.trigger == "edge":
            self.clock.at(self.clock.now_ns + _LOOK_NS, self._look)
        elif before is not None:
            before._follower = self

    def _lives(self) -> list[ExchangeLive]:
        return [self.bench_line.live[x.id] for x in self.bench_line.line.exchanges]

    def _due(self) -> None:
        self.clock.at(self.clock.now_ns + int(self.request.period_ms * _NS_A_MS), self._due)
        self.ask()

    def _look(self) -> None:
        """A rising start bit asks once."""
        now = self.memory.started(self.request.answer)
        if now and not self._was_set:
            self.ask()
        self._was_set = now
        self.clock.at(self.clock.now_ns + _LOOK_NS, self._look)

    def ask(self) -> None:
        """Make the request now, unless the last one still waits."""
        if self.waiting:
            return
        self._made += 1
        number = self.waiting = self._made
        try:
            message = Asked(self.request.service, self.request.path, self._sent())
        except Refusal as refusal:
            self._ended(f"not asked: {refusal.reason}", code=0x04)
            return
        device = self.wire.reached(self.bench_line.line.station.address)
        there = device if isinstance(device, Adapter) else None
        octets = framed(there, message)
        for live in self._lives():
            live.request, live.response = octets, b""
            live.transactions += 1
        if there:
            took = int(there.reply_ms * _NS_A_MS)
            self.clock.at(self.clock.now_ns + took, lambda: self._answered(octets, number))
        if self.request.timeout_ms > 0:
            give_up = self.clock.now_ns + int(self.request.timeout_ms * _NS_A_MS)
            self.clock.at(give_up, lambda: self._silent(number), priority=1)

    def _sent(self) -> bytes:
        if not self.request.send:
            return b""
        start = self.bench_line.offsets.get(self.request.send, 0)
        return bytes(self.memory.image_out[start : start + self.request.send_octets])

    def _answered(self, octets: bytes, number: int) -> None:
        device = self.wire.reached(self.bench_line.line.station.address)
        if self.waiting != number or not isinstance(device, Adapter):
            return
        answer = device.answer(octets)
        if answer is None:
            return
        for live in self._lives():
            live.response = answer
        reply = reply_in(answer)
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

    def _silent(self, number: int) -> None:
        if self.waiting == number:
            self._ended(f"no answer within {shown(self.request.timeout_ms)} ms", code=0x0204)

    def _ended(self, text: str, *, code: int) -> None:
        good = not code
        self.waiting = 0
        for live in self._lives():
            live.state, live.text = "good" if good else "bad", text
            live.failures += 0 if good else 1
            if good:
                live.last_good_ns = self.clock.now_ns
            self.memory.set_status(live.exchange, good)
            self.memory.set_code(live.exchange, code)
        if self._follower:
            self._follower.ask()
