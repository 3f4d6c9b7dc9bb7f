"""Virtual time: integer nanoseconds, totally ordered."""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappop, heappush


class VirtualClock:
    """Calls what is due in the order of (time, priority, asking)."""

    def __init__(self) -> None:
        # The present; for everybody to read.
        self.now_ns = 0
        self._asked = 0
        self._queue: list[tuple[int, int, int, Callable[[], None]]] = []

    def at(self, time_ns: int, action: Callable[[], None], priority: int = 0) -> None:
        """Call `action` at a time; what lies in the past is due now."""
        self._asked += 1
        if time_ns < self.now_ns:
            time_ns = self.now_ns
        heappush(self._queue, (time_ns, priority, self._asked, action))

    def run_until(self, time_ns: int) -> None:
        """Let time pass up to and including `time_ns`."""
        queue = self._queue
        while queue and queue[0][0] <= time_ns:
            self.now_ns, _, _, action = heappop(queue)
            action()
        self.now_ns = max(self.now_ns, time_ns)

    def every(self, period_ns: int, action: Callable[[], None], priority: int = 0) -> None:
        """Call `action` now and after every period."""

        def again() -> None:
            self.at(self.now_ns + period_ns, again, priority)
            action()

        self.at(self.now_ns, again, priority)
