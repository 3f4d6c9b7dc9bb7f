"""The contacts of a sensor, and what can be wrong with them and their wires."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, get_args

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.safety.inputs import InputPair

# Of a channel: its contact never opens, its wire is broken, it has a short to the supply.
WireFault = Literal["", "stuck", "broken", "shorted"]
WIRE_FAULTS: tuple[WireFault, ...] = get_args(WireFault)


@dataclass(slots=True)
class Contacts:
    """Two contacts, or two outputs that a sensor tests itself (`tests_itself`: it sees a short by itself and goes off).

    They open on a demand, the second `skew` ns after the first; of an antivalent pair it closes. Of a pair that is
    taken each channel alone a sensor has one of them: `at` are those that are its own, 0 the first, 1 the second.
    """

    clock: VirtualClock
    pair: InputPair
    tests_itself: bool = False
    at: tuple[int, ...] = (0, 1)
    demand: bool = False
    skew: int = 0
    faults: list[WireFault] = field(default_factory=lambda: ["", ""])
    crossed: bool = False
    # How each contact is, whatever its wire makes of it.
    _by: set[str] = field(default_factory=set)
    _closed: list[bool] = field(default_factory=list)
    _moves: int = 0

    def __post_init__(self) -> None:
        self._closed = [True, not self.pair.rule.antivalent]
        self._show()

    def move(self, demand: bool, by: str = "hand") -> None:
        """A demand begins, or ends; it lasts as long as anything demands."""
        (self._by.add if demand else self._by.discard)(by)
        if bool(self._by) == self.demand:
            return
        self.demand = bool(self._by)
        self._moves += 1
        moves = self._moves
        self._open(self.at[0], moves)
        if len(self.at) > 1:
            self.clock.at(self.clock.now_ns + self.skew, lambda: self._open(1, moves), 2)

    def set_fault(self, channel: int, fault: WireFault) -> None:
        """What is wrong with a channel from now on."""
        self.faults[channel] = fault
        if fault != "stuck":
            self._open(channel, self._moves)
        self._show()

    def cross(self, crossed: bool) -> None:
        """A short between both channels, or none any more."""
        self.crossed = crossed
        self._show()

    def _open(self, channel: int, moves: int) -> None:
        if moves != self._moves or self.faults[channel] == "stuck":
            return
        self._closed[channel] = self.demand == (channel == 1 and self.pair.rule.antivalent)
        self._show()

    def _show(self) -> None:
        short = self.crossed or "shorted" in self.faults
        if short and self.tests_itself:
            levels = [False, self.pair.rule.antivalent]
        else:
            levels = [
                fault == "shorted" or (closed and fault != "broken")
                for closed, fault in zip(self._closed, self.faults, strict=True)
            ]
            levels = [any(levels)] * 2 if self.crossed else levels
            self.pair.find_short(self.at, short)
        for channel in self.at:
            self.pair.take(channel, levels[channel])
