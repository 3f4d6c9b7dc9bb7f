"""Virtual time: integer nanoseconds, totally ordered."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from heapq import heappop, heappush


@dataclass(slots=True, eq=False)
class Repeating:
    """Something that is done every period until it is over."""

    action: Callable[[], None]
    over: bool = False


@dataclass(slots=True, eq=False)
class _Beat:
    """All that goes on together: whatever has a period, a priority and a phase."""

    clock: VirtualClock
    key: tuple[int, int, int]
    due_ns: int
    members: list[Repeating]

    def __call__(self) -> None:
        """Each of them once, after the next time is settled."""
        going = self.members
        for one in going:
            if one.over:
                going = self.members = [one for one in going if not one.over]
                break
        if going:
            self.due_ns += self.key[0]
            self.clock.at(self.due_ns, self, self.key[1])
        else:
            self.clock.beats.pop(self.key)
        # Whoever begins meanwhile is not among those of now.
        for one in tuple(going):
            # Whoever of them ends another one ends it at once.
            if not one.over:
                one.action()


class VirtualClock:
    """Calls what is due in the order of (time, priority, asking)."""

    def __init__(self) -> None:
        # The present; for everybody to read.
        self.now_ns = 0
        self._asked = 0
        self._queue: list[tuple[int, int, int, Callable[[], None]]] = []
        # What repeats, by its period, priority and phase.
        self.beats: dict[tuple[int, int, int], _Beat] = {}

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

        What is due together goes on together: one entry in the queue for all that have a period and a phase.
        """
        repeating = Repeating(action)
        key = period_ns, priority, self.now_ns % period_ns
        beat = self.beats.get(key)
        if beat is None:
            self.beats[key] = beat = _Beat(self, key, self.now_ns, [repeating])
            self.at(self.now_ns, beat, priority)
            return repeating
        beat.members.append(repeating)
        if beat.due_ns != self.now_ns:
            # The others have had their turn.
            self.at(self.now_ns, lambda: None if repeating.over else action(), priority)
        return repeating
