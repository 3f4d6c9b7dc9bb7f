"""Virtual time: integer nanoseconds, totally ordered."""

from __future__ import annotations

import heapq
from collections.abc import Callable


class VirtualClock:
    """Calls what is due in the order of (time, priority, asking)."""

    def __init__(self) -> None:
        self._now_ns = 0
        self._asked = 0
        self._queue: list[tuple[int, int, int, Callable[[], None]]] = []

    @property
    def now_ns(self) -> int:
        """The present."""
        return self._now_ns

    def at(self, time_ns: int, action: Callable[[], None], priority: int = 0) -> None:
        """Call `action` at a time; what lies in the past is due now."""
        self._asked += 1
        heapq.heappush(self._queue, (max(time_ns, self._now_ns), priority, self._asked, action))

    def run_until(self, time_ns: int) -> None:
        """Let time pass up to and including `time_ns`."""
        queue = self._queue
        while queue and queue[0][0] <= time_ns:
            due, _, _, action = heapq.heappop(queue)
            self._now_ns = due
            action()
        self._now_ns = max(self._now_ns, time_ns)

    def every(self, period_ns: int, action: Callable[[], None], priority: int = 0) -> None:
        """Call `action` now and after every period."""

        def again() -> None:
            self.at(self._now_ns + period_ns, again, priority)
            action()

        self.at(self._now_ns, again, priority)
