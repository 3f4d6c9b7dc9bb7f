"""Requests on demand on the bench, whatever their fieldbus: started by a bit, a period or another request."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.on_demand import OnDemand, on_demand

_NS_A_MS = 1_000_000
_LOOK_NS = 5 * _NS_A_MS


@dataclass(frozen=True, slots=True)
class Came:
    """What came of a request: a code (0: good) with its words, or the data of the answer; the octets of both."""

    code: int = 0
    text: str = ""
    data: bytes = b""
    response: bytes = b""


class Ask(Protocol):
    """Ask once, with what is sent; `sent` is told the octets on the wire, `came` what came of it, once."""

    def __call__(self, data: bytes, sent: Callable[[bytes], None], came: Callable[[Came], None]) -> None: ...


@dataclass(slots=True)
class Requester:
    """One request, made again each time its trigger says so; while it waits it is not made a second time.

    `send_octets` and `room` are octets of the image for what is sent and for the answer.
    """

    clock: Clock
    memory: Memory
    bench_line: BenchLine
    send_octets: int
    room: int
    put: Ask
    wanted: OnDemand = field(init=False)
    waiting: int = 0
    by_program: bool = False
    _made: int = 0
    _was_set: bool = False
    _stopped: bool = False
    _follower: Requester | None = None

    def __post_init__(self) -> None:
        self.wanted = on_demand(self.bench_line.line)

    def begin(self, before: Requester | None) -> None:
        """Wait for the trigger; a request in a chain waits for the one before it in route order."""
        trigger = self.wanted.trigger
        self.by_program = trigger != "period" and (trigger == "edge" or before is None or before.by_program)
        for live in self._lives() if self.by_program else ():
            live.left_to_the_program()
        if trigger == "period":
            self.clock.at(self.clock.now_ns, self._due)
        elif trigger == "edge":
            self.clock.at(self.clock.now_ns + _LOOK_NS, self._look)
        elif before is not None:
            before._follower = self

    def stop(self) -> None:
        """The controller stops: nothing is asked any more."""
        self._stopped = True

    def _lives(self) -> list[ExchangeLive]:
        return [self.bench_line.live[x.id] for x in self.bench_line.line.exchanges]

    def _due(self) -> None:
        self.clock.at(self.clock.now_ns + int(self.wanted.period_ms * _NS_A_MS), self._due)
        self.ask()

    def _look(self) -> None:
        """A rising start bit asks once."""
        now = self.memory.started(self.wanted.leads)
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
        for live in self._lives():
            live.request, live.response = b"", b""
            live.transactions += 1
            self.memory.set_running(live.exchange, True)

        def sent(octets: bytes) -> None:
            for live in self._lives():
                live.request = octets

        self.put(self._sent(), sent, lambda came: self._came(number, came))

    def _sent(self) -> bytes:
        if not self.wanted.send:
            return b""
        start = self.bench_line.offsets.get(self.wanted.send, 0)
        return bytes(self.memory.image_out[start : start + self.send_octets])

    def _came(self, number: int, came: Came) -> None:
        if self.waiting != number:
            return
        for live in self._lives():
            live.response = came.response
        if came.code:
            self._ended(came.text, code=came.code)
        else:
            self._taken(came.data)

    def _taken(self, data: bytes) -> None:
        """As much of the answer as there is room for."""
        answer, room = self.wanted.answer, self.room
        if answer and room and data:
            start = self.bench_line.offsets[answer]
            part = data[:room]
            self.memory.image_in[start : start + len(part)] = part
        for live in self._lives():
            live.data = data if live.exchange == answer else self._sent()
        beyond = f", {len(data) - room} octets beyond its room" if len(data) > room and answer else ""
        octets = f"{len(data)} octet{'' if len(data) == 1 else 's'}"
        self._ended(f"answered with {octets}{beyond}" if data else "done", code=0)

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
