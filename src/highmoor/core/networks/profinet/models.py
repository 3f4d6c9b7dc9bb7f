"""What stands behind devices of PROFINET on the bench: a weigher that fills, a printer. Times in s."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from random import Random
from typing import Any, ClassVar, Protocol

from highmoor.core.networks.live import Model


class Exchanging(Protocol):
    """A device with what it gives and takes, octets."""

    @property
    def gives(self) -> bytearray: ...

    @property
    def takes(self) -> bytearray: ...


def _put(octets: bytearray, at: int, value: int, size: int) -> None:
    new = (value & (1 << 8 * size) - 1).to_bytes(size, "big")
    if len(octets) >= at + size and octets[at : at + size] != new:
        octets[at : at + size] = new


def _value(octets: bytearray, at: int, size: int) -> int:
    return int.from_bytes(octets[at : at + size], "big", signed=True) if len(octets) >= at + size else 0


@dataclass(slots=True)
class Weigher:
    """A bag under a filling spout, taken away when it is full. Gives: gross and net weight in g, status. Takes:
    command, weight to fill to."""

    period_ms: ClassVar[int] = 100

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    grams: float = 0.0
    waits_s: float = 0.0

    def step(self, seconds: float) -> None:
        """On with the bag, or a pause until the next one hangs there."""
        target = _value(self.device.takes, 2, 4) or float(self.settings.get("target_g", 25_000))
        full = self.grams >= target
        if not full:
            self.grams = min(self.grams + seconds * float(self.settings.get("g_s", 3_000)), target)
            self.waits_s = 0.0
        else:
            self.waits_s += seconds
            if self.waits_s >= float(self.settings.get("pause_s", 2)):
                self.grams, full = 0.0, False
        bag = float(self.settings.get("bag_g", 140))
        _put(self.device.gives, 0, round(self.grams + bag), 4)
        _put(self.device.gives, 4, round(self.grams), 4)
        _put(self.device.gives, 8, (1 | 1 << 5 if full else 0) | (1 << 1 if not self.grams else 0), 2)


@dataclass(slots=True)
class Printer:
    """A label printer: its first command bit prints one. Gives: status, labels printed. Takes: command."""

    period_ms: ClassVar[int] = 50

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    count: int = 0
    busy_s: float = 0.0
    was: bool = False

    def step(self, seconds: float) -> None:
        """Print while there is something to print."""
        wanted = bool(_value(self.device.takes, 0, 2) & 1)
        if wanted and not self.was and not self.busy_s:
            self.busy_s = float(self.settings.get("print_s", 0.4))
        self.was = wanted
        if self.busy_s:
            self.busy_s = max(self.busy_s - seconds, 0.0)
            self.count += not self.busy_s
        _put(self.device.gives, 0, 0b11 if self.busy_s else 0b01, 2)
        _put(self.device.gives, 2, self.count, 4)


MODELS: Mapping[str, Model] = {"weigher": Weigher, "printer": Printer}
