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


@dataclass(slots=True)
class Weigher:
    """A bag on a scale that is filled and taken away. Gives: state, then weight in g (four octets)."""

    period_ms: ClassVar[int] = 100

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    grams: float = 0.0
    waits_s: float = 0.0

    def step(self, seconds: float) -> None:
        """On with the bag, or a pause until the next one hangs there."""
        target = float(self.settings.get("target_g", 5000))
        if self.grams < target:
            self.grams = min(self.grams + seconds * float(self.settings.get("g_s", 800)), target)
            self.waits_s = 0.0
        else:
            self.waits_s += seconds
            if self.waits_s >= float(self.settings.get("pause_s", 1.5)):
                self.grams = 0.0
        full = self.grams >= target
        _put(self.device.gives, 0, 0b11 if full else 0b01, 1)
        _put(self.device.gives, int(self.settings.get("at", 1)), round(self.grams), 4)


@dataclass(slots=True)
class Printer:
    """A label printer: a rising bit prints one. Takes: command in the last bit. Gives: state, labels printed."""

    period_ms: ClassVar[int] = 50

    device: Exchanging
    settings: Mapping[str, Any]
    random: Random
    count: int = 0
    busy_s: float = 0.0
    was: bool = False

    def step(self, seconds: float) -> None:
        """Print while there is something to print."""
        wanted = bool(self.device.takes and self.device.takes[0] & 1)
        if wanted and not self.was and not self.busy_s:
            self.busy_s = float(self.settings.get("print_s", 0.4))
        self.was = wanted
        if self.busy_s:
            self.busy_s = max(self.busy_s - seconds, 0.0)
            self.count += not self.busy_s
        _put(self.device.gives, 0, 0b11 if self.busy_s else 0b01, 1)
        _put(self.device.gives, int(self.settings.get("at", 1)), self.count, 2)


MODELS: Mapping[str, Model] = {"weigher": Weigher, "printer": Printer}
