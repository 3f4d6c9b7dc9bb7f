"""A request that the bench's controller makes again and again, whatever carries it.

Who waits goes in the order in which they fell due, ties in the order given; what follows another falls due with it;
what the program starts goes when nothing waits that is asked every period. `schedule.py` tells time by the same rule.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.modbus.explain import SILENT
from highmoor.core.networks.modbus.health import Health, kind_of, watch_ms
from highmoor.core.networks.modbus.pdu import Request
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange

NS_A_MS = 1_000_000
# How often start bits are looked at.
LOOK_NS = 5 * NS_A_MS
# Before anything else that happens in one moment: first all who are due are known, then one of them is asked.
_FIRST = -1_000_000


@dataclass(slots=True)
class Asked:
    """An exchange as it is asked: whether it waits in a queue, and how often it was tried this time."""

    exchange: Exchange
    settings: ExchangeSettings
    line: BenchLine
    waiting: bool = False
    attempts: int = 0
    sent: bytes = b""
    follower: Asked | None = None
    was_set: bool = False
    health: Health | None = None
    clock: Clock | None = None
    place: int = 0
    on_demand: bool = False
    due_ns: int = 0

    @classmethod
    def all_of(cls, line: BenchLine) -> list[Asked]:
        """Every exchange of a connection, in order; the two of a watch share what they know."""
        watches: dict[str, Health] = {}
        asked = []
        for exchange in line.line.exchanges:
            kind = kind_of(exchange)
            health = watches.setdefault(kind, Health(kind)) if kind else None
            asked.append(cls(exchange, ExchangeSettings.of(exchange), line, health=health))
        return asked

    @property
    def period_ns(self) -> int:
        """How often it is due."""
        return max(int(self.settings.period_ms * NS_A_MS), NS_A_MS)

    @staticmethod
    def begin(clock: Clock, memory: Memory, chain: Sequence[Asked], due: Due) -> None:
        """Have each be due as its trigger says: by its period, by its start bit, or when the one before it is over."""
        before: Asked | None = None
        for place, asked in enumerate(chain):
            asked.clock, asked.place = clock, place
            trigger = asked.settings.trigger
            if trigger == "after":
                # The first of all waits for one that is not there: it is never asked.
                asked.on_demand = before is None or before.on_demand
                if before is not None:
                    before.follower = asked
            elif trigger == "edge":
                asked.on_demand = True
                clock.at(clock.now_ns + LOOK_NS, _look(clock, memory, asked, due))
            else:
                clock.at(clock.now_ns, _every(clock, asked, due), _FIRST + place)
            if asked.on_demand:
                asked.live.left_to_the_program()
            before = asked

    def begun(self, memory: Memory, now_ns: int) -> None:
        """It is asked now, for the first time since it was due."""
        self.attempts = 0
        memory.set_running(self.exchange.id, True)
        self.live.late_ns = max(self.live.late_ns, now_ns - self.due_ns)

    @property
    def live(self) -> ExchangeLive:
        """What is shown of it."""
        return self.line.live[self.exchange.id]

    def request(self, memory: Memory) -> Request:
        """The request with today's data of the controller's image."""
        settings, data = self.settings, b""
        if settings.function.direction == "out":
            start = self.line.offsets[self.exchange.id]
            data = settings.function.whole(
                memory.image_out[start : start + settings.function.data_octets(settings.count)], settings.count
            )
            if self.health and self.clock:
                data = self.health.give(self.clock.now_ns) + data[2:]
        elif settings.write_count and self.exchange.id in self.line.back:
            start = self.line.back[self.exchange.id]
            data = bytes(memory.image_out[start : start + 2 * settings.write_count])
        self.sent = data
        return Request(settings.function, settings.address, settings.count, data, settings.write_address)

    def take(self, data: bytes, memory: Memory, now_ns: int) -> None:
        """A good answer: its data into the image, its status bit set."""
        if data:
            data = self.settings.function.whole(data, self.settings.count)
            start = self.line.offsets[self.exchange.id]
            memory.image_in[start : start + len(data)] = data
        self.live.state, self.live.text, self.live.last_good_ns = "good", "good", now_ns
        self.live.data = data or self.sent
        alive = True
        if self.health and data:
            alive, self.live.text = self.health.take(data, now_ns, watch_ms(self.exchange))
            self.live.state = "good" if alive else "bad"
        memory.set_running(self.exchange.id, False)
        memory.set_code(self.exchange.id, 0 if alive else SILENT)
        memory.set_length(self.exchange.id, len(self.live.data))

    def fail(self, text: str, memory: Memory, code: int) -> None:
        """No good answer, and no further attempt; `code` is the exception's, or SILENT, or DAMAGED."""
        self.live.state, self.live.text = "bad", text
        memory.set_running(self.exchange.id, False)
        memory.set_code(self.exchange.id, code)
        memory.set_length(self.exchange.id, 0)


# Called with what is due, and since when.
Due = Callable[[Asked, int], None]


@dataclass(slots=True)
class Queue:
    """Who waits to be asked."""

    _waiting: list[tuple[bool, int, int, Asked]] = field(default_factory=list)

    def put(self, asked: Asked, due_ns: int) -> None:
        """It is due; one that still waits is not queued twice."""
        if not asked.waiting:
            asked.waiting, asked.due_ns = True, due_ns
            heapq.heappush(self._waiting, (asked.on_demand, due_ns, asked.place, asked))

    def take(self) -> Asked | None:
        """Whose turn it is, None when nobody waits."""
        if not self._waiting:
            return None
        asked = heapq.heappop(self._waiting)[3]
        asked.waiting = False
        return asked


def _every(clock: Clock, asked: Asked, due: Due) -> Callable[[], None]:
    def again() -> None:
        clock.at(clock.now_ns + asked.period_ns, again, _FIRST + asked.place)
        due(asked, clock.now_ns)

    return again


def _look(clock: Clock, memory: Memory, asked: Asked, due: Due) -> Callable[[], None]:
    """A rising start bit asks once."""

    def look() -> None:
        now = memory.started(asked.exchange.id)
        if now and not asked.was_set:
            due(asked, clock.now_ns)
        asked.was_set = now
        clock.at(clock.now_ns + LOOK_NS, look)

    return look
