"""A test piece held to a scanner's zone place by place, on the bench: whether its output goes off at each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.bench.safety.scanner import XY, SimulatedScanner
from highmoor.core.errors import Refusal

PLACES_AT_MOST = 400
# Longer than any response: then it was not seen.
_LONGEST_MS, _LOOKS_MS = 2000, 20


@dataclass(slots=True)
class PiecesTried:
    """One situation's output tried at all places: `seen` grows as it goes on."""

    clock: VirtualClock
    scanner: SimulatedScanner
    situation: str = ""
    output: int = 0
    seen: list[bool] = field(default_factory=list)
    places: tuple[XY, ...] = ()
    running: bool = False
    _run: int = 0

    def begin(self, situation: str, output: int, piece_mm: float, places: Sequence[XY]) -> None:
        """From now on. Raises Refusal for a situation or an output that is not there, or too many places."""
        watched = next((one for one in self.scanner.situations if one.id == situation), None)
        if watched is None or watched.reach.get(output) is None:
            raise Refusal("In this situation this output has no zone on the bench: download again.", value=output)
        if not places or len(places) > PLACES_AT_MOST:
            raise Refusal(f"From 1 to {PLACES_AT_MOST} places are tried.", value=len(places))
        self.situation, self.output, self.places, self.running = situation, output, tuple(places), True
        self.seen = []
        self._run += 1
        self.scanner.leave()
        self.scanner.select(watched.select)
        self._go_on(self._steps(piece_mm / 2), self._run)

    def end(self) -> None:
        """Nobody holds anything there any more."""
        if self.running:
            self.running = False
            self.scanner.leave()

    def _go_on(self, steps: Iterator[None], run: int) -> None:
        if run != self._run or not self.running:
            return
        if next(steps, False) is False:
            self.running = False
            return
        self.clock.at(self.clock.now_ns + _LOOKS_MS * NS_A_MS, lambda: self._go_on(steps, run), 2)

    def _steps(self, radius: float) -> Iterator[None]:
        output = self.scanner.outputs[self.output]
        for place in self.places:
            # First all is free: what has not come back cannot go off.
            yield from self._until(on=True)
            self.scanner.hold(place, radius)
            yield from self._until(on=False)
            self.seen.append(not output.on)
            self.scanner.leave()

    def _until(self, *, on: bool) -> Iterator[None]:
        output = self.scanner.outputs[self.output]
        for _ in range(_LONGEST_MS // _LOOKS_MS):
            if output.on == on:
                return
            yield
