"""Devices with Modbus registers and what they do: simple, but they move. Deterministic from the seed; times in s."""

from __future__ import annotations

import struct
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar

from highmoor.core.networks.live import Model, Process
from highmoor.core.networks.modbus.server import RegisterServer


@dataclass(slots=True)
class Humidifier:
    """The humidifier skid: a Modbus server with a humidifier behind it.

    Input registers: 0 humidity 0.1 %, 1 supply 0.01 bar, 2 state, 3 bits (0 running, 1 alarm), 4–5 hours,
    6–7 water in l (REAL), 8 pulse. Holding registers: 100 set point 0.1 %, 101 bits (0 start, 1 reset).
    """

    period_ms: ClassVar[int] = 200

    server: RegisterServer
    settings: Mapping[str, Any]
    random: Random
    humidity: float = field(init=False)
    water_l: float = 0.0
    running_s: float = 0.0
    clock_s: float = 0.0

    def __post_init__(self) -> None:
        self.humidity = float(self.settings.get("humidity", 68.0))
        self.server.present = {3: range(9), 4: range(100, 103)}

    def step(self, seconds: float) -> None:
        """Rises towards the set point while started, falls towards the hall's own 55 % otherwise."""
        self.clock_s += seconds
        holding = self.server.areas[4]
        running = bool(holding.get(101, 0) & 1)
        goal = min(holding.get(100, 0) / 10, 100.0)
        if running and goal > self.humidity:
            self.humidity += min(0.4, (goal - self.humidity) / 8) * seconds
            self.water_l += 0.02 * seconds
        self.humidity += (55 - self.humidity) * seconds / 400
        self.running_s += seconds if running else 0.0
        self._publish(running, alarm=running and goal > 98)

    def _publish(self, running: bool, *, alarm: bool) -> None:
        registers = self.server.areas[3]
        registers[0] = round(10 * min(max(self.humidity + self.random.gauss(0, 0.05), 0), 100))
        registers[1] = round(100 * (4.2 - (0.35 if running else 0.0) + self.random.gauss(0, 0.01)))
        registers[2] = (3 if alarm else 2) if running else 1
        registers[3] = (1 if running else 0) | (2 if alarm else 0)
        hours = 4123 + int(self.running_s / 3600)
        registers[4], registers[5] = hours >> 16, hours & 0xFFFF
        water = struct.pack(">f", self.water_l)
        registers[6], registers[7] = int.from_bytes(water[:2], "big"), int.from_bytes(water[2:], "big")
        registers[8] = int(self.clock_s * 2) & 0xFFFF


@dataclass(slots=True)
class Compressor:
    """An air compressor: pressure swings between 6.8 and 7.6 bar. Holding register 0: mbar."""

    period_ms: ClassVar[int] = 100

    server: RegisterServer
    settings: Mapping[str, Any]
    random: Random
    pressure_bar: float = 7.0
    loading: bool = True

    def __post_init__(self) -> None:
        self.server.present = {4: range(4)}

    def step(self, seconds: float) -> None:
        """Loads and idles between its two switching points."""
        self.pressure_bar += (0.03 if self.loading else -0.02) * seconds
        if self.pressure_bar > 7.6:
            self.loading = False
        elif self.pressure_bar < 6.8:
            self.loading = True
        holding = self.server.areas[4]
        holding[0], holding[1] = round(1000 * self.pressure_bar), int(self.loading)


@dataclass(slots=True)
class Burner:
    """The kiln's burner: purges 8 s, lights, then follows the demand by 4 % a second.

    Input registers: 0 state (1 off, 2 purging, 3 lit), 1 output 0.1 %, 2 gas pressure 0.1 mbar, 3 bits (0 flame,
    1 fault), 4 air damper 0.1 %, 5 hours. Holding registers: 0 demand 0.1 %, 1 bits (0 release).
    """

    period_ms: ClassVar[int] = 100

    server: RegisterServer
    settings: Mapping[str, Any]
    random: Random
    output: float = 0.0
    purged_s: float = 0.0
    lit_s: float = 0.0

    def __post_init__(self) -> None:
        self.server.present = {3: range(6), 4: range(2)}

    def step(self, seconds: float) -> None:
        """On to the next state, and the output towards what is demanded."""
        holding = self.server.areas[4]
        released = bool(holding.get(1, 0) & 1)
        demand = min(holding.get(0, 0) / 10, 100.0)
        self.purged_s = self.purged_s + seconds if released else 0.0
        lit = released and self.purged_s >= 8
        self.lit_s += seconds if lit else 0.0
        goal = max(demand, 20.0) if lit else 0.0
        most = 4 * seconds
        self.output += min(max(goal - self.output, -most if lit else -25 * seconds), most)
        registers = self.server.areas[3]
        registers[0] = 3 if lit else 2 if released else 1
        registers[1] = round(10 * self.output)
        registers[2] = round(10 * (52 - 0.04 * self.output + self.random.gauss(0, 0.05)))
        registers[3] = int(lit)
        registers[4] = round(10 * min(self.output * 0.9 + (10 if released else 0), 100))
        registers[5] = int(self.settings.get("hours", 1820)) + int(self.lit_s / 3600)


@dataclass(slots=True)
class MoistureMeter:
    """A moisture meter in the malt, drying slowly. Input registers: 0 moisture 0.01 %, 1 temperature 0.1 °C."""

    period_ms: ClassVar[int] = 500

    server: RegisterServer
    settings: Mapping[str, Any]
    random: Random
    moisture: float = field(init=False)

    def __post_init__(self) -> None:
        self.moisture = float(self.settings.get("moisture", 12.0))
        self.server.present = {3: range(2), 4: range(1)}

    def step(self, seconds: float) -> None:
        """Drier all the time, down to 4 %."""
        self.moisture = max(self.moisture - seconds / 3000, 4.0)
        registers = self.server.areas[3]
        registers[0] = round(100 * (self.moisture + self.random.gauss(0, 0.02)))
        registers[1] = round(10 * (62 + self.random.gauss(0, 0.1)))


_MAKERS: dict[str, Callable[[RegisterServer, Mapping[str, Any], Random], Process]] = {
    "humidifier": Humidifier,
    "compressor": Compressor,
    "burner": Burner,
    "moisture": MoistureMeter,
}


def _behind(make: Callable[[RegisterServer, Mapping[str, Any], Random], Process]) -> Model:
    return lambda device, settings, chance: make(device.server, settings, chance)


# Whatever carries its frames, a device has its `server`.
MODELS: dict[str, Model] = {key: _behind(make) for key, make in _MAKERS.items()}
