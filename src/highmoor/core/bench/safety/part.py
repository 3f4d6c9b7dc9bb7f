"""The safe part of a controller: hears its modules, decides in its cycle, tells its outputs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.safety.logic import Feedback, FunctionState, OutputState, ResetButton
from highmoor.core.safety.settings import SafePart

# A pair of a module: the module's id and the pair's key.
At = tuple[str, str]
Bit = Callable[[], bool]
NEVER: Bit = lambda: False  # noqa: E731
# What a run takes: of itself, and for each function and output, ns.
_RUN_NS, _EACH_NS = 200_000, 50_000


@dataclass(slots=True)
class Heard:
    """What the safe part has of an input module: the values of its pairs, or none of them while it is held safe."""

    by_hand: bool
    values: dict[str, bool] = field(default_factory=dict)
    held: bool = False
    heard_again: bool = False
    # Counts what has come, so that it is seen whether anything has.
    version: int = 0

    def hear(self, values: Mapping[str, bool]) -> None:
        """A safe telegram."""
        self.values, self.heard_again = dict(values), True
        self.held = self.held and self.by_hand
        self.version += 1

    def late(self) -> None:
        """None came in time."""
        self.held, self.heard_again = True, False
        self.version += 1

    def acknowledge(self) -> None:
        """By hand: counts once it is heard again."""
        if self.heard_again:
            self.held = False
            self.version += 1

    def value(self, key: str) -> bool:
        """A pair's value, off while it is held safe."""
        return not self.held and self.values.get(key, False)


@dataclass(slots=True)
class FunctionRun:
    """A function as it runs: its sensors, its outputs, and the plain signals that reset it, start it and stop it."""

    id: str
    state: FunctionState
    sensors: tuple[At, ...]
    outputs: tuple[At, ...]
    reset: Bit = NEVER
    start: Bit | None = None
    stop: Bit = NEVER
    # Whether it was on at the end of the last run, and when that changed, ns.
    released_ns: int = 0


@dataclass(slots=True)
class FeedbackRun:
    """The feedback of an actuator at an output."""

    part: str
    output: At
    state: Feedback
    closed: Bit


@dataclass(slots=True)
class SafePartRun:
    """A safe part going on: a run every cycle, what it decides some of that later."""

    clock: VirtualClock
    facts: SafePart
    inputs: dict[str, Heard]
    functions: list[FunctionRun]
    outputs: dict[At, OutputState]
    feedbacks: list[FeedbackRun]
    # Called with the output module whose pairs are to be told anew, and to acknowledge every safe module.
    tell: Callable[[str], None]
    acknowledge: Callable[[], None]
    # Called when it stops.
    ended: Callable[[], None]
    # Longer than allowed: it does nothing any more, and its modules hear nothing.
    stopped: bool = False
    # What a run is made longer by, ns.
    burden: int = 0
    longest_ns: int = 0
    told: dict[At, bool] = field(default_factory=dict)
    _buttons: dict[str, ResetButton] = field(default_factory=dict)
    # All that a run reads that is no safe input, each once; and what the last run that did anything had read.
    _bits: tuple[Bit, ...] = ()
    _had: tuple[object, ...] = ()
    # How often it has said anything else.
    _said: int = 0

    def __post_init__(self) -> None:
        plain = [bit for one in self.functions for bit in (one.reset, one.start, one.stop) if bit]
        self._bits = tuple(dict.fromkeys([*plain, *(feedback.closed for feedback in self.feedbacks)]))

    @property
    def run_ns(self) -> int:
        """How long a run takes."""
        return _RUN_NS + _EACH_NS * (len(self.functions) + len(self.outputs)) + self.burden

    def begin(self) -> None:
        """From now on, once a cycle, behind the tasks' latest look at their inputs."""
        self.clock.every(round(self.facts.cycle * NS_A_MS), self.run, 3)

    def run(self) -> None:
        """Once."""
        if self.stopped:
            return
        now = self.clock.now_ns
        self.longest_ns = max(self.longest_ns, self.run_ns)
        if self.run_ns > self.facts.longest * NS_A_MS:
            self.stopped = True
            self.ended()
            return
        if self._nothing_new():
            return
        acknowledged = False
        resets: dict[At, bool] = {}
        for function in self.functions:
            pressed = function.reset()
            button = self._buttons.setdefault(function.id, ResetButton())
            acknowledged = button.pulse(pressed, good=True) or acknowledged
            good = all(self.inputs[module].value(key) for module, key in function.sensors)
            was = function.state.released
            reset = function.state.run(good and bool(function.sensors), pressed)
            if function.state.released != was:
                function.released_ns = now
            for output in function.outputs:
                resets[output] = resets.get(output, False) or reset
        if acknowledged:
            self.acknowledge()
        self._feed_back(now, resets)
        self._switch()
        decided = {at: output.on for at, output in self.outputs.items()}
        if decided != self.told:
            self.clock.at(now + self.run_ns, lambda: self._say(decided), 3)

    def _nothing_new(self) -> bool:
        """Whether this run would decide as the last one did: all it reads is the same, no feedback is waited for."""
        has = (*[heard.version for heard in self.inputs.values()], *[bit() for bit in self._bits], self._said)
        same = has == self._had and not any(feedback.state.waits for feedback in self.feedbacks)
        self._had = has
        return same

    def _feed_back(self, now: int, resets: Mapping[At, bool]) -> None:
        for feedback in self.feedbacks:
            on = self.told.get(feedback.output, False)
            feedback.state.run(now / NS_A_MS, on, feedback.closed(), resets.get(feedback.output, False))

    def _switch(self) -> None:
        for at, output in self.outputs.items():
            those = [function for function in self.functions if at in function.outputs]
            welded = any(feedback.state.fault for feedback in self.feedbacks if feedback.output == at)
            may = bool(those) and not welded and all(function.state.released for function in those)
            start = any(function.start() for function in those if function.start)
            output.run(may, start, any(function.stop() for function in those))

    def _say(self, decided: dict[At, bool]) -> None:
        before, self.told = self.told, decided
        self._said += 1
        for module in {at[0] for at in decided if before.get(at, False) != decided[at]}:
            self.tell(module)
