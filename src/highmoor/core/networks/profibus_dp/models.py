"""What stands behind slaves of PROFIBUS DP on the bench: an actuator that moves, a drive, a meter. Times in s."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar, Protocol

from highmoor.core.networks.live import Model


class Exchanging(Protocol):
    """A device with what it gives and takes, octets."""

    @property
    def gives(self) -> bytearray: ...

    @property
    def takes(self) -> bytearray: ...


def _word(octets: bytearray, at: int, *, signed: bool = False) -> int:
    return int.from_bytes(octets[at : at + 2], "big", signed=signed) if len(octets) >= at + 2 else 0


def _put(octets: bytearray, at: int, value: int, size: int = 2) -> None:
    """Written only where it differs; a device with other modules than these has no room for it."""
    new = (value & (1 << 8 * size) - 1).to_bytes(size, "big")
    if len(octets) >= at + size and octets[at : at + size] != new:
        octets[at : at + size] = new


@dataclass(slots=True)
class Actuator:
    """A damper actuator that goes where it is told. Takes: position wanted. Gives: position, torque. In 0.1 %."""

    period_ms: ClassVar[int] = 50

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    position: float = field(init=False)

    def __post_init__(self) -> None:
        self.position = float(self.settings.get("position", 0))

    def step(self, seconds: float) -> None:
        """On towards what is wanted, as fast as its full stroke takes."""
        wanted = min(_word(self.device.takes, 0), 1000)
        most = 1000 * seconds / float(self.settings.get("stroke_s", 30))
        moved = min(max(wanted - self.position, -most), most)
        self.position += moved
        _put(self.device.gives, 0, round(self.position))
        _put(self.device.gives, 2, 0 if not moved else 400)


@dataclass(slots=True)
class SpeedDrive:
    """A drive with control and status words in front: behind `skip` octets that are for parameters.

    Takes: control word, speed wanted; gives: status word, speed; 16384 is full speed.
    """

    period_ms: ClassVar[int] = 50

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    speed: float = 0.0

    def step(self, seconds: float) -> None:
        """Up and down its ramp while it is on."""
        at = int(self.settings.get("skip", 0))
        control = _word(self.device.takes, at)
        wanted = _word(self.device.takes, at + 2, signed=True) if control & 1 else 0
        most = 16384 * seconds / float(self.settings.get("ramp_s", 5))
        self.speed += min(max(wanted - self.speed, -most), most)
        # Ready, in operation, control asked for, set-point reached: bits of a PROFIdrive's status word.
        reached = 1 << 10 if self.speed == wanted else 0
        _put(self.device.gives, at, 0x0201 | (0x0006 if control & 1 else 0) | reached)
        _put(self.device.gives, at + 2, round(self.speed))


@dataclass(slots=True)
class Meter:
    """An energy meter: what its load takes, from the first of its octets on, in watts, four octets each."""

    period_ms: ClassVar[int] = 500

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    at_s: float = 0.0

    def step(self, seconds: float) -> None:
        """A load that goes up and down a little."""
        self.at_s += seconds
        watts = float(self.settings.get("watts", 18_000)) * (1 + 0.03 * math.sin(self.at_s / 7))
        for at in range(0, len(self.device.gives) - 3, 4):
            _put(self.device.gives, at, round(watts), 4)


MODELS: Mapping[str, Model] = {"actuator": Actuator, "speed-drive": SpeedDrive, "meter": Meter}
