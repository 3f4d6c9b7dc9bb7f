"""Two channels that are evaluated as one, in time: when they agree, when they differ for too long, what is given.

Sources: PLCopen Safety, part 1, SF_Equivalent and SF_Antivalent; ISO 13849-1:2015, 6.2.7. All times in one unit,
counted from any moment on.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import TypeAlias

from highmoor.core.errors import Refusal
from highmoor.core.numbers import plain, shown

Time: TypeAlias = int | Fraction


@dataclass(frozen=True, slots=True)
class PairRule:
    """How two channels are evaluated. `held`: while they differ the last value is given, else the safe one.

    They may differ for `discrepancy`; longer is a fault. After a fault, `both_off`: both have to be off once;
    `by_hand`: somebody acknowledges, else it goes by itself.
    """

    discrepancy: Time
    antivalent: bool = False
    held: bool = False
    both_off: bool = False
    by_hand: bool = True


@dataclass(slots=True)
class PairState:
    """What a pair gives as its channels move. Times come in order; nothing is on before it was told."""

    rule: PairRule
    first: bool = False
    second: bool = False
    value: bool = False
    fault: bool = False
    differs_since: Time | None = None
    _been_off: bool = field(default=False)

    def __post_init__(self) -> None:
        # At rest: an antivalent pair's second channel is on where its first is off.
        self.second = self.rule.antivalent

    @property
    def agree(self) -> bool:
        """Whether both say the same, the second of an antivalent pair by being otherwise."""
        return self.first == (self.second != self.rule.antivalent)

    @property
    def runs_out(self) -> Time | None:
        """Until when they may still differ; None where they do not, or it is a fault already."""
        if self.differs_since is None or self.fault:
            return None
        return self.differs_since + self.rule.discrepancy

    def move(self, at: Time, first: bool, second: bool) -> None:
        """Both channels from now on. What ends a difference just as the time runs out is in time."""
        self.first, self.second = first, second
        ends = self.agree
        out = self.runs_out
        if out is not None and (at > out or (at == out and not ends)):
            self._overdue()
        if ends:
            self.differs_since = None
        elif self.differs_since is None:
            self.differs_since = at
        self._give()

    def run_out(self) -> None:
        """They still differ, and their time is over."""
        if self.runs_out is not None:
            self._overdue()
        self._give()

    def trip(self) -> None:
        """A fault that is no difference: their wires are shorted."""
        if not self.fault:
            self._overdue()
        self._give()

    def acknowledge(self) -> None:
        """By hand: counts only once the fault is mended, and both have been off where that is asked."""
        if self.fault and self._mended:
            self.fault = False
        self._give()

    def _overdue(self) -> None:
        self.fault, self._been_off = True, False

    @property
    def _mended(self) -> bool:
        return self.agree and (self._been_off or not self.rule.both_off)

    def _give(self) -> None:
        if self.fault:
            self._been_off = self._been_off or (self.agree and not self.first)
            if self._mended and not self.rule.by_hand:
                self.fault = False
        if self.fault:
            self.value = False
        elif self.agree:
            self.value = self.first
        elif not self.rule.held:
            self.value = False


@dataclass(frozen=True, slots=True)
class Wave:
    """A channel in time: how it begins, and the moments at which it changes over, in order."""

    on: bool
    edges: tuple[Time, ...] = ()

    def at(self, moment: Time) -> bool:
        """Whether it is on from that moment."""
        return self.on != (sum(edge <= moment for edge in self.edges) % 2 == 1)

    def behind_filter(self, delay: Time) -> Wave:
        """As it comes through an input delay: whatever stands for less than that is passed over."""
        edges: list[Time] = []
        ends = [*self.edges[1:], None] if self.edges else []
        wanted = given = self.on
        for edge, end in zip(self.edges, ends, strict=True):
            wanted = not wanted
            stands = end is None or end - edge >= delay
            if stands and wanted != given:
                edges.append(edge + delay)
                given = wanted
        return Wave(self.on, tuple(edges))


@dataclass(frozen=True, slots=True)
class Strip:
    """What a pair gives over a window: its value and its fault as waves, what its channels are behind their delay.

    `differs` are the stretches in which they differ, `longest` the longest of them up to the window's end.
    """

    first: Wave
    second: Wave
    value: Wave
    fault: Wave
    differs: tuple[tuple[Time, Time], ...]
    longest: Time


def strip(rule: PairRule, first: Wave, second: Wave, acknowledged: Iterable[Time], delay: Time, window: Time) -> Strip:
    """A pair from 0 to `window`, as its channels are at the terminals; `delay` is its input delay.

    Raises Refusal for edges that are not in order or before 0, and for a negative time.
    """
    for what, value in (("discrepancy time", rule.discrepancy), ("input delay", delay), ("window", window)):
        if value < 0:
            raise Refusal(f"The {what} is negative: {shown(value)}.", value=plain(Fraction(value)))
    for name, wave in (("first", first), ("second", second)):
        _in_order(name, wave.edges)
    one, two = first.behind_filter(delay), second.behind_filter(delay)
    pressed = sorted(set(acknowledged))
    state = PairState(rule)
    changes: list[tuple[Time, bool, bool]] = []
    differs: list[tuple[Time, Time]] = []
    since: Time | None = None
    moments = sorted({0, *one.edges, *two.edges, *pressed})
    for moment in (moment for moment in moments if 0 <= moment <= window):
        state.move(moment, one.at(moment), two.at(moment))
        if moment in pressed:
            state.acknowledge()
        changes.append((moment, state.value, state.fault))
        if state.agree and since is not None:
            differs.append((since, moment))
        since = None if state.agree else moment if since is None else since
        # A fault comes as soon as the time has run out, between what moves.
        out = state.runs_out
        if out is not None and out < window and not _moves_by(one, two, moment, out):
            state.run_out()
            changes.append((out, state.value, state.fault))
    if since is not None and since < window:
        differs.append((since, window))
    longest = max((end - begin for begin, end in differs), default=0)
    return Strip(one, two, _wave(changes, 1), _wave(changes, 2), tuple(differs), longest)


def _in_order(name: str, edges: Sequence[Time]) -> None:
    for place, (edge, before) in enumerate(zip(edges, [0, *edges], strict=False)):
        if edge < before or (place and edge == before):
            raise Refusal(f"The edges of the {name} channel are not in order: {shown(edge)} behind {shown(before)}.",
                          value=plain(Fraction(edge)))  # fmt: skip


def _moves_by(one: Wave, two: Wave, after: Time, by: Time) -> bool:
    return any(after < edge <= by for edge in (*one.edges, *two.edges))


def _wave(changes: Sequence[tuple[Time, bool, bool]], of: int) -> Wave:
    edges: list[Time] = []
    begins = now = bool(changes[0][of]) if changes else False
    for change in changes[1:]:
        if change[of] != now:
            now = bool(change[of])
            edges.append(change[0])
    return Wave(begins, tuple(edges))
