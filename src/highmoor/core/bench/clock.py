"""Virtual time: integer nanoseconds, totally ordered."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from heapq import heappop, heappush


@dataclass(slots=True, eq=False)
class Repeating:
    """Something that is done every period until it is over."""

    action: Callable[[], None]
    over: bool = False


class VirtualClock:
    """Calls what is due in the order of (time, priority, asking)."""

    def __init__(self) -> None:
        # The present; for everybody to read.
        self.now_ns = 0
        self._asked = 0
        self._queue: list[tuple[int, int, int, Callable[[], None]]] = []
        # What repeats, by when it is due, its period and priority.
        self._beats: dict[tuple[int, int, int], list[Repeating]] = {}

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
            due = heappop(queue)
            self.now_ns = due[0]
            due[3]()
        self.now_ns = max(self.now_ns, time_ns)

    def every(self, period_ns: int, action: Callable[[], None], priority: int = 0) -> Repeating:
        """Call `action` now and after every period, until it is `over`.

        What is due together goes on together: one entry in the queue for all that have a period and a time.
        """
        repeating = Repeating(action)
        self._beat(self.now_ns, period_ns, priority, [repeating])
        return repeating

    def _beat(self, due_ns: int, period_ns: int, priority: int, due: list[Repeating]) -> None:
        key = due_ns, period_ns, priority
        waiting = self._beats.get(key)
        if waiting is None:
            self._beats[key] = due
            self.at(due_ns, partial(self._beaten, key), priority)
        else:
            waiting += due

    def _beaten(self, key: tuple[int, int, int]) -> None:
        due_ns, period_ns, priority = key
        going = self._beats.pop(key)
        for one in going:
            if one.over:
                going = [one for one in going if not one.over]
                break
        if going:
            self._beat(due_ns + period_ns, period_ns, priority, going)
        # Whoever begins something at the same time is not among those of now.
        for one in tuple(going):
            # Whoever of them ends another one ends it at once.
            if not one.over:
                one.action()
