"""What stands behind devices of EtherCAT on the bench: drives that follow, light gates, an encoder. Times in s."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar, Protocol

from highmoor.core.networks.ethercat.slave import Slave
from highmoor.core.networks.live import Model


class Answering(Protocol):
    """A station with its own device at the head."""

    @property
    def head(self) -> Slave: ...


# Status word and control word by state (CiA 402-2, tables 30 and 31).
_READY, _ON, _ENABLED, _FAULT, _DISABLED = 0x0231, 0x0233, 0x0237, 0x0218, 0x0250


@dataclass(slots=True)
class Servo:
    """A servo drive that follows its target position (cyclic synchronous position).

    Takes: 0-1 control word, 2-5 target position, 6-9 target velocity, 10 mode. Gives: 0-1 status word, 2-5 position,
    6-9 velocity, 10 mode shown. Positions in increments.
    """

    period_ms: ClassVar[int] = 10

    station: Answering
    settings: Mapping[str, Any]
    random: Random
    position: float = field(init=False)
    status: int = _DISABLED
    # What it took when it last came to rest, b"" while it moves.
    _at_rest: bytes = b""

    def __post_init__(self) -> None:
        self.position = float(self.settings.get("position", 0))

    def step(self, seconds: float) -> None:
        """On towards the target while enabled; what its control word asks of its states otherwise."""
        head = self.station.head
        taken = bytes(head.takes[:11])
        if taken == self._at_rest:
            return
        control = int.from_bytes(taken[0:2], "little")
        before, was = self.position, self.status
        self.status = self._next(control)
        if self.status == _ENABLED:
            target = int.from_bytes(taken[2:6], "little", signed=True)
            most = float(self.settings.get("increments_a_s", 2_000_000)) * seconds
            self.position += min(max(target - self.position, -most), most)
        speed = round((self.position - before) / seconds)
        gives = head.gives
        gives[0:2] = self.status.to_bytes(2, "little")
        gives[2:6] = (round(self.position) & 0xFFFFFFFF).to_bytes(4, "little")
        gives[6:10] = (speed & 0xFFFFFFFF).to_bytes(4, "little")
        gives[10] = taken[10]
        self._at_rest = taken if (was, before) == (self.status, self.position) else b""

    def _next(self, control: int) -> int:
        asked = control & 0x8F
        if asked & 0x80:
            return _DISABLED
        if self.status == _FAULT:
            return _FAULT
        if asked & 0x07 == 0x06:
            return _READY
        if self.status == _READY and asked & 0x0F == 0x07:
            return _ON
        if self.status in (_READY, _ON, _ENABLED) and asked & 0x0F == 0x0F:
            return _ENABLED if self.status != _READY else _ON
        if self.status in (_ON, _ENABLED) and asked & 0x0F == 0x07:
            return _ON
        return _DISABLED if not asked & 0x02 else self.status


@dataclass(slots=True)
class LightGates:
    """A gateway with light gates: sacks pass one after the other. A gate gives its beams in two octets, the lowest
    first, then its light level in two."""

    period_ms: ClassVar[int] = 50

    station: Answering
    settings: Mapping[str, Any]
    random: Random
    clock_s: float = 0.0

    def step(self, seconds: float) -> None:
        """A sack covers so many beams for a while."""
        self.clock_s += seconds
        head = self.station.head
        for slot in range(len(head.facts.detected)):
            phase = (self.clock_s + 2 * slot) % 6
            covered = int(16 * math.sin(phase / 2 * math.pi)) if phase < 2 else 0
            threshold = head.dictionary.number(0x8000 + 0x10 * slot, 1) or 200
            level = 620 - 30 * covered + round(self.random.gauss(0, 2))
            beams = (1 << covered) - 1 if level < 1000 - threshold else 0
            at = 4 * slot
            head.gives[at : at + 2] = (beams & 0xFFFF).to_bytes(2, "little")
            head.gives[at + 2 : at + 4] = max(level, 0).to_bytes(2, "little")


@dataclass(slots=True)
class TapeEncoder:
    """A magnetic tape encoder. Gives its position in 0.01 mm in four octets, then whether it is valid; takes a lamp."""

    period_ms: ClassVar[int] = 10

    station: Answering
    settings: Mapping[str, Any]
    random: Random
    clock_s: float = 0.0

    def step(self, seconds: float) -> None:
        """To and fro over two metres."""
        self.clock_s += seconds
        head = self.station.head
        position = round(100_000 + 100_000 * math.sin(self.clock_s / 5))
        head.gives[0:4] = position.to_bytes(4, "little")
        head.gives[4] = 1


MODELS: dict[str, Model] = {"servo": Servo, "light gates": LightGates, "tape encoder": TapeEncoder}
