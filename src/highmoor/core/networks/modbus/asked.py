"""A request that the bench's controller makes again and again, whatever carries it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.fieldbus import BenchLine
from highmoor.core.networks.modbus.health import Health, kind_of, watch_ms
from highmoor.core.networks.modbus.pdu import Request
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange

NS_A_MS = 1_000_000
_LOOK_NS = 5 * NS_A_MS
# Error codes beside the exceptions of the protocol: nobody answered, and what came was no frame.
SILENT, DAMAGED = 0xFF, 0xFE


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
    def begin(clock: Clock, memory: Memory, chain: Sequence[Asked], due: Callable[[Asked], None]) -> None:
        """Have each be due as its trigger says: by its period, by its start bit, or when the one before it is over."""
        before: Asked | None = None
        for asked in chain:
            asked.clock = clock
            trigger = asked.settings.trigger
            if trigger == "after" and before is not None:
                before.follower = asked
            elif trigger == "edge":
                clock.at(clock.now_ns + _LOOK_NS, _look(clock, memory, asked, due))
            else:
                clock.at(clock.now_ns, _every(clock, asked, due))
            before = asked

    @property
    def live(self) -> ExchangeLive:
        """What is shown of it."""
        return self.line.live[self.exchange.id]

    def request(self, memory: Memory) -> Request:
        """The request with today's data of the controller's image."""
        settings, data = self.settings, b""
        if settings.function.direction == "out":
            start = self.line.offsets[self.exchange.id]
            data = bytes(memory.image_out[start : start + settings.function.data_octets(settings.count)])
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
            start = self.line.offsets[self.exchange.id]
            memory.image_in[start : start + len(data)] = data
        self.live.state, self.live.text, self.live.last_good_ns = "good", "good", now_ns
        self.live.data = data or self.sent
        alive = True
        if self.health and data:
            alive, self.live.text = self.health.take(data, now_ns, watch_ms(self.exchange))
            self.live.state = "good" if alive else "bad"
        memory.set_status(self.exchange.id, alive)
        memory.set_code(self.exchange.id, 0 if alive else SILENT)

    def fail(self, text: str, memory: Memory, code: int) -> None:
        """No good answer, and no further attempt; `code` is the exception's, or SILENT, or DAMAGED."""
        self.live.state, self.live.text = "bad", text
        memory.set_status(self.exchange.id, False)
        memory.set_code(self.exchange.id, code)


def _every(clock: Clock, asked: Asked, due: Callable[[Asked], None]) -> Callable[[], None]:
    def again() -> None:
        clock.at(clock.now_ns + asked.period_ns, again)
        due(asked)

    return again


def _look(clock: Clock, memory: Memory, asked: Asked, due: Callable[[Asked], None]) -> Callable[[], None]:
    """A rising start bit asks once."""

    def look() -> None:
        now = memory.started(asked.exchange.id)
        if now and not asked.was_set:
            due(asked)
        asked.was_set = now
        clock.at(clock.now_ns + _LOOK_NS, look)

    return look
