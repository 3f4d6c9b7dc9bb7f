"""Process models behind EtherNet/IP adapters: what they do with the data they get, and what they give."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar

from highmoor.core.figures.cip import path
from highmoor.core.networks.ethernet_ip.adapter import Adapter, Block
from highmoor.core.networks.live import Model


def _put(block: Block, octet: int, value: float, octets: int = 2) -> None:
    """A whole number, low octet first, held within what the octets can say."""
    most = (1 << 8 * octets) - 1
    block[octet : octet + octets] = (round(value) & most).to_bytes(octets, "little")


def _signed(block: Block, octet: int) -> int:
    return int.from_bytes(block[octet : octet + 2], "little", signed=True)


# The parameters of a fan's drive, each with the octets it tells of what it takes (0) or gives (1).
_TOLD = tuple(
    (path(0x0F, n, 1), block, first, end)
    for n, (block, first, end) in enumerate(((0, 0, 1), (0, 2, 4), (1, 0, 2), (1, 2, 4), (1, 4, 6), (1, 6, 7)), start=1)
)


@dataclass(slots=True)
class FanDrive:
    """A fan's drive. Takes at point 100: octet 0 command (bit 0 run, 2 reset), 2–3 reference 0.01 %.

    Gives at point 101: 0–1 status (0 ready, 1 running, 2 fault, 3 at speed), 2–3 speed 0.01 %, 4–5 current 0.01 A,
    6 fault code (81: command lost). Ramps 10 % a second.
    """

    period_ms: ClassVar[int] = 50

    adapter: Adapter
    settings: Mapping[str, Any]
    random: Random
    speed: float = 0.0
    fault: int = 0
    was_running: bool = False

    def step(self, seconds: float) -> None:
        """Towards the reference while commanded; a lost command while running is a fault until it is reset."""
        taken, given = self.adapter.outputs.get(100), self.adapter.inputs.get(101)
        if taken is None or given is None or len(taken) < 4 or len(given) < 8:
            return
        commanded = self.adapter.running
        run = commanded and bool(taken[0] & 1) and not self.fault
        if self.was_running and not commanded:
            self.fault = 81
        elif commanded and taken[0] & 4:
            self.fault = 0
        self.was_running = run
        goal = min(max(_signed(taken, 2) / 100, -100), 100) if run else 0.0
        self.speed += min(max(goal - self.speed, -10 * seconds), 10 * seconds)
        at_speed = run and abs(goal - self.speed) < 0.5
        _put(given, 0, (not self.fault) | run << 1 | bool(self.fault) << 2 | at_speed << 3)
        _put(given, 2, 100 * self.speed + (self.random.gauss(0, 2) if abs(self.speed) > 1 else 0))
        _put(given, 4, 100 * (11.5 * (0.25 + 0.75 * (self.speed / 100) ** 2) if abs(self.speed) > 0.5 else 0))
        _put(given, 6, self.fault, 1)
        blocks, attributes = (bytes(taken), bytes(given)), self.adapter.attributes
        for parameter, block, first, end in _TOLD:
            attributes[parameter] = blocks[block][first:end]


@dataclass(slots=True)
class WeighHead:
    """A weigh head without a description file. Takes at point 150: octet 0 bits (0 zero, 1 fill), gives at point 100:
    0–3 weight in g, 4 bits (0 steady, 1 full)."""

    period_ms: ClassVar[int] = 50

    adapter: Adapter
    settings: Mapping[str, Any]
    random: Random
    weight_g: float = field(init=False)

    def __post_init__(self) -> None:
        self.weight_g = float(self.settings.get("weight_g", 12_400))

    def step(self, seconds: float) -> None:
        """Fills at 900 g/s up to 50 kg, empties to zero."""
        given, taken = self.adapter.inputs.get(100), self.adapter.outputs.get(150)
        if given is None or taken is None or len(given) < 5 or not taken:
            return
        fills = self.adapter.running and bool(taken[0] & 2)
        if self.adapter.running and taken[0] & 1:
            self.weight_g = 0
        self.weight_g = min(self.weight_g + (900 * seconds if fills else 0), 50_000)
        _put(given, 0, max(self.weight_g + self.random.gauss(0, 2), 0), 4)
        given[4] = (not fills) | (self.weight_g >= 50_000) << 1


@dataclass(slots=True)
class ScannerOfTheAisle:
    """The area scanner of the turner aisle. Gives at point 100: 0–1 outputs and warnings (bits 0, 1 outputs on, 2
    warning zone clear, 3 window clean), 2 situation, 4–5 nearest object mm, 6–7 bearing 0.1°.

    Somebody walks through the aisle every two minutes, between 6 m and 1.2 m away.
    """

    period_ms: ClassVar[int] = 50

    adapter: Adapter
    settings: Mapping[str, Any]
    random: Random
    clock_s: float = 0.0

    def step(self, seconds: float) -> None:
        """On along the walk."""
        self.clock_s += seconds
        given = self.adapter.inputs.get(100)
        if given is None or len(given) < 8:
            return
        part = self.clock_s % 120
        walking = part < 30
        distance = 3600 + 2400 * math.cos(part / 30 * 2 * math.pi) if walking else 12_000
        clear, warned = distance > 1900, distance > 3200
        _put(given, 0, (3 if clear else 0) | warned << 2 | 8)
        given[2] = 1
        _put(given, 4, distance + self.random.gauss(0, 8))
        _put(given, 6, 10 * (60 + 5 * part) if walking else 900)


MODELS: dict[str, Model] = {
    "fan drive": FanDrive,
    "weigh head": WeighHead,
    "area scanner": ScannerOfTheAisle,
}
