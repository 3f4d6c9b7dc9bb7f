"""A safe input module: what its pairs make of their channels, held safe where something is wrong."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.catalogue.safety import SafetyFacts
from highmoor.core.figures.safety.pair import PairRule, PairState
from highmoor.core.hardware.safe_pairs import Pair

# How often the supply of a contact is tested, so that a short is found.
TEST_EVERY_NS = 50 * NS_A_MS
# Longer than any bench runs.
NEVER_NS = 1 << 62


@dataclass(slots=True)
class InputPair:
    """A pair of inputs going on: its channels behind their delay, its value `worst` later on its way.

    Alone (1oo1) each channel gives its own value and nothing is compared. `shorted` are the channels whose short the
    test pulses would find.
    """

    pair: Pair
    clock: VirtualClock
    worst: int
    changed: Callable[[], None]
    rule: PairRule
    state: PairState = field(init=False)
    shorted: set[int] = field(default_factory=set)
    # What each channel gives, as the module tells it.
    given: tuple[bool, bool] = (False, False)
    _raw: list[bool] = field(default_factory=list)
    _since: list[int] = field(default_factory=lambda: [0, 0])

    def __post_init__(self) -> None:
        self.state = PairState(self.rule)
        self._raw = [False, self.rule.antivalent]

    @classmethod
    def of(cls, pair: Pair, facts: SafetyFacts, clock: VirtualClock, changed: Callable[[], None]) -> InputPair:
        # Each alone they are compared with nothing.
        limit = round(pair.discrepancy_ms * NS_A_MS) if pair.together else NEVER_NS
        rule = PairRule(
            limit, pair.antivalent and pair.together, facts.while_differing == "held", facts.both_off,
            pair.by_hand,
        )  # fmt: skip
        return cls(pair, clock, round(facts.worst_ms * NS_A_MS), changed, rule)

    @property
    def fault(self) -> bool:
        """Whether it is held safe because of its own channels."""
        return self.state.fault

    def take(self, channel: int, on: bool) -> None:
        """What comes to a terminal from now on: 0 its first, 1 its second."""
        if self._raw[channel] == on:
            return
        now = self.clock.now_ns
        self._raw[channel], self._since[channel] = on, now
        delay = round(self.pair.filter_ms * NS_A_MS)
        self.clock.at(now + delay, lambda: self._pass(channel, on, now), 3)

    def find_short(self, channels: tuple[int, ...], shorted: bool) -> None:
        """Whether the wires of these channels are shorted: with test pulses that is found at the next of them."""
        self.shorted -= {*channels}
        if shorted and self.pair.cross_circuit and self.pair.supply == "pulsed":
            self.shorted |= {*channels}
            now = self.clock.now_ns
            self.clock.at(now - now % TEST_EVERY_NS + TEST_EVERY_NS, self._tested, 3)

    def acknowledge(self) -> None:
        """By hand; what is still shorted stays a fault."""
        if self.shorted:
            return
        if self.pair.together:
            self.state.acknowledge()
        else:
            self.state.fault = False
        self._tell()

    def _tested(self) -> None:
        if self.shorted:
            self.state.trip()
            self._tell()

    def _pass(self, channel: int, on: bool, since: int) -> None:
        """Through the input delay, if it has stood since."""
        if self._since[channel] != since:
            return
        state = self.state
        first, second = (on, state.second) if channel == 0 else (state.first, on)
        state.move(self.clock.now_ns, first, second)
        out = state.runs_out
        if out is not None and self.pair.together:
            self.clock.at(int(out) + 1, lambda: self._run_out(int(out)), 3)
        self._tell()

    def _run_out(self, out: int) -> None:
        if self.state.runs_out == out:
            self.state.run_out()
            self._tell()

    def _tell(self) -> None:
        state = self.state
        alone = (state.first and not state.fault, state.second and not state.fault)
        given = (state.value, False) if self.pair.together else alone
        self.clock.at(self.clock.now_ns + self.worst, lambda: self._give(given), 3)

    def _give(self, given: tuple[bool, bool]) -> None:
        if self.given != given:
            self.given = given
            self.changed()
