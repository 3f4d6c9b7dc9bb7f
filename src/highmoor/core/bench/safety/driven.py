"""A scanner's inputs at outputs of its controller: what stands at those terminals selects."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail
from highmoor.core.bench.safety.scanner import SimulatedScanner
from highmoor.core.safety.scanner.types import INPUT_MS


@dataclass(slots=True)
class DrivenInputs:
    """Inputs of a scanner by their numbers, from 1, each with the terminal that drives it; an enable among them."""

    scanner: SimulatedScanner
    rail: SimulatedRail
    terminals: Mapping[int, str]
    enable: str | None

    def begin(self, clock: VirtualClock) -> None:
        """From power-up on."""
        clock.every(round(INPUT_MS * NS_A_MS), self.look, 2)

    def look(self) -> None:
        """With an enable, only while that is on; inputs that nothing drives stay as hands left them."""
        if self.enable is not None and not self.rail.take(self.enable):
            return
        bits = list(self.scanner.pattern.ljust(self.scanner.of.inputs, "0"))
        for number, terminal in self.terminals.items():
            if number <= len(bits):
                bits[number - 1] = "1" if self.rail.take(terminal) else "0"
        pattern = "".join(bits)
        if pattern != self.scanner.pattern:
            self.scanner.select(pattern)
