"""Process models: simple, but they move. All deterministic from the seed; times in s, values in the unit named."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar, Protocol

from highmoor.core.networks.live import Process


class Terminals(Protocol):
    """The ends of the wires: electrical values into the controller (mA, °C, or 1/0) and out of it."""

    def give(self, wire: str, value: float) -> None: ...

    def take(self, wire: str) -> float: ...

    @property
    def version(self) -> int:
        """Another one when the wires may lead to other terminals."""


def milliamps(value: float, low: float, high: float) -> float:
    """A two-wire transmitter of 4–20 mA, at most what it can still drive."""
    return min(max(4 + 16 * (value - low) / (high - low), 3.6), 21)


@dataclass(slots=True)
class Tank:
    """A steep tank: level integrates inflow and drain. Area 4 m², drain by gravity, full switch at 3.0 m."""

    period_ms: ClassVar[int] = 200

    terminals: Terminals
    settings: Mapping[str, Any]
    random: Random
    level_m: float = field(init=False)
    temperature_c: float = field(init=False)

    def __post_init__(self) -> None:
        self.level_m = float(self.settings.get("level_m", 1.0))
        self.temperature_c = 14 + self.random.random() * 2

    def step(self, seconds: float) -> None:
        """Water in through the fill valve, out through the drain valve."""
        inflow = 0.05 * self.terminals.take("fill")
        outflow = 0.04 * self.terminals.take("drain") * math.sqrt(max(self.level_m, 0))
        self.level_m = min(max(self.level_m + (inflow - outflow) * seconds / 4, 0), 3.2)
        self.temperature_c += (15 - self.temperature_c) * seconds / 900
        ripple = self.random.gauss(0, 0.0008)
        self.terminals.give("level", milliamps(self.level_m + ripple, 0, 3.2))
        self.terminals.give("temperature", self.temperature_c + self.random.gauss(0, 0.02))
        self.terminals.give("full", 1.0 if self.level_m >= 3.0 else 0.0)


@dataclass(slots=True)
class Bed:
    """The air over a germination bed: CO₂ rises with the malt's breathing, is flushed by the fresh-air damper."""

    period_ms: ClassVar[int] = 500

    terminals: Terminals
    settings: Mapping[str, Any]
    random: Random
    co2_percent: float = field(init=False)

    def __post_init__(self) -> None:
        self.co2_percent = float(self.settings.get("co2_percent", 1.2))

    def step(self, seconds: float) -> None:
        """First order between breathing and flushing."""
        open_part = max(self.terminals.take("damper") - 4, 0) / 16
        self.co2_percent += (0.004 - self.co2_percent * (0.001 + 0.02 * open_part)) * seconds
        self.co2_percent = max(self.co2_percent, 0.04)
        self.terminals.give("co2", milliamps(self.co2_percent + self.random.gauss(0, 0.003), 0, 5))


@dataclass(slots=True)
class Air:
    """The air over a bed: temperature swings around its mean, humidity against it."""

    period_ms: ClassVar[int] = 200

    terminals: Terminals
    settings: Mapping[str, Any]
    random: Random
    clock_s: float = 0.0

    def step(self, seconds: float) -> None:
        """On along the swing."""
        self.clock_s += seconds
        part = math.sin(2 * math.pi * self.clock_s / float(self.settings.get("period_s", 120)))
        swing = float(self.settings.get("swing", 1)) * part
        self.terminals.give("temperature", float(self.settings.get("temperature", 15)) + swing)
        self.terminals.give("humidity", min(float(self.settings.get("humidity", 95)) - 2 * swing, 100))


@dataclass(slots=True)
class Swing:
    """A value that swings slowly around its mean: a level, a distance."""

    period_ms: ClassVar[int] = 200

    terminals: Terminals
    settings: Mapping[str, Any]
    random: Random
    clock_s: float = 0.0

    def step(self, seconds: float) -> None:
        """On along the swing."""
        self.clock_s += seconds
        part = math.sin(2 * math.pi * self.clock_s / float(self.settings.get("period_s", 60)))
        swing = float(self.settings.get("swing", 0)) * part
        self.terminals.give("value", float(self.settings.get("mean", 0)) + swing + self.random.gauss(0, 0.3))


@dataclass(slots=True)
class Held:
    """Contacts and instruments that stay where they are put; every wire's value in the settings."""

    period_ms: ClassVar[int] = 250

    terminals: Terminals
    settings: Mapping[str, Any]
    random: Random
    _given_at: int = -1

    def step(self, seconds: float) -> None:
        """Nothing moves here: what was given once stands, until the wires lead elsewhere."""
        if self._given_at == self.terminals.version:
            return
        self._given_at = self.terminals.version
        for wire, value in self.settings.items():
            self.terminals.give(wire, float(value))


PROCESSES: dict[str, Callable[[Terminals, Mapping[str, Any], Random], Process]] = {
    "tank": Tank,
    "bed": Bed,
    "air": Air,
    "swing": Swing,
    "held": Held,
}
