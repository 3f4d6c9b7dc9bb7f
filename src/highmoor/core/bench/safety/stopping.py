"""How long an axis takes to stop when its supply is taken, as the bench sees it: once, or ten times in turn."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from math import ceil

from highmoor.core.bench.axes.live import STEP_MS
from highmoor.core.bench.axes.of_plant import AxesLive
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.errors import Refusal

# Below this part of the speed it began with it stands.
_STANDS = 1e-3
_LOOKS_S = 0.05
_LONGEST_MS = 60_000
STOPS = 10


@dataclass(frozen=True, slots=True)
class StopSeen:
    """From where the actuator began to act until the axis stood; speed in units a second, as it was then."""

    ms: float
    speed: float


@dataclass(slots=True)
class StopWatch:
    """Looks at one axis from where its actuator begins to act, step by step of its machine."""

    clock: VirtualClock
    axes: AxesLive
    axis: str
    seen: list[StopSeen] = field(default_factory=list)
    # When it began, ns, and at what speed; None while nothing is watched.
    _from: tuple[int, float] | None = None

    def begin(self) -> None:
        """The actuator begins to act; of an axis that stands there is nothing to see."""
        there = self.axes.axes.get(self.axis)
        if there is None or self._from is not None:
            return
        self.axes.show()
        speed = there.machine.speed
        if speed:
            self._from = self.clock.now_ns, speed
            self._look()

    def _look(self) -> None:
        there = self.axes.axes.get(self.axis)
        if self._from is None or there is None:
            self._from = None
            return
        (began, speed), now = self._from, self.clock.now_ns
        if abs(there.machine.speed) <= abs(speed) * _STANDS:
            self.seen.append(StopSeen((now - began) / NS_A_MS, abs(speed)))
            self._from = None
        elif now - began > _LONGEST_MS * NS_A_MS:
            self._from = None
        else:
            self.clock.at(now + STEP_MS * NS_A_MS, self._look, 3)


@dataclass(slots=True)
class TenStops:
    """Ten stops in turn, there and back: started, brought to its highest speed, a demand made, seen to stand.

    `restart` resets and starts the controller's safety, `demand` makes and ends one.
    """

    clock: VirtualClock
    axes: AxesLive
    watch: StopWatch
    restart: Callable[[], None]
    demand: Callable[[bool], None]
    running: bool = False
    problem: str = ""
    _run: int = 0

    def begin(self) -> None:
        """From now on; raises Refusal while it runs, and for an axis without a highest speed."""
        if self.running:
            raise Refusal("It is being measured already.", place=self.watch.axis)
        commander = self.axes.commanders.get(self.watch.axis)
        if commander is None or not commander.of.bounds.speed:
            raise Refusal("This axis is not commanded, or has no highest speed.", place=self.watch.axis)
        self.running, self.problem = True, ""
        self.watch.seen.clear()
        self._run += 1
        self._go_on(self._steps(float(commander.of.bounds.speed)), self._run)

    def end(self) -> None:
        """Whatever it was at; the axis is left standing."""
        if self.running:
            self.running = False
            self._stop()

    def _stop(self) -> None:
        try:
            self.axes.command(self.watch.axis, "stop", {})
        except Refusal:
            # What cannot be commanded does not run on either.
            return

    def _go_on(self, steps: Iterator[float], run: int) -> None:
        if run != self._run or not self.running:
            return
        try:
            seconds = next(steps)
        except StopIteration:
            self.running = False
        except Refusal as refusal:
            self.running, self.problem = False, refusal.reason
            self._stop()
        else:
            self.clock.at(self.clock.now_ns + round(seconds * 1e9), lambda: self._go_on(steps, run), 2)

    def _steps(self, speed: float) -> Iterator[float]:
        """What a hand does, and how long it waits then, s."""
        bounds = self.axes.commanders[self.watch.axis].of.bounds
        up = speed / float(bounds.acceleration or speed)
        for n in range(STOPS):
            self.demand(False)
            yield 0.3
            self.restart()
            yield 2.0
            for command in ("reset", "enable"):
                self.axes.command(self.watch.axis, command, {})
                yield 0.6
            # Each at another phase of all that goes round.
            self.axes.command(self.watch.axis, "run", {"speed": speed if n % 2 == 0 else -speed})
            yield from self._until_it_runs(speed, up)
            yield 0.0137 * n
            self.demand(True)
            yield from self._until_seen(n)
        self.demand(False)

    def _until_it_runs(self, speed: float, seconds: float) -> Iterator[float]:
        """Until its speed is steady: a ramp of bounded jerk takes longer, and a gear may be another than is set."""
        before = 0.0
        for _ in range(ceil(4 * seconds / _LOOKS_S)):
            yield _LOOKS_S
            self.axes.show()
            there = self.axes.axes.get(self.watch.axis)
            now = abs(there.machine.speed) if there else 0.0
            if now >= speed / 2 and abs(now - before) <= now / 100:
                return
            before = now
        raise Refusal("It does not come to a steady speed: look at what holds it, under Motion.",
                      place=self.watch.axis)  # fmt: skip

    def _until_seen(self, before: int) -> Iterator[float]:
        for _ in range(_LONGEST_MS // 100):
            yield 0.1
            if len(self.watch.seen) > before:
                return
        raise Refusal("It was not seen to stop.", place=self.watch.axis)
