"""What a device type is to safety, by its data sheet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Level = Literal["a", "b", "c", "d", "e"]
Category = Literal["B", "1", "2", "3", "4"]


@dataclass(frozen=True, slots=True)
class SafetyFacts:
    """A safe module, or the safe part of a head. Times in ms, failures an hour.

    `pfh` and `level` are what it fails by, dangerously and undetected (ISO 13849-1). `worst_ms` is what it takes at
    most, behind its input delay or up to its terminals, `ack_ms` what it takes to answer a safe telegram. A head
    carries safe telegrams over its internal bus every `telegram_ms`, each one way within `transit_ms`.

    `pairs` are the channels evaluated, or switched, together, by number. While an input's channels differ, its value is
    safe at once (`off`) or the last one (`held`); with `both_off` both have to be off once after a fault. `pulse_ms` is
    how long a test pulse of its own switches a supply or an output off.
    """

    pfh: float | None = None
    level: Level | Literal[""] = ""
    category: Category | Literal[""] = ""
    worst_ms: float = 0
    ack_ms: float = 0
    telegram_ms: float = 0
    transit_ms: float = 0
    pairs: tuple[tuple[int, int], ...] = ()
    while_differing: Literal["off", "held"] = "off"
    both_off: bool = False
    pulse_ms: float = 0
