"""Safe telegrams one way between a module and the safe part: what is agreed of them, none of any real protocol.

Nothing happens while all is well and nothing changes: what is sent every so often says the same again. When a change
leaves, and when its receiver has waited for too long, is worked out instead.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from math import inf
from typing import Generic, TypeVar

from highmoor.core.bench.clock import VirtualClock

T = TypeVar("T")


@dataclass(slots=True)
class Telegrams(Generic[T]):
    """One way of a safe link. Times in ns.

    One goes out every `period` from `phase` on, with what `says` then, and is there after `transit`. A receiver that
    has heard nothing younger than `watchdog` is told that it is `late`.
    """

    clock: VirtualClock
    period: int
    transit: int
    watchdog: int
    says: Callable[[], T]
    heard: Callable[[T], None]
    late: Callable[[], None]
    phase: int = 0
    # Up to when telegrams are lost: those that leave before.
    _lost_until: float = 0
    _asked: int = field(default=0)

    @property
    def cut(self) -> bool:
        """Whether none gets through until that is mended."""
        return self._lost_until == inf

    def begin(self) -> None:
        """The first one."""
        self.changed()

    def changed(self) -> None:
        """The sender has something else to say: it leaves with the next telegram that gets through."""
        leaves = max(self._next(self.clock.now_ns), self._lost_until)
        if leaves == inf:
            return
        self._asked += 1
        asked = self._asked
        self.clock.at(int(leaves), lambda: self._leave(asked), 3)

    def lose(self, count: int) -> None:
        """So many telegrams from now on do not get there."""
        first = self._next(self.clock.now_ns)
        self._lose(first, first + count * self.period)

    def disconnect(self) -> None:
        """None gets there any more."""
        self._lose(self._next(self.clock.now_ns), inf)

    def connect(self) -> None:
        """They get there again, from the next one on."""
        self._lost_until = 0
        self.changed()

    def _next(self, at: int) -> int:
        return at + (self.phase - at) % self.period

    def _lose(self, first: int, until: float) -> None:
        last_heard = first - self.period
        self._lost_until = until
        out = last_heard + self.watchdog
        if until - last_heard > self.watchdog:
            self.clock.at(out, lambda: self._overdue(until), 3)
        if until != inf:
            self.changed()

    def _overdue(self, until: float) -> None:
        # Connected again in time, and nothing was missed.
        if self._lost_until == until:
            self.late()

    def _leave(self, asked: int) -> None:
        if asked != self._asked or self.clock.now_ns < self._lost_until:
            return
        said = self.says()
        self.clock.at(self.clock.now_ns + self.transit, lambda: self.heard(said), 3)
