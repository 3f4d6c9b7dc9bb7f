"""Where a commander's words are: in the signals of its controller, or between a controller and its own pulse output."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from highmoor.core.bench.controller import SignalCode, SimulatedController


class Port(Protocol):
    """Words by their roles, as they count."""

    def has(self, role: str) -> bool:
        """Whether there is such a word."""

    def read(self, role: str) -> float:
        """A word as it came, 0 where there is none."""

    def put(self, role: str, count: float) -> None:
        """A word to go; one that is not there goes nowhere."""


@dataclass(frozen=True, slots=True, repr=False)
class SignalPort:
    """Words that are signals of a controller, whatever these make of them."""

    controller: SimulatedController
    signals: Mapping[str, SignalCode]

    def has(self, role: str) -> bool:
        return role in self.signals

    def read(self, role: str) -> float:
        code = self.signals.get(role)
        if code is None:
            return 0.0
        value = self.controller.value_for_program(code)
        return code.scaling.raw(float(value)) if code.scaling else float(value)

    def put(self, role: str, count: float) -> None:
        code = self.signals.get(role)
        if code is None:
            return
        value: float | int | bool
        if code.scaling:
            value = code.scaling.value(round(count))
        else:
            value = bool(count) if code.raw.bits == 1 else round(count)
        # What stands already need not go through its task again.
        if self.controller.program.get(code.id) != value:
            self.controller.put(code.id, value)


@dataclass(slots=True)
class PulsePort:
    """Words between a controller and a pulse output of its own, with no fieldbus between them: what the one puts the
    other reads."""

    given: dict[str, int] = field(default_factory=dict)
    told: dict[str, int] = field(default_factory=dict)
    # How often a word was put that was another before.
    changes: int = 0

    def has(self, role: str) -> bool:
        return True

    def read(self, role: str) -> float:
        return float(self.told.get(role, 0))

    def put(self, role: str, count: float) -> None:
        value = round(count)
        if self.given.get(role) != value:
            self.given[role] = value
            self.changes += 1


@dataclass(frozen=True, slots=True)
class PulseWords:
    """A pulse port as its output has it."""

    port: PulsePort

    def look(self) -> tuple[bytes, ...]:
        """What tells whether all that was put is as before."""
        return (self.port.changes.to_bytes(8, "big"),)

    def has(self, role: str) -> bool:
        """Whether there is such a word."""
        return True

    def get(self, role: str) -> int:
        """A word as it was put, 0 where there is none."""
        return self.port.given.get(role, 0)

    def put(self, role: str, value: float) -> None:
        """A word to be told."""
        self.port.told[role] = round(value)

    def tell(self) -> None:
        """It is told at once."""
